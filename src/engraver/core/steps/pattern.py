"""Patterns that close over the plate's borders: grooves, slabs, cells, weave, overlapping rows, strands, dots."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..numeric import tilings
from ..numeric.meeting import MEETS, Meets
from ..params import choice, fraction, integer, plate_reference
from ..pressing.tip import standing
from ..raster import Facts, Pixels, Raster
from .build import Built, built_extent, finely, meet
from .kind import StepContext, StepKind, reseeded

_JOINTED = ("running", "stacked", "six-sided")
_ROUND = ("rings", "rays", "spiral")
_PIECED = ("rows",)


class Pattern(Built):
    kind: Literal[
        "grooves", "rings", "rays", "spiral", "running", "stacked", "six-sided", "weave", "rows", "strands", "dots"
    ] = choice(
        "running",
        {"grooves": "Grooves", "rings": "Grooves in rings", "rays": "Grooves in rays", "spiral": "Groove in a spiral",
         "running": "Slabs, running bond", "stacked": "Slabs, stacked", "six-sided": "Six-sided cells",
         "weave": "Weave", "rows": "Overlapping rows", "strands": "Twisted strands", "dots": "Dots"},
        "Kind", "What repeats.",
    )  # fmt: skip
    across: int = integer(6, 1, 128, "Across", "How many lie side by side.", soft=(1, 32))
    down: int = integer(8, 1, 128, "Down", "How many lie one below the other.", soft=(1, 32),
                        when={"kind": (*_JOINTED, "weave", "rows", "strands", "dots")})  # fmt: skip
    profile: Literal["round", "sharp", "flat", "wave"] = choice(
        "round", {"round": "Round", "sharp": "Sharp", "flat": "Flat", "wave": "Wave"}, "Profile",
        "The section across a groove's ridge, a strand or a thread.",
        when={"kind": ("grooves", *_ROUND, "weave", "strands")},
    )  # fmt: skip
    width: float = fraction(0.7, 0.02, 1.0, "Width", "Of a ridge, a thread, a dot: as a share of its room.",
                            when={"kind": ("grooves", *_ROUND, "weave", "dots")})  # fmt: skip
    joint: float = fraction(0.08, 0.0, 0.9, "Joint", "Between slabs or cells, as a share of the smaller side.",
                            when={"kind": _JOINTED})  # fmt: skip
    bevel: float = fraction(0.15, 0.0, 1.0, "Bevel", "Share over which a slab, a cell or a piece rises.",
                            when={"kind": (*_JOINTED, *_PIECED)})  # fmt: skip
    worn: float = fraction(0.2, 0.0, 1.0, "Worn corners", "How round the corners are.",
                           when={"kind": ("running", "stacked")})  # fmt: skip
    shift: float = fraction(0.5, 0.0, 1.0, "Shift", "Every second row lies so much of a slab to the right.",
                            when={"kind": ("running", "rows")})  # fmt: skip
    twist: int = integer(2, 1, 24, "Twists", "How often a strand turns from border to border.",
                             when={"kind": ("strands",)})  # fmt: skip
    overlap: float = fraction(0.5, 0.0, 0.9, "Overlap", "How much of a piece the next row covers.",
                              when={"kind": _PIECED})  # fmt: skip
    piece: Literal["round", "square", "pointed", "plate"] = choice(
        "round", {"round": "Round end", "square": "Square end", "pointed": "Pointed end", "plate": "A plate"},
        "Piece", "What lies in the rows.", when={"kind": _PIECED},
    )  # fmt: skip
    plate: str = plate_reference("Plate", "It lies in the rows, and is followed.", when={"piece": "plate"})
    jitter: float = fraction(0.0, 0.0, 1.0, "Uneven heights", "How much lower pieces are by chance.",
                             when={"kind": (*_JOINTED, *_PIECED, "dots")})  # fmt: skip
    level: float = fraction(1.0, -1.0, 1.0, "Height", "How high it stands; below 0 it cuts.")
    meets: Meets = choice("add", dict(MEETS), "Meets what is there", "How its heights and those below become one.")
    seed: int = integer(0, 0, 9999, "Seed", "Another number, other heights.")


def _heights(rows: int, columns: int, params: Pattern, seed: int, piece: Pixels | None) -> Pixels:
    form = tilings.Tiling(
        params.kind, params.across, params.down, params.profile, params.width, params.joint, params.bevel,
        params.worn, params.shift, params.twist, params.overlap, params.piece, params.jitter, seed,
    )  # fmt: skip
    return tilings.tiling(rows, columns, form, piece)


def _pattern(raster: Raster, params: Pattern, context: StepContext) -> Raster:
    piece = None
    if params.kind == "rows" and params.piece == "plate":
        if not params.plate:
            return raster
        piece, _ = standing(context.followed(params.plate))
    seed = reseeded(context.seed, params.seed)
    made = finely(raster, context, lambda rows, columns: _heights(rows, columns, params, seed, piece))
    made = made * np.float32(params.level)
    return meet(raster, made, params, context)


def _pattern_extent(params: Pattern, facts: Facts) -> Facts:
    """Rings, rays and spirals do not go on over a border."""
    facts = built_extent(params, facts)
    return facts.but(wrap=(False, False)) if params.kind in _ROUND else facts


PATTERN = StepKind(
    id="pattern", name="Pattern", group="build",
    help="Slabs, cells, grooves, weave, rows and strands that tile exactly.",
    params=Pattern, apply=_pattern, extent=_pattern_extent, agreement="tone",
    on_relief=lambda facts: {"meets": "multiply"}, made_for="tiling-height", goes_on=True,
    words=("tile", "weave", "slabs", "grooves", "rope", "bricks", "cells"),
)  # fmt: skip
