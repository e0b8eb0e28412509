"""How the bench's proof is tried."""

from __future__ import annotations

from dataclasses import dataclass, field

from engraver.core.surfaces import Paper
from engraver.core.surfaces.view import Lamp


@dataclass(frozen=True, slots=True)
class ProofSettings:
    """How the proof is tried. ``strength`` None is automatic; with ``repeats`` the plate covers it as a tile;
    ``of_trial`` shows the trial in which the plate was pressed, where there is one."""

    surface: str = "flat"
    cut: bool = False
    strength: float | None = None
    points: int = 1_000_000
    lamp: Lamp = field(default_factory=Lamp)
    repeats: int = 0
    of_trial: bool = True
    paper: Paper = field(default_factory=Paper)
