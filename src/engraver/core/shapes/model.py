"""One shape: its kind, place, size, turn, how it stands, how it meets what lies below, and how it is repeated."""

from __future__ import annotations

from typing import Literal

from pydantic import field_validator, model_validator

from ..numeric.meeting import MEETS, Meets
from ..params import choice, flag, fraction, integer, length, number, points, position
from .field import outline_field
from .kinds import SHAPES, using
from .outline_data import check
from .standing import Standing

# Shapes of one step, and places of one drawn way.
MOST, PLACES = 2000, 2000


def _where(field: str) -> dict[str, tuple[str, ...]]:
    return {"kind": using(field)}


class Shape(Standing):
    kind: Literal[
        "disc", "oval", "ring", "square", "rectangle", "polygon", "star", "cross", "slot", "arc", "sector", "capsule",
        "line", "path", "outline",
    ] = choice("disc", {kind.id: kind.name for kind in SHAPES.values()}, "Kind", "What its outline is.")  # fmt: skip
    x: float = position("x", 0.5, "Middle x", "Where its middle lies, from the left border.", lo=-4.0, hi=5.0,
                        soft=(0.0, 1.0))  # fmt: skip
    y: float = position("y", 0.5, "Middle y", "Where its middle lies, from the top border.", lo=-4.0, hi=5.0,
                        soft=(0.0, 1.0))  # fmt: skip
    width: float = length(0.5, 0.0005, 20.0, "Width", "From side to side; a disc's diameter.", soft=(0.01, 1.0))
    height: float = length(
        0.25, 0.0005, 20.0, "Breadth", "From its top to its bottom before it is turned.", soft=(0.01, 1.0),
        when=_where("height"),
    )  # fmt: skip
    turn: float = number(0.0, -360.0, 360.0, "Turn", "Clockwise.", unit="°")
    sides: int = integer(6, 3, 64, "Corners", "Of a polygon, or points of a star.", when=_where("sides"))
    inner: float = fraction(
        0.5, 0.0, 1.0, "Inner size", "Of a ring, its hole; of a star, where it is hollow; of a cross, its arms; "
        "of a capsule, its smaller end: as a share of the outer size.", when=_where("inner"),
    )  # fmt: skip
    corner: float = length(
        0.0, 0.0, 10.0, "Corner radius", "Corners are arcs that touch both sides.", soft=(0.0, 0.25),
        when=_where("corner"),
    )  # fmt: skip
    each: bool = flag(False, "Each corner", "Every corner has a radius of its own.", when=_where("each"))
    corner_2: float = length(0.0, 0.0, 10.0, "Top right", "Its radius.", soft=(0.0, 0.25), when={"each": True})
    corner_3: float = length(0.0, 0.0, 10.0, "Bottom right", "Its radius.", soft=(0.0, 0.25), when={"each": True})
    corner_4: float = length(0.0, 0.0, 10.0, "Bottom left", "Its radius.", soft=(0.0, 0.25), when={"each": True})
    start: float = number(
        -90.0, -360.0, 360.0, "From", "Where it begins, clockwise from the right.", unit="°", when=_where("start")
    )
    sweep: float = number(90.0, 1.0, 360.0, "Goes round", "How far it goes round.", unit="°", when=_where("sweep"))
    points: tuple[tuple[float, ...], ...] = points(
        (), "Places", "Of a drawn way, from its middle in shares of the shorter side: x, y, the pen's pressure, "
        "and handles in x, y and out x, y where it has them.", when=_where("points"), editor="way",
    )  # fmt: skip
    thick: float = length(0.03, 0.0005, 2.0, "Line's width", "Of the line along the way.", soft=(0.002, 0.2),
                          when={**_where("thick"), "filled": False})  # fmt: skip
    smooth: bool = flag(True, "Smooth", "A curve through its places, or straight from one to the next.",
                        when=_where("smooth"))  # fmt: skip
    closed: bool = flag(False, "Closed", "Its end meets its beginning.", when=_where("closed"))
    filled: bool = flag(False, "Filled", "What it surrounds, in place of a line along it.", when=_where("filled"))
    ends: Literal["round", "square", "flat"] = choice(
        "round", {"round": "Round", "square": "Square", "flat": "Flat"}, "Ends", "Of a line.", when=_where("ends")
    )
    joins: Literal["round", "mitre", "bevel"] = choice(
        "round", {"round": "Round", "mitre": "Pointed", "bevel": "Cut"}, "Joints",
        "What a line is like at corners.", when={**_where("joins"), "smooth": False},
    )  # fmt: skip
    taper_start: float = fraction(0.0, 0.0, 1.0, "Taper at the beginning", "Share of the way over which it widens.",
                                  when=_where("taper_start"))  # fmt: skip
    taper_end: float = fraction(0.0, 0.0, 1.0, "Taper at the end", "Share of the way over which it narrows.",
                                when=_where("taper_end"))  # fmt: skip
    outline: str = outline_field("", "Outline", "From an SVG file, or letters.", when=_where("outline"))
    even_odd: bool = flag(False, "Every second inside is a hole", "The fill rule of the outline.",
                          when=_where("outline"))  # fmt: skip
    meets: Meets = choice("over", dict(MEETS), "Meets those below", "How its height and those below become one.")
    repeat: Literal["none", "grid", "ring"] = choice(
        "none", {"none": "Once", "grid": "Rows and columns", "ring": "Round a ring"}, "Repeated",
        "Copies, all alike.",
    )  # fmt: skip
    rows: int = integer(3, 1, 50, "Rows", "One below the other.", when={"repeat": "grid"})
    columns: int = integer(3, 1, 50, "Columns", "Side by side.", when={"repeat": "grid"})
    across: float = length(0.2, 0.0, 10.0, "Across", "From one column to the next.", soft=(0.01, 1.0),
                           when={"repeat": "grid"})  # fmt: skip
    down: float = length(0.2, 0.0, 10.0, "Down", "From one row to the next.", soft=(0.01, 1.0),
                         when={"repeat": "grid"})  # fmt: skip
    offset: float = fraction(0.0, -1.0, 1.0, "Offset", "Every second row lies so much of a column to the right.",
                             when={"repeat": "grid"})  # fmt: skip
    count: int = integer(8, 1, 360, "Count", "Copies round the ring.", when={"repeat": "ring"})
    radius: float = length(0.3, 0.0, 10.0, "Ring's radius", "From the middle to the copies.", soft=(0.0, 0.6),
                           when={"repeat": "ring"})  # fmt: skip
    facing: bool = flag(True, "Turned along", "Every copy is turned with its place on the ring.",
                        when={"repeat": "ring"})  # fmt: skip

    @field_validator("outline")
    @classmethod
    def _is_data(cls, value: str) -> str:
        check(value)
        return value

    @model_validator(mode="after")
    def _places(self) -> Shape:
        if len(self.points) > PLACES:
            raise ValueError(f"a drawn way has at most {PLACES} places")
        if any(len(p) not in (2, 3, 7) or not all(abs(v) < 100 for v in p) for p in self.points):
            raise ValueError("a place of a drawn way is x, y; x, y, pressure; or both with handles, seven numbers")
        return self


def begun(kind: str) -> Shape:
    """A shape of a kind as it is added: of a size that can be grasped."""
    return Shape.model_validate({"kind": kind, "width": 0.4, **SHAPES[kind].begins})


Shapes = tuple[Shape, ...]
