"""Which other place of the line is seen beside the chosen one, left of a line across the plate that is pulled."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from engraver.core.engine import Line

from .studio import Studio

# Of what is compared with: uids of steps besides, "" for the source.
BEFORE, FINISHED = "before", "finished"
Place = tuple[str | None, bool]


class Parting(QObject):
    """One per window. ``with_`` is what is compared with, None for nothing; ``share`` where the line stands."""

    changed = Signal()

    def __init__(self, studio: Studio, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._studio = studio
        self.with_: str | None = None
        self.share = 0.5

    def compare(self, with_: str | None) -> None:
        """Compare with another place of the line, or with nothing any more."""
        if with_ != self.with_:
            self.with_ = with_
            self.changed.emit()

    def switch(self) -> None:
        """The plate before the step beside it, or nothing any more."""
        self.compare(BEFORE if self.with_ is None else None)

    def choices(self, line: Line) -> list[tuple[str, str]]:
        """What can be compared with, and its name."""
        steps = [(step.uid, step.title) for step in line.steps]
        return [(BEFORE, "Before this step"), ("", "Source"), *steps, (FINISHED, "Finished plate")]

    def other(self, line: Line, uid: str | None, before: bool) -> Place | None:
        """The other place as ``uid`` and whether before it; None where nothing is compared.

        Two places that are the same are not compared: then it is the step itself, what enters it, the source or the
        finished plate, whichever differs first. A step of another line counts as *before this step*.
        """
        if self.with_ is None or self._studio.peeking:
            return None
        known = {"", *(step.uid for step in line.steps)}
        wanted: Place = (self.with_, False) if self.with_ in known else (uid, True)
        if self.with_ == FINISHED:
            wanted = (None, False)
        places: tuple[Place, ...] = (wanted, (uid, True), (uid, False), ("", False), (None, False))
        here = line.place_of(uid, before)
        return next((place for place in places if line.place_of(*place) != here), None)

    def words(self, line: Line, place: Place) -> str:
        """What a place is called."""
        uid, before = place
        title = next((step.title for step in line.steps if step.uid == uid), "Source" if uid == "" else "Finished")
        return f"Before {title.lower()}" if before and uid else title
