"""Cords: a piece of mesh repeated along a way as one body."""
