"""Editors of our own for parameters that a plain slider does not serve."""
