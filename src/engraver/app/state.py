"""What is only looked at: frozen, kept over a change of look and a restart, never in the project."""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar

from pydantic import AfterValidator, Field, FiniteFloat, TypeAdapter, ValidationError
from PySide6.QtCore import QObject, Signal

from engraver.core.surfaces import ON_BENCH, SURFACES, surface
from engraver.core.surfaces.view import MOST_PAN, Eye

Place = tuple[FiniteFloat, FiniteFloat]
_Share = Annotated[float, Field(ge=-1.0, le=2.0)]
SectionEnd = tuple[_Share, _Share]
ZOOMS = (0.02, 32.0)
EYE_ZOOMS = (0.4, 12.0)
_MOST_BYTES = 200_000
State = TypeVar("State")


@dataclass(frozen=True, slots=True)
class Overlays:
    """What is drawn over the plate."""

    clipping: bool = False
    below: bool = False
    border: bool = False
    guides: bool = False
    section: bool = True
    repeat: bool = False
    strokes: bool = True


def _possible(eyes: dict[str, Eye]) -> dict[str, Eye]:
    """Raises ValueError for an eye that no hand can turn to; surfaces that are gone are left out."""
    for id, eye in eyes.items():
        low, high = surface(id).tilts if id in SURFACES else (0.0, 90.0)
        near = EYE_ZOOMS[0] <= eye.zoom <= EYE_ZOOMS[1] and max(abs(eye.x), abs(eye.y)) <= MOST_PAN
        if not (low <= eye.tilt <= high and abs(eye.turn) < 1e6 and near):
            raise ValueError(f"the eye of {id}")
    return {id: eye for id, eye in eyes.items() if id in SURFACES}


def _first_eyes() -> dict[str, Eye]:
    return {kind.id: kind.eye for kind in ON_BENCH.values()}


@dataclass(frozen=True, slots=True)
class BenchState:
    """How the bench is looked at.

    Attributes
    ----------
    shown : {"both", "plate", "proof"}
        Which of the two views.
    tray, settings : bool
        Whether they are unfolded.
    wide_tray : bool
        The plates stand in three columns.
    split : tuple of int
        Widths of the views, in pixels.
    zoom : float or None
        Screen pixels per pixel of the plate; None fits it. Zoom and pan belong to the moment: they are
        kept over a change of look, not over a restart.
    pan : (float, float)
        Of the plate's middle from the view's, in screen pixels.
    section : two places
        Ends of the section line, as shares of the plate.
    overlays : Overlays
    eyes : mapping
        Where each surface is looked at from, by its id.
    """

    shown: Literal["both", "plate", "proof"] = "both"
    tray: bool = True
    wide_tray: bool = False
    settings: bool = True
    split: Annotated[tuple[int, ...], Field(max_length=3)] = (500, 500, 500)
    zoom: Annotated[float, Field(ge=ZOOMS[0], le=ZOOMS[1])] | None = None
    pan: Place = (0.0, 0.0)
    section: tuple[SectionEnd, SectionEnd] = ((0.0, 0.47), (1.0, 0.47))
    overlays: Overlays = field(default_factory=Overlays)
    eyes: Annotated[dict[str, Eye], AfterValidator(_possible)] = field(default_factory=_first_eyes)

    def eye(self, surface: str) -> Eye:
        """Where a surface is looked at from."""
        return self.eyes.get(surface, SURFACES[surface].eye)


_BENCH: TypeAdapter[BenchState] = TypeAdapter(BenchState)


def read_kept(path: Path, kind: TypeAdapter[State]) -> State | None:
    """A state as it was kept; None where it is missing, broken, or larger than any state can be."""
    try:
        return None if path.stat().st_size > _MOST_BYTES else kind.validate_json(path.read_bytes())
    except (OSError, ValueError, ValidationError, RecursionError):
        return None


def read(path: Path) -> BenchState:
    """How the bench was left, without zoom and pan; as at first where that is missing or broken."""
    found = read_kept(path, _BENCH)
    if found is None:
        return BenchState()
    return replace(found, zoom=None, pan=(0.0, 0.0), eyes={**_first_eyes(), **found.eyes})


def to_json(state: BenchState) -> bytes:
    """A state as it is kept."""
    return _BENCH.dump_json(state)


class Looks(QObject):
    """Holds the present state and tells when it changes."""

    changed = Signal()

    def __init__(self, bench: BenchState, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.bench = bench

    def set(self, **changes: Any) -> None:
        """Look otherwise. Raises TypeError for what the state does not have."""
        known = {f.name for f in fields(BenchState)}
        if not set(changes) <= known:
            raise TypeError(f"the bench has no {', '.join(set(changes) - known)}")
        bench = replace(self.bench, **changes)
        if bench != self.bench:
            self.bench = bench
            self.changed.emit()
