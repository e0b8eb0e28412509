"""How the proof desk is left: what the hand does next and how surfaces are looked at. Frozen, kept over a restart."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import astuple, dataclass, field, replace
from pathlib import Path
from typing import Annotated

from pydantic import Field, TypeAdapter

from engraver.core.pressing.gesture import MOST_ARMS, Does, GestureKind, Keeps
from engraver.core.pressing.settings import StrokeSettings, checked
from engraver.core.surfaces import SURFACES, surface
from engraver.core.surfaces.kind import Paper
from engraver.core.surfaces.view import Eye, Lamp

from .state import read_kept

ZOOMS = (0.3, 24.0)
# How hard tools work at first.
TOOL_FLOW = 0.5


@dataclass(frozen=True, slots=True)
class ProofState:
    """What the hand does next, and how surfaces are looked at.

    Attributes
    ----------
    tool : str
        The kind of gesture; a key of ``GESTURES``.
    settings : StrokeSettings
        Of the next gesture with a plate.
    put_aside : StrokeSettings or None
        What *Neutral* turned off, to come back.
    brush : str
        The id of the brush in the hand; "" for none.
    tool_size : float
        Width of smoothing and scraping, as a share of the surface's.
    tool_flow : float
        How much they do at once.
    mirror, arms
        The symmetry of the next gesture.
    reach : float
        How far a point of a curve pulls its neighbours along, as a share of the surface's width.
    corner : bool
        Marks are dragged out from a corner.
    keeps : str
        What a smoothing keeps.
    practice : bool
        The practice pen plays the pressure.
    second : int
        Points of the second density beside the first; 0 for none.
    lines : bool
        The grid of triangles is shown.
    eyes, lamps : mapping
        By surface.
    paper : Paper
    """

    tool: Does = "stroke"
    settings: StrokeSettings = field(default_factory=StrokeSettings)
    put_aside: StrokeSettings | None = None
    brush: Annotated[str, Field(max_length=80)] = ""
    tool_size: Annotated[float, Field(ge=0.002, le=2)] = 0.16
    tool_flow: Annotated[float, Field(ge=0, le=1)] = TOOL_FLOW
    mirror: bool = False
    arms: Annotated[int, Field(ge=1, le=MOST_ARMS)] = 1
    reach: Annotated[float, Field(ge=0, le=1)] = 0.0
    corner: bool = False
    keeps: Keeps = "nothing"
    practice: bool = False
    second: Annotated[int, Field(ge=0, le=4_000_000)] = 0
    lines: bool = False
    panel: bool = True
    eyes: Mapping[str, Eye] = field(default_factory=dict)
    lamps: Mapping[str, Lamp] = field(default_factory=dict)
    paper: Paper = field(default_factory=Paper)

    @property
    def seen(self) -> tuple[object, ...]:
        """What changes pictures, apart from eye and light."""
        return self.second, self.lines, self.paper

    def settings_for(self, kind: GestureKind) -> StrokeSettings:
        """Those of the next gesture of a kind: the plate's, or those of the tool without one."""
        if kind.plate:
            return self.settings
        return checked(size=self.tool_size, flow=self.tool_flow, spacing=0.15, fall="soft")

    def eye(self, id: str) -> Eye:
        """Where a surface is looked at from."""
        return self.eyes.get(id, surface(id).eye)

    def lamp(self, id: str) -> Lamp:
        """How a surface is lit."""
        return self.lamps.get(id, surface(id).lamp)

    def with_eye(self, id: str, eye: Eye) -> ProofState:
        """The same with a surface looked at from elsewhere, no farther than it can be turned."""
        low, high = surface(id).tilts
        zoom = min(ZOOMS[1], max(ZOOMS[0], eye.zoom))
        eye = replace(eye, tilt=min(high, max(low, eye.tilt)), zoom=zoom).moved(0, 0)
        return replace(self, eyes={**self.eyes, id: eye})

    def with_lamp(self, id: str, lamp: Lamp) -> ProofState:
        return replace(self, lamps={**self.lamps, id: lamp})


_STATE: TypeAdapter[ProofState] = TypeAdapter(ProofState)


def read(path: Path) -> ProofState:
    """How the desk was left, without symmetry, which would surprise; as at first where that is missing or broken."""
    found = read_kept(path, _STATE)
    if found is None:
        return ProofState()
    looked: list[Eye | Lamp] = [*found.eyes.values(), *found.lamps.values()]
    if not all(math.isfinite(number) for one in looked for number in astuple(one)):
        return ProofState()
    possible = ProofState()
    for id, eye in found.eyes.items():
        if id in SURFACES:
            possible = possible.with_eye(id, eye)
    lamps = {id: lamp for id, lamp in found.lamps.items() if id in SURFACES}
    return replace(found, mirror=False, arms=1, eyes=possible.eyes, lamps=lamps)


def to_json(state: ProofState) -> bytes:
    """A state as it is kept."""
    return _STATE.dump_json(state)
