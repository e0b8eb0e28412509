"""Shapes: outlines by numbers, by a drawn way, from SVG files and from letters, and how they stand up."""
