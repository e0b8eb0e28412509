"""One solid: its kind, place, size, turn, edges, and how it acts on those before it."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any, Literal

from pydantic import ValidationError, model_validator

from ..errors import BadMesh, BadValue
from ..params import Params, choice, fraction, integer, number, specs

# Solids of one source.
MOST = 500
KINDS = {
    "box": "Box", "cylinder": "Cylinder", "cone": "Cone", "ball": "Ball", "dome": "Dome", "torus": "Torus",
    "wedge": "Wedge", "pyramid": "Pyramid", "prism": "Prism", "tube": "Tube",
}  # fmt: skip
OPS = {"join": "Join", "cut": "Cut", "keep": "Keep common"}
# What each does, as it is told in a list.
DOES = {"join": "joins", "cut": "cuts", "keep": "keeps common"}
_FAR = 10_000.0


def _place(axis: str) -> Any:
    return number(0.0, -_FAR, _FAR, f"At {axis}", "Where its middle lies, in units.", step=0.01, soft=(-2.0, 2.0))


def _size(axis: str) -> Any:
    return number(1.0, 1e-4, _FAR, f"Size {axis}", "From side to side, in units.", step=0.01, soft=(0.02, 4.0))


def _turn(axis: str) -> Any:
    return number(0.0, -360.0, 360.0, f"Turn about {axis}", "After those before it.", unit="°")


class Solid(Params):
    kind: Literal["box", "cylinder", "cone", "ball", "dome", "torus", "wedge", "pyramid", "prism", "tube"] = choice(
        "box", KINDS, "Kind", "What it is before it is turned; round ones stand along z."
    )
    at_x: float = _place("x")
    at_y: float = _place("y")
    at_z: float = _place("z")
    size_x: float = _size("x")
    size_y: float = _size("y")
    size_z: float = _size("z")
    turn_x: float = _turn("x")
    turn_y: float = _turn("y")
    turn_z: float = _turn("z")
    op: Literal["join", "cut", "keep"] = choice("join", OPS, "Acts", "On all that lies before it in the list.")
    edges: Literal["sharp", "round", "cut"] = choice(
        "sharp", {"sharp": "Sharp", "round": "Rounded", "cut": "Cut"}, "Edges", "What its edges are like.",
        when={"kind": ("box", "cylinder", "tube", "prism")},
    )  # fmt: skip
    edge: float = fraction(
        0.1, 0.0, 0.5, "Edge", "How far its edges go, as a share of its smallest size.",
        when={"kind": ("box", "cylinder", "tube", "prism"), "edges": ("round", "cut")},
    )  # fmt: skip
    sides: int = integer(
        0, 0, 64, "Sides", "Of a prism (0: six) or a pyramid (0: four).", when={"kind": ("prism", "pyramid")}
    )
    inner: float = fraction(
        0.6, 0.02, 0.98, "Inner size", "Of a tube, its hole; of a torus, how thick its ring is: shares of the "
        "outer size.", when={"kind": ("tube", "torus")},
    )  # fmt: skip

    @model_validator(mode="after")
    def _closed(self) -> Solid:
        if self.sides in (1, 2):
            raise ValueError("a prism or a pyramid has three sides at least")
        return self


Solids = tuple[Solid, ...]
_TRIPLES = {"at": ("at_x", "at_y", "at_z"), "size": ("size_x", "size_y", "size_z"),
            "turn": ("turn_x", "turn_y", "turn_z")}  # fmt: skip


def _one(item: Any, which: int) -> Solid:
    if not isinstance(item, Mapping):
        raise BadValue(f"Solid {which} is no object", "", 'Write it as {"kind": "box", "size": [1, 1, 1]}')
    known = specs(Solid)
    values: dict[str, Any] = {}
    for name, value in item.items():
        if name in _TRIPLES:
            if not isinstance(value, Sequence) or len(value) != 3:
                raise BadValue(f"Solid {which}: {name} cannot be {value!r}", "", "Give three numbers, [x, y, z]")
            values |= dict(zip(_TRIPLES[name], value, strict=True))
        elif name in known:
            values[name] = value
        else:
            raise BadValue(f"Solid {which} has no setting {name!r}", "", f"It has: {', '.join((*_TRIPLES, *known))}")
    try:
        return Solid.model_validate(values)
    except ValidationError as error:
        first = error.errors()[0]
        if not first["loc"]:
            raise BadValue(f"Solid {which}", str(first["msg"]).removeprefix("Value error, ")) from None
        place = str(first["loc"][0])
        allowed = known[place].kind.allowed(known[place]).replace("`", "")
        raise BadValue(f"Solid {which}: {place} cannot be {values.get(place)!r}", "", f"It is {allowed}") from None


def solids_of(data: bytes, name: str) -> Solids:
    """A list of solids from its file.

    Parameters
    ----------
    data : bytes
        JSON: a list of objects with ``kind``, ``at`` [x, y, z], ``size`` [x, y, z], ``turn`` [x, y, z] in degrees,
        ``op`` and what else :class:`Solid` has.

    Raises
    ------
    BadMesh
        It is no such list.
    BadValue
        Naming the solid, the setting and what is allowed.
    """
    try:
        items = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise BadMesh(f"{name} cannot be read", str(error), "Write a list of solids as JSON") from None
    if not isinstance(items, list) or not items or len(items) > MOST:
        raise BadMesh(f"{name} cannot be read", f"it is no list of 1 to {MOST} solids", "See docs/solids.md")
    return tuple(_one(item, n + 1) for n, item in enumerate(items))


def file_of(solids: Solids) -> bytes:
    """The file of a list of solids; what has its default is left out."""
    return json.dumps([solid.model_dump(mode="json", exclude_defaults=True) for solid in solids]).encode()


def is_solids(data: bytes) -> bool:
    """Whether bytes are a list in JSON, as which no mesh is written."""
    return data[:64].lstrip().startswith(b"[")
