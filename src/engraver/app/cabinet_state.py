"""How the cabinet is looked at: frozen, kept over a restart."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated

from pydantic import Field, TypeAdapter

from engraver.core.cabinet import Query

from .state import read_kept

# Sides of the pictures on the wall, in pixels at text size 100 %.
SMALLEST, LARGEST = 64, 320


@dataclass(frozen=True, slots=True)
class CabinetState:
    """How the cabinet is looked at.

    Attributes
    ----------
    side : int
        Of the pictures on the wall, in pixels at text size 100 %.
    drawer : str
        The id of the open drawer: a key of ``STANDING``, or one of the artist's.
    panel : bool
        Whether the chosen one is shown large at the right.
    query : Query
        What is asked beside the drawer; it belongs to the moment.
    near : str
        The id of the entry whose like is shown, "" for none; it belongs to the moment.
    """

    side: Annotated[int, Field(ge=SMALLEST, le=LARGEST)] = 132
    drawer: Annotated[str, Field(max_length=80)] = "all"
    panel: bool = True
    query: Query = field(default_factory=Query)
    near: Annotated[str, Field(max_length=80)] = ""


@dataclass(frozen=True, slots=True)
class Standing:
    """A drawer that every cabinet has: its words, what it asks, and whether it groups what looks the same."""

    id: str
    name: str
    help: str
    query: Query = field(default_factory=Query)
    doubles: bool = False


STANDING = {
    d.id: d
    for d in (
        Standing("all", "Everything", "All that is kept, the newest first"),
        Standing("favourites", "Favourites", "What you marked with a star (F)", Query(favourite=True)),
        Standing("alphas", "Alphas", "Plates without stroke settings", Query(kind="alpha")),
        Standing("brushes", "Brushes", "Plates with all that is set for their strokes", Query(kind="brush")),
        Standing("wrong", "To be mended", "Taken in with something wrong, sorted by what it is", Query(wrong=True)),
        Standing("doubles", "Doubles", "What looks the same, however turned, mirrored or re-toned", doubles=True),
        Standing("session", "Until I close", "Kept until the program closes", Query(scope="session")),
    )
}

_STATE: TypeAdapter[CabinetState] = TypeAdapter(CabinetState)


def read(path: Path) -> CabinetState:
    """How the cabinet was left; as at first where that is missing or broken."""
    found = read_kept(path, _STATE)
    return CabinetState(found.side, found.drawer, found.panel) if found is not None else CabinetState()


def to_json(state: CabinetState) -> bytes:
    """A state as it is kept."""
    return _STATE.dump_json(state)
