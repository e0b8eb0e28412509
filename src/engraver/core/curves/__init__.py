"""Curves on surfaces and in space: points one can edit, and the way that comes of them."""
