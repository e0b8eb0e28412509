"""The cabinet in use: what is asked of it, what was found, what is chosen. What reads it runs off this thread."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, TypeVar

from PySide6.QtCore import QObject, Signal

from engraver.core.cabinet import Cabinet, Entry, Listed, Query, drawers
from engraver.core.cabinet.drawers import Drawer
from engraver.core.cabinet.sessions import Session
from engraver.core.cabinet.undo_log import Change, UndoLog
from engraver.core.errors import EngraverError, Watch

from . import cabinet_state
from .cabinet_state import STANDING, CabinetState
from .casts import Casts
from .lanes import Lane, LatestLane, TaskQueue
from .studio import Studio

# How many are shown of what looks alike.
NEAR = 120
# How many are found before any is shown, and at most.
FIRST, ALL = 400, 100_000
Answer = TypeVar("Answer")


def _nothing(_: object) -> None:
    """Nobody waits for it."""


@dataclass(frozen=True, slots=True)
class Found:
    """What a wall shows: the entries in order, or the first of them while the rest comes; ``trouble`` tells what is
    wrong with the cabinet itself."""

    listed: tuple[Listed, ...] = ()
    read_only: bool = False
    trouble: str = ""
    whole: bool = True


@dataclass(frozen=True, slots=True)
class Chest:
    """The drawers with how many lie in each, and what entries can be asked for."""

    drawers: tuple[Drawer, ...] = ()
    counts: dict[str, int] = field(default_factory=dict)
    projects: tuple[str, ...] = ()
    destinations: tuple[str, ...] = ()


class ActiveCabinet(QObject):
    """Asks and changes the cabinet; views follow its signals.

    Signals
    -------
    found_changed, chosen_changed, chest_changed, looked
        Other entries, another choice, other drawers or counts, another state of looking.
    recorded
        Something was changed that can be taken back: a :class:`Change`.
    """

    found_changed = Signal()
    chosen_changed = Signal()
    chest_changed = Signal()
    looked = Signal()
    recorded = Signal(object)
    working = Signal(str)

    def __init__(self, studio: Studio, folder: Path, kept: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.studio, self.folder, self._kept = studio, folder, kept
        self.state = cabinet_state.read(kept)
        self.found, self.chest = Found(), Chest()
        self.chosen: tuple[str, ...] = ()
        self.entry: Entry | None = None
        self.history: list[tuple[float, str]] = []
        self.asked = self._ready = False
        self._session: Session | None = None
        self._open: dict[str, Cabinet] = {}
        self._undo_log: UndoLog | None = None
        self.casts = Casts(folder, self)
        self._searching = LatestLane("cabinet search", stop_old=False, parent=self)
        self._counting = LatestLane("cabinet drawers", stop_old=False, parent=self)
        self._looking = LatestLane("cabinet entry", stop_old=False, parent=self)
        self.tasks = TaskQueue("cabinet", self)
        self.taking = TaskQueue("taking in", self)
        self.taking.changed.connect(self._tell_taking)
        self.taking.progressed.connect(lambda task, share: self.working.emit(f"{task.words} {share * 100:.0f} %"))

    @property
    def lanes(self) -> list[Lane]:
        return [self._searching, self._counting, self._looking, self.tasks, self.taking, *self.casts.lanes]

    @property
    def session(self) -> Session:
        """This program's time with the cabinet; begun when it is first needed."""
        if self._session is None:
            self._session = Session(self.folder)
        return self._session

    def _cabinet(self, lane: str) -> Cabinet:
        """A lane's own open cabinet; asked for on its thread."""
        if lane not in self._open:
            self._open[lane] = Cabinet(self.folder, self.session)
        return self._open[lane]

    # -- asking --------------------------------------------------------------------

    @property
    def query(self) -> Query:
        """All that is asked: by the open drawer and beside it."""
        asked = self.drawer_query(self.state.drawer)
        more = self.state.query.model_dump(exclude_defaults=True)
        words = " ".join(w for w in (asked.words, self.state.query.words) if w)
        # What is kept for another project is seen there, and where it is asked for.
        within = self.studio.project.name if self.state.query.scope is None else None
        return asked.model_copy(update={**more, "words": words, "within": within})

    def drawer_query(self, id: str) -> Query:
        """What finds what lies in a drawer; everything where it is gone."""
        if id in STANDING:
            return STANDING[id].query
        mine = next((d for d in self.chest.drawers if d.id == id), None)
        return mine.asks if mine is not None else Query(drawer=id)

    def names(self) -> dict[str, str]:
        """All drawers by id, in order."""
        return {id: d.name for id, d in STANDING.items()} | {d.id: d.name for d in self.chest.drawers}

    def come(self) -> None:
        """The desk is shown: what another desk or program has kept meanwhile is seen."""
        _ = self.session
        self.refresh()

    def refresh(self) -> None:
        """Ask again: something may be another."""
        self.search()
        self._counting.submit(self._count, self._counted, self._failed)
        if self.chosen:
            self._look()

    def search(self, most: int = FIRST) -> None:
        """Ask for what the state says; where more is found than is seen at once, the rest comes after."""
        query, near = self.query, self.state.near
        doubles = self._doubles() and not near

        def work(check: Watch) -> Found:
            cabinet = self._cabinet("search")
            some = query if doubles else query.model_copy(update={"most": most})
            listed = cabinet.listed_near(near, NEAR, query) if near else cabinet.listed(some)
            if doubles:
                by_id = {e.id: e for e in listed}
                listed = [by_id[id] for group in cabinet.doubles() for id in group if id in by_id]
            return Found(tuple(listed), cabinet.read_only, whole=doubles or len(listed) < most)

        def failed(error: EngraverError) -> None:
            self._found(Found(trouble=error.sentence()))

        self.asked = True
        self._searching.submit(work, self._found, failed)

    def _doubles(self) -> bool:
        drawer = self.state.drawer
        return drawer in STANDING and STANDING[drawer].doubles

    def _found(self, found: Found) -> None:
        self.found = found
        if not found.whole:
            self.search(ALL)
        there = {e.id for e in found.listed}
        self.found_changed.emit()
        if not self._ready and found.whole and not found.trouble:
            self._ready = True
            self._searching.submit(lambda check: self._cabinet("search").make_ready(), _nothing, _nothing)
        if found.whole and any(id not in there for id in self.chosen):
            self.choose(tuple(id for id in self.chosen if id in there))

    def _count(self, check: Watch) -> Chest:
        cabinet = self._cabinet("count")
        mine = drawers.drawers(cabinet)
        asked = {d.id: d.asks for d in mine} | {d.id: d.query for d in STANDING.values() if not d.doubles}
        counts = {id: cabinet.counted(query) for id, query in asked.items()}
        check()
        counts |= {d.id: sum(len(g) for g in cabinet.doubles()) for d in STANDING.values() if d.doubles}
        return Chest(tuple(mine), counts, tuple(cabinet.values("project")), tuple(cabinet.values("destination")))

    def _counted(self, chest: Chest) -> None:
        self.chest = chest
        known = set(STANDING) | {d.id for d in chest.drawers}
        if self.state.drawer not in known:
            self.look(drawer="all")
        self.chest_changed.emit()

    def look(self, **changes: Any) -> None:
        """Look otherwise; asks again where that matters."""
        state = replace(self.state, **changes)
        if state == self.state:
            return
        asks = (state.drawer, state.query, state.near) != (self.state.drawer, self.state.query, self.state.near)
        self.state = state
        self.looked.emit()
        if asks:
            self.search()

    def ask(self, **changes: Any) -> None:
        """Another question beside the drawer."""
        self.look(query=self.state.query.model_copy(update=changes))

    # -- choosing ------------------------------------------------------------------

    def choose(self, ids: Iterable[str]) -> None:
        """Other entries are chosen; the last of them is shown large."""
        chosen = tuple(ids)
        if chosen != self.chosen:
            self.chosen = chosen
            self.chosen_changed.emit()
            self._look()

    @property
    def shown(self) -> Listed | None:
        """The entry that is shown large."""
        last = self.chosen[-1] if self.chosen else ""
        return next((e for e in self.found.listed if e.id == last), None)

    def _look(self) -> None:
        last = self.chosen[-1] if self.chosen else ""
        if not last:
            self._looking.drop()
            self._looked_at((None, []))
            return

        def work(check: Watch) -> tuple[Entry | None, list[tuple[float, str]]]:
            cabinet = self._cabinet("entry")
            return cabinet.entry(last), cabinet.history(last)

        self._looking.submit(work, self._looked_at, lambda _: self._looked_at((None, [])))

    def _looked_at(self, told: tuple[Entry | None, list[tuple[float, str]]]) -> None:
        self.entry, self.history = told
        self.chosen_changed.emit()

    # -- changing ------------------------------------------------------------------

    def change(
        self, work: Callable[[Cabinet], Answer], done: Callable[[Answer], object] = lambda _: None, words: str = "",
        label: str = "",
    ) -> None:  # fmt: skip
        """Do something to the cabinet, then ask again; what goes wrong is told. With a label, which says what was
        done, it can be taken back; ``words`` say what is going on."""

        def act(check: Watch) -> tuple[Answer, Change | None]:
            return self._log().record(work, label)

        def ended(made: tuple[Answer, Change | None]) -> None:
            answer, change = made
            if change is not None:
                self.recorded.emit(change)
            done(answer)
            self.after()

        self.tasks.add(words, act, ended, self._failed, must=True)

    def _log(self) -> UndoLog:
        """What writes down how changes are taken back; asked for on the thread that changes."""
        if self._undo_log is None:
            self._undo_log = UndoLog(self._cabinet("change"))
        return self._undo_log

    def undo(self, change: Change, done: Callable[[Change | None], object]) -> None:
        """Undo a change; ``done`` is given the one that does it again. What goes wrong is told."""

        def ended(again: Change | None) -> None:
            done(again)
            self.after()

        def failed(error: EngraverError) -> None:
            self._failed(error)
            self.after()  # another program's changes, which were in the way, are seen

        self.tasks.add("", lambda check: self._log().undo(change), ended, failed, must=True)

    def after(self) -> None:
        """Something was kept or changed: who looks at the cabinet sees it."""
        if self.asked:
            self.refresh()

    def set_entries(self, ids: Iterable[str], label: str, **changes: Any) -> None:
        """Change something of entries: favourite, colour, scope, name, tags, notes."""
        chosen = tuple(ids)
        self.change(lambda cabinet: cabinet.change_each((id, changes) for id in chosen), label=label)

    def _failed(self, error: EngraverError) -> None:
        self.studio.told.emit(error.sentence(), "fault")

    def _tell_taking(self) -> None:
        tasks = self.taking.open
        self.working.emit(tasks[0].words if tasks else "")

    def keep_state(self) -> tuple[Path, bytes]:
        """Where and how the state of looking is kept."""
        state = CabinetState(self.state.side, self.state.drawer, self.state.panel)
        return self._kept, cabinet_state.to_json(state)

    def end(self) -> None:
        """The program closes: what was kept until then goes, and what killed programs left."""
        for lane in self.lanes:
            lane.end()
        if self._session is None:
            return
        cabinet = next(iter(self._open.values()), None)
        if cabinet is not None:
            with suppress(EngraverError):  # it is damaged: the next check tells of it
                cabinet.let_go([self._session.id, *self._session.ended(cabinet.sessions())])
        for one in self._open.values():
            one.close()
        self._session.end()
