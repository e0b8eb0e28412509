"""The pack in the making: what is in it, how ready and how each piece looks; measured while the desk is seen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from engraver.core.engine import Engine, Request
from engraver.core.errors import Cancelled, EngraverError, Watch
from engraver.core.pack import Piece, Planned, build, plan
from engraver.core.pack.build import Built
from engraver.core.pack.plan import line_of
from engraver.core.pack.ready import Ready, fixed, ready
from engraver.core.pack.sheet import CAST
from engraver.core.pressing.tip import heights_of
from engraver.core.proof.icon import icon
from engraver.core.proof.relief_light import cast
from engraver.core.readiness import Destination
from engraver.core.recipe import Pack, Project
from engraver.core.recipe.pack import MOST_DESTINATIONS, IconAs
from engraver.core.words import counted

from .casts import Cast
from .filing import Filing
from .lanes import Lane, LatestLane
from .studio import Studio

# Sides at which icons are looked at: told apart at the smallest.
LOOKED_AT = (128, 64, 32)


@dataclass(frozen=True, slots=True)
class _Seen:
    """A piece as it was looked at: by what names its finished picture."""

    key: str
    cast: Cast


class ActivePack(QObject):
    """Edits the project's pack; what is measured belongs to this desk and is asked again when a plate changes.

    Signals
    -------
    changed, measured, chosen_changed
        Another pack or plate; something was measured or drawn; another choice.
    """

    changed = Signal()
    measured = Signal()
    chosen_changed = Signal()

    def __init__(self, studio: Studio, filing: Filing, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.studio, self._filing = studio, filing
        self.chosen: tuple[str, ...] = ()
        self.trouble = ""
        self._planned: tuple[Project, object, Planned] | None = None
        self._seen: dict[str, _Seen] = {}
        self._ready: dict[tuple[str, str], tuple[str, Destination, Ready]] = {}
        self._keys: dict[str, str] = {}
        self._icons: dict[tuple[str, str], dict[int, NDArray[np.uint8]]] = {}
        self._shown = False
        self._lane = LatestLane("pack", stop_old=True, parent=self)
        studio.project_changed.connect(self._follow)
        studio.destinations_changed.connect(self._follow)

    @property
    def lanes(self) -> list[Lane]:
        return [self._lane]

    def come(self) -> None:
        """The desk is seen: what is missing is measured."""
        self._shown = True
        self._follow()

    def go(self) -> None:
        """Nobody looks: nothing more is measured."""
        self._shown = False
        self._lane.stop()

    def end(self) -> None:
        self._lane.end()

    # -- reading -------------------------------------------------------------------

    @property
    def pack(self) -> Pack:
        return self.studio.project.pack

    @property
    def planned(self) -> Planned:
        """What the pack comes to; nothing where its pattern or a destination cannot be used, which is told."""
        project, known = self.studio.project, self.studio.destinations
        if self._planned is None or self._planned[0] is not project or self._planned[1] is not known:
            try:
                made, self.trouble = plan(project, known), ""
            except EngraverError as error:
                made, self.trouble = Planned((), (), (), frozenset()), error.sentence()
            self._planned = project, known, made
        return self._planned[2]

    def readiness(self, piece: Piece, to: Destination) -> Ready | None:
        """How ready a piece is; None while that is not known."""
        found = self._ready.get((piece.id, to.id))
        now = self._keys.get(piece.id), to  # a destination whose rules were changed is measured anew
        return found[2] if found is not None and found[:2] == now else None

    def seen(self, piece: Piece) -> _Seen | None:
        """How a piece looks; None while that is not known, and as it was while it is made anew."""
        return self._seen.get(piece.id)

    def icons(self, piece: Piece) -> dict[int, NDArray[np.uint8]]:
        """The chosen piece's icons by side, uint8 (side, side, 4); none while they are not made."""
        found = self._icons.get((self._keys.get(piece.id, ""), self.pack.icon))
        return found if found is not None else {}

    def counts(self) -> dict[str, int]:
        """How many of all pieces and destinations are good, to look at, faulty, and not yet known."""
        found = {"good": 0, "look": 0, "fault": 0, "unknown": 0}
        for piece in self.planned.pieces:
            for to in self.planned.uses_of(piece):
                one = self.readiness(piece, to)
                verdict = "unknown" if one is None else {"unsure": "good"}.get(one.verdict, one.verdict)
                found[verdict] += 1
        return found

    # -- changing ------------------------------------------------------------------

    def set(self, label: str = "Change the pack", merge: str = "", **changes: Any) -> None:
        """Change something of the pack, as an entry of the history."""
        self.put(Pack.model_validate({**self.pack.model_dump(), **changes}), label, merge)

    def put(self, pack: Pack, label: str, merge: str = "") -> None:
        """Another pack in place."""
        project = self.studio.project.model_copy(update={"pack": pack})
        self.studio.attempt(lambda: self.studio.edit(project, label, merge))

    def add(self, ids: tuple[str, ...]) -> None:
        """Plates and brushes more; the first ones tell what the pack is for: what they have been made ready for."""
        pack, project = self.pack.with_items(ids), self.studio.project
        if not (self.pack.items or self.pack.destinations):
            known = {p.id: p for p in project.plates} | {b.id: b.plate for b in project.brushes}
            uses = dict.fromkeys(self.studio.destination_of(known.get(id)).id for id in ids)
            pack = pack.model_copy(update={"destinations": tuple(uses)[:MOST_DESTINATIONS]})
        self.put(pack, "Add to the pack")

    def remove(self, ids: tuple[str, ...]) -> None:
        """Pieces less; their plates stay."""
        self.put(self.pack.without(ids), "Take out of the pack")

    def choose(self, ids: tuple[str, ...]) -> None:
        """Other pieces are chosen."""
        if ids != self.chosen:
            self.chosen = ids
            self.chosen_changed.emit()
            if self._shown:
                self._measure()

    def leave_out(self, id: str, to: str, why: str) -> None:
        """A piece stays out for a destination, or altogether for ""; in again where ``why`` is ""."""
        label = "Leave out of the pack" if why else "Put back into the pack"
        self.put(self.pack.leave_out(id, to, why), label)

    def leave_out_faults(self) -> int:
        """What has a fault stays out for that destination, with the word that tells of it. Returns how many."""
        pack, count = self.pack, 0
        for piece in self.planned.pieces:
            for to in self.planned.uses_of(piece):
                found = self.readiness(piece, to)
                if found is not None and found.verdict == "fault":
                    pack, count = pack.leave_out(piece.id, to.id, found.words()), count + 1
        self.put(pack, "Leave out what has a fault")
        return count

    def fix_all(self) -> None:
        """Every fix that helps, for every piece and destination, in one entry of the history."""
        studio, project, planned = self.studio, self.studio.project, self.planned

        def work(check: Watch) -> tuple[Project, list[str]]:
            return fixed(project, planned, studio.engine, check)

        def done(made: tuple[Project, list[str]]) -> None:
            if studio.project is not project:
                studio.told.emit("Something was changed meanwhile: press Fix all again.", "look")
                return
            count = len(made[1])
            studio.attempt(lambda: studio.edit(made[0], "Fix all in the pack"))
            words = f"{counted(count, 'fix', 'fixes')} made." if count else "There is nothing that a fix helps."
            studio.told.emit(words, "good" if count else "look")

        self._filing.tasks.add("Fixing the pack…", work, done, self._failed)

    def write(self, out: Path, done: Callable[[Built], None]) -> None:
        """Write the pack, or refresh the one that lies there."""
        studio, project, known = self.studio, self.studio.project, self.studio.destinations

        def work(check: Watch) -> Built:
            return build(project, out, studio.engine, known=known, check=check)

        self._filing.tasks.add(f"Packing {out.name}…", work, done, self._failed, must=True)

    def _failed(self, error: EngraverError) -> None:
        self.studio.told.emit(error.sentence(), "fault")

    # -- measuring -----------------------------------------------------------------

    def _follow(self) -> None:
        there = {item.id for item in self.pack.items}
        if any(id not in there for id in self.chosen):
            self.choose(tuple(id for id in self.chosen if id in there))
        self.changed.emit()
        if self._shown:
            self._measure()

    def _measure(self) -> None:
        """Look at what is not known yet: first how pieces look, then how ready they are; told one by one."""
        planned, project = self.planned, self.studio.project
        engine = self.studio.engine
        for piece in planned.pieces:
            try:
                self._keys[piece.id] = line_of(project, piece, engine.sources).keys[-1]
            except EngraverError:
                self._keys[piece.id] = ""
        unseen = [p for p in planned.pieces if self._known_key(p) != self._keys[p.id] and self._keys[p.id]]
        unmeasured = [
            (p, to) for p in planned.pieces for to in planned.uses_of(p) if self.readiness(p, to) is None
        ]  # fmt: skip
        bare = [
            p for p in planned.pieces
            if p.id in self.chosen[-1:] and self._keys[p.id] and (self._keys[p.id], self.pack.icon) not in self._icons
        ]  # fmt: skip
        if not unseen and not unmeasured and not bare:
            return
        keys, kind = dict(self._keys), self.pack.icon

        def work(check: Watch) -> tuple[str, object]:
            if unseen:
                return "seen", [(p.id, _looked_at(project, p, keys[p.id], engine, check)) for p in unseen[:4]]
            if bare:
                return "icons", ((keys[bare[0].id], kind), _icons_of(project, bare[0], kind, engine, check))
            piece, to = unmeasured[0]
            return "ready", (piece.id, to, keys[piece.id], ready(project, piece, to, engine, check))

        def done(found: tuple[str, Any]) -> None:
            if found[0] == "seen":
                for id, seen in found[1]:
                    self._seen[id] = seen
            elif found[0] == "icons":
                self._icons = {**dict(list(self._icons.items())[-40:]), found[1][0]: found[1][1]}
            else:
                id, to, key, one = found[1]
                self._ready[id, to.id] = key, to, one
            self.measured.emit()
            if self._shown:
                self._measure()

        self._lane.submit(work, done, lambda error: None)

    def _known_key(self, piece: Piece) -> str:
        known = self._seen.get(piece.id)
        return known.key if known is not None else ""


def _icons_of(
    project: Project, piece: Piece, kind: IconAs, engine: Engine, check: Watch
) -> dict[int, NDArray[np.uint8]]:  # fmt: skip
    """A piece's icons as they are looked at; none where it cannot be computed."""
    try:
        raster = engine.evaluate(line_of(project, piece, engine.sources), Request(side=512), check).raster
        height = heights_of(raster)
        return {
            side: icon(height, kind=kind, side=side, cache=engine.sources.cache, check=check) for side in LOOKED_AT
        }
    except Cancelled:
        raise
    except EngraverError:
        return {}


def _looked_at(project: Project, piece: Piece, key: str, engine: Engine, check: Watch) -> _Seen:
    """A piece as a cast; an empty one where it cannot be computed, which its readiness tells."""
    try:
        raster = engine.evaluate(line_of(project, piece, engine.sources), Request(side=2 * CAST), check).raster
        return _Seen(key, cast(heights_of(raster), CAST))
    except Cancelled:
        raise
    except EngraverError:
        return _Seen(key, np.full((CAST, CAST, 3), 128, np.uint8))
