"""Meshes: one module a format; posing, framing, and rasterising their height."""

from .capture import AutoFrame, Capture, capture_heights, measured
from .model import Mesh, mesh_of
from .read import EXTENSIONS, format_of, is_mesh, load
from .shape import MeshFacts, Shape

__all__ = [
    "EXTENSIONS",
    "AutoFrame",
    "Capture",
    "Mesh",
    "MeshFacts",
    "Shape",
    "capture_heights",
    "format_of",
    "is_mesh",
    "load",
    "measured",
    "mesh_of",
]
