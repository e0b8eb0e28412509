"""The first minute of a mesh: how it is looked at, and the line it starts with."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

import numpy as np

from engraver.core.mesh import pose
from engraver.core.mesh.capture import Capture, best_band
from engraver.core.mesh.raster import Frame, nearest, on_screen
from engraver.core.mesh.shape import Shape
from engraver.core.numeric.point_bounds import point_bounds

from .models import MeshAs, Step

MESH_AS: Mapping[MeshAs, str] = MappingProxyType({
    "object": "Whole object", "detail": "Surface, framed inside", "rolled": "Rolled out",
})  # fmt: skip
# What a mesh is most likely made ready for: a whole object raises as a whole, a piece of surface raises and cuts.
MADE_FOR: Mapping[MeshAs, str] = MappingProxyType({
    "object": "brush-form", "detail": "sculpt-stamp-mid", "rolled": "stroke-strip",
})  # fmt: skip
# Thinner than this across its best plane, a mesh is looked at square to that plane.
FLAT_BELOW = 0.35
# An outline that fills this much of the box around it is a piece of surface, not an object.
FILLS = 0.9
_LOOK = 256


def guess(shape: Shape) -> MeshAs:
    """A thin mesh whose outline fills its box is a piece of surface; anything else an object."""
    if pose.flatness(shape.mesh) > FLAT_BELOW:
        return "object"
    seen = shape.mesh.points @ shape.flat[:2].T
    low, high = point_bounds(seen)
    size = np.maximum(high - low, 1e-12)
    width, height = (max(8, round(_LOOK * float(s / size.max()))) for s in size)
    frame = Frame(float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2, float(size[0]))
    to_pixels, shift = on_screen(frame, width, height)
    _, cover = nearest(shape.mesh.points, shape.mesh.faces, to_pixels @ shape.flat, shift, width, height)
    return "detail" if float(cover.mean()) >= FILLS else "object"


def first_view(shape: Shape) -> dict[str, Any]:
    """The view of a new plate: a straight one where the mesh lies straight, laid flat where it is thin but tilted."""
    if pose.flatness(shape.mesh) > FLAT_BELOW:
        return {"view": "front"}
    name, off = pose.off_straight(shape.flat)
    turn = pose.turn_of(shape.flat, pose.straight(name))
    straight = off < pose.SNAP_BELOW and abs(turn.roll) < pose.SNAP_BELOW
    return {"view": name if straight else "flat"}


def first_capture(shape: Shape, mesh_as: MeshAs | None = None, before: Capture | None = None) -> Capture:
    """The reading parameters of a mesh read as this; ``before`` keeps its pose, body and unit.

    Raises
    ------
    BadMesh
        The body chosen before is not there.
    """
    read_as = mesh_as or guess(shape)
    start: dict[str, Any] = {"unit": shape.facts.unit, **first_view(shape)} if before is None else before.values()
    start |= {"depth": "auto", "frame": "whole", "zero_at": "lowest", "roll_out": False}
    if read_as == "detail":
        start |= {"frame": "inside", "zero_at": "border"}
    if read_as == "rolled":
        start |= {"roll_out": True, "form": "turned", "turn": 0.0, "along": 0.0}
        found = Capture.model_validate(start)
        start["band"] = round(best_band(shape, found), 4)
    return Capture.model_validate(start)


def first_mesh_steps(mesh_as: MeshAs) -> tuple[Step, ...]:
    """The line of a mesh: a piece of surface fades to its square, what is rolled out to a strip that goes on across;
    a whole object needs nothing."""
    if mesh_as == "detail":
        return (Step.make("falloff", outline="square", fade=0.08, margin=0.0, ragged=0.0),)
    if mesh_as == "rolled":
        return (
            Step.make("levels", low=1.0, high=99.8),
            Step.make("falloff", outline="square", left=False, right=False, fade=0.1, margin=0.01, ragged=0.0),
        )  # fmt: skip
    return ()
