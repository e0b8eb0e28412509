"""Saltmarrow Quay: the demo project and its made-up photos, all from a seeded generator."""
