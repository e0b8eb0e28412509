"""Pictures as they were last seen: laid by when the hand rests, so that a project that is opened again shows at once.

Nothing of it is truth: everything is computed again all the same, and what is told of a plate comes from that.
"""

from __future__ import annotations

import hashlib
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from engraver.core.engine import Engine
from engraver.core.engine.at_hand import Listening, put_back
from engraver.core.errors import Watch
from engraver.core.files.shelf import Kept, Shelf

from .lanes import Lane, LatestLane
from .looking import LookWish, look_at

# What has been seen is laid by once it has stood so long, but seldom: pictures take some megabytes. At the end of the
# program it is laid by if that takes no longer than so many seconds.
REST_MS, SELDOM_MS, END_S = 2500, 60_000, 0.6
_STEP = "step "
Picture = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class SeenProof:
    """A proof at rest, the strip below it (empty where there is none), and the strength; ``key`` names all that it
    was drawn from. With it the little pictures of the line's steps, by uid, where it was seen another time."""

    key: str
    picture: Picture
    strip: Picture
    strength: float
    thumbs: Mapping[str, Picture] = field(default_factory=dict)


class LastSeen(QObject):
    """Lays pictures by and finds them again, off the window's thread; without a folder it keeps nothing."""

    # Whether anything was found of the line that is looked at first.
    answered = Signal(bool)

    def __init__(self, folder: Path | None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._shelf = None if folder is None else Shelf(folder)
        self._lane = LatestLane("seen", stop_old=False, parent=self)
        self._sought: set[str] = set()
        self._proofs: dict[str, SeenProof] = {}
        self._laid: dict[str, str] = {}
        self._laid_tray: tuple[str, ...] = ()
        self._little: tuple[str, Mapping[str, Picture]] = "", {}
        self._todo: dict[str, Callable[[Watch], None]] = {}
        self._laid_at: float | None = None
        self._timer = QTimer(self, singleShot=True)
        self._timer.timeout.connect(self.lay_by)

    @property
    def lanes(self) -> list[Lane]:
        return [self._lane]

    def finish(self) -> None:
        """The program ends: what waits is laid by, unless that takes long."""
        self.lay_by().wait(END_S)

    # -- found again -----------------------------------------------------------------

    def take_up(self, engine: Engine, wish: LookWish) -> None:
        """Put what was last seen of a line into the engine's cache; in the thread that is about to look at it."""
        last, name = wish.line.keys[-1], _of_line(wish)
        if name in self._sought:
            return
        self._sought.add(name)
        kept = None if self._shelf is None else self._shelf.get(name)
        good = kept is not None and kept.words.get("line") == last
        if kept is not None and good:
            try:
                put_back(engine.cache, kept)
                key, strength = str(kept.words["proof"]), float(kept.words["strength"])
                thumbs = {k.removeprefix(_STEP): one for k, one in kept.arrays.items() if k.startswith(_STEP)}
                self._proofs[last] = SeenProof(key, kept.arrays["proof"], kept.arrays["strip"], strength, thumbs)
                self._laid[name] = f"{last} {wish.side} {key}"
            except (ValueError, KeyError, TypeError):
                good = False
        self.answered.emit(good)

    def proof(self, line: str, key: Callable[[], str]) -> SeenProof | None:
        """The proof of a line, by its last key, where it was drawn from the very same."""
        found = self._proofs.get(line)
        return found if found is not None and found.key == key() else None

    # -- laid by ---------------------------------------------------------------------

    def steps_rest(self, line: str, thumbs: Mapping[str, Picture]) -> None:
        """The steps of a line, by its last key, look like this; it is laid by with the line."""
        self._little = line, thumbs

    def proof_rests(self, engine: Engine, wish: LookWish, proof: SeenProof) -> None:
        """This is what is seen now, at rest: it is laid by when it stays."""
        last, name = wish.line.keys[-1], _of_line(wish)
        seen = f"{last} {wish.side} {proof.key}"
        self._proofs.pop(last, None)  # by now it is drawn as quickly
        shelf = self._shelf
        if shelf is None or self._laid.get(name) == seen:
            self._todo.pop("look", None)
            return

        def work(check: Watch) -> None:
            # As it is seen when its project is opened, with the source chosen; and with the step that is chosen now.
            asked = replace(wish, full_size=False, reveal=False, traced=False, beside=None)
            cache = Listening(engine.cache)
            for one in (replace(asked, uid="", before=False), asked):
                look_at(engine, one, check)  # what is missing is made now, with all that is made on the way
                look_at(Engine(engine.sources, cache), one, check)
            heard = cache.heard()
            arrays = {**heard.arrays, "proof": proof.picture, "strip": proof.strip}
            of, thumbs = self._little
            arrays |= {f"{_STEP}{uid}": one for uid, one in thumbs.items() if of == last}
            words = {**heard.words, "line": last, "proof": proof.key, "strength": proof.strength}
            shelf.put(name, Kept(arrays, words))
            self._laid[name] = seen

        self._wait("look", work)

    def _wait(self, what: str, work: Callable[[Watch], None]) -> None:
        self._todo[what] = work
        since = SELDOM_MS if self._laid_at is None else round(1000 * (time.monotonic() - self._laid_at))
        self._timer.start(max(REST_MS, SELDOM_MS - since))

    def lay_by(self) -> threading.Event:
        """What waits is laid by now; returns what tells when that is done."""
        self._timer.stop()
        (todo, self._todo), ended = (tuple(self._todo.values()), {}), threading.Event()

        def work(check: Watch) -> None:
            try:
                for one in todo:
                    one(check)
            finally:
                ended.set()

        if todo:
            self._laid_at = time.monotonic()
            self._lane.submit(work, lambda _: None, lambda _: None)
        else:
            ended.set()
        return ended

    # -- the tray --------------------------------------------------------------------

    def tray(self, project: str) -> dict[str, Picture]:
        """Pictures of a project's plates as the tray last showed them, by what they were drawn from."""
        kept = None if self._shelf is None else self._shelf.get(f"tray {project}")
        return {} if kept is None else dict(kept.arrays)

    def tray_rests(self, project: str, pictures: Mapping[str, Picture]) -> None:
        """The tray shows these now: they are laid by when they stay."""
        shown, shelf = (project, *pictures), self._shelf
        if shelf is not None and pictures and shown != self._laid_tray:
            self._laid_tray = shown
            self._wait("tray", lambda check: shelf.put(f"tray {project}", Kept(pictures)))


def _of_line(wish: LookWish) -> str:
    """One thing a plate: its source, and what it is made by."""
    kinds = " ".join(step.kind for step in wish.line.steps)
    return f"look {wish.line.keys[0]} {wish.line.seed} {hashlib.blake2b(kinds.encode(), digest_size=8).hexdigest()}"
