"""What the command line asks of a window that starts."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, slots=True)
class StartWish:
    """The demo project or files, else the work that was kept.

    For the demo: the proof's surface, a plate, a step of it (or "source"), and what is shown; a trial by its name,
    with a gesture of it (counted from 1), a second density, and an open group of stroke settings; a desk, with a
    piece of it by its name.
    """

    demo: bool = False
    files: tuple[Path, ...] = ()
    surface: str | None = None
    plate: str = ""
    step: str = ""
    reveal: bool = False
    sheet: str = ""
    repeat: bool = False
    large: bool = False
    trial: str = ""
    gesture: int = 0
    beside: int = 0
    group: str = ""
    desk: str = ""
    piece: str = ""

    @property
    def words(self) -> str:
        """What is being opened, for the artist."""
        if self.demo:
            return "Opening Saltmarrow Quay…"
        return f"Opening {self.files[0].name}…" if self.files else ""
