"""Paper: for paint tips and masks, judged flat and in ink."""

from __future__ import annotations

from dataclasses import replace

from .flat import GEOMETRY
from .kind import SurfaceKind
from .view import Eye

PAPER = SurfaceKind(
    id="paper", name="Paper", help="A page on which marks leave ink, for tips and masks.",
    geometry=replace(GEOMETRY, page=True), command="Proof on paper", key="\\", eye=Eye(tilt=0.0, turn=0.0),
    foot="paper", suits=("paint", "mask"),
)  # fmt: skip
