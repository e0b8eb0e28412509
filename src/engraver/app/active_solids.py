"""The list of solids of the chosen plate: read off the window's thread, edited as one entry a gesture."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from engraver.core.errors import Watch
from engraver.core.recipe import Source
from engraver.core.solids.model import Solid, Solids
from engraver.core.sources.solids import SOLIDS, listed, with_solids

from .captures import Captures
from .pictures import Pictures
from .studio import Studio


class ActiveSolids(QObject):
    """Holds the list, and which of it is chosen; tells when either changes."""

    changed = Signal()
    chosen_changed = Signal()

    def __init__(self, studio: Studio, pictures: Pictures, captures: Captures, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._studio, self._pictures, self._captures = studio, pictures, captures
        self.solids: Solids = ()
        self.place = 0
        self._sha = ""
        studio.project_changed.connect(self.follow)
        studio.selection_changed.connect(self.follow)

    @property
    def chosen(self) -> Solid | None:
        """The chosen solid."""
        return self.solids[self.place] if 0 <= self.place < len(self.solids) else None

    def choose(self, place: int) -> None:
        """Choose one by its place in the list."""
        if place != self.place:
            self.place = place
            self.chosen_changed.emit()

    def _source(self) -> Source | None:
        plate = self._studio.plate
        source = None if plate is None else self._studio.project.source(plate.source)
        return source if source is not None and source.kind == SOLIDS.id else None

    def follow(self) -> None:
        """Follow the chosen plate; its list is read off the window's thread where it is not known."""
        source, store = self._source(), self._studio.sources
        if source is None:
            self.solids, self._sha = (), ""
            return
        sha256 = source.file.sha256
        if sha256 == self._sha:
            return

        def work(check: Watch) -> Solids:
            return listed(source, store)

        def done(solids: Solids) -> None:
            now = self._source()
            if now is not None and now.file.sha256 == sha256:
                self._sha, self.solids = sha256, solids
                self.place = min(self.place, len(solids) - 1)
                self.changed.emit()

        self._pictures.ask("", work, done)

    def tell(self, solids: Solids, label: str, *, done: bool = True) -> None:
        """Put another list in place; a gesture is one entry until it is ``done``."""
        source = self._source()
        if source is None:
            return
        made = with_solids(source, solids, self._studio.sources)
        self._sha, self.solids = made.file.sha256, solids
        self.place = min(max(0, self.place), len(solids) - 1)
        sources = tuple(made if s.id == source.id else s for s in self._studio.project.sources)
        self._studio.coarse_mesh(True)
        self._captures.rest.start()
        project = self._studio.project.model_copy(update={"sources": sources})
        self._studio.edit(project, label, f"{source.id} solids")
        if done:
            self._studio.seal()
        self.changed.emit()

    def put(self, solid: Solid, label: str, *, done: bool = True) -> None:
        """Put another solid in the place of the chosen one."""
        self.tell(tuple(solid if n == self.place else s for n, s in enumerate(self.solids)), label, done=done)
