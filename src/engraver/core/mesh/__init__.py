"""Meshes: one module a format; posing, framing, and rasterising their height."""
