"""Solids: bodies from numbers, joined, cut and kept in common into one closed mesh."""
