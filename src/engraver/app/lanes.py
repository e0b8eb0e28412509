"""Background work: lanes for pictures, where the newest wish wins, and a queue for tasks, where every one is done."""

from __future__ import annotations

import os
import sys
import threading
from collections import deque
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from enum import Enum
from typing import Any, Protocol

from PySide6.QtCore import QCoreApplication, QEventLoop, QObject, Qt, Signal, SignalInstance

from engraver.core.errors import Cancelled, EngraverError, Watch

# How far workers stand behind the window's thread for a core: what is looked at a little, the rest more.
BEHIND_A_LITTLE, BEHIND = 2, 8
# Seconds after which a thread that computes lets another one have the interpreter. Qt's calls let go of it and
# have to get it back: at the usual 5 ms every one of them could cost the window that much.
SWITCH = 0.0005


def favour_the_window() -> None:
    """Let the window's thread have the interpreter back soon; once a process."""
    sys.setswitchinterval(SWITCH)


def _stand_behind(by: int) -> None:
    """Let the window's thread have a core before this one; threads that it starts stand behind too (Linux)."""
    with suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), by)


def _as_told(work: Callable[[Watch], Any], check: Watch) -> tuple[Any, EngraverError | None]:
    """Do the work; whatever goes wrong comes back as an error that can be shown."""
    try:
        return work(check), None
    except EngraverError as caught:
        return None, caught
    except MemoryError:
        return None, EngraverError(
            "There is not enough memory for this", "", "Close other programs, or work at a smaller side"
        )
    except Exception as caught:  # the outermost edge of the thread: shown, not lost
        return None, EngraverError("Something went wrong inside Engraver", f"{type(caught).__name__}: {caught}")


@dataclass(frozen=True, slots=True)
class _Request:
    number: int
    work: Callable[[Watch], Any]
    done: Callable[[Any], None]
    failed: Callable[[EngraverError], None]


class LatestLane(QObject):
    """One thread that does one thing at a time and remembers one wish: for pictures only.

    Parameters
    ----------
    name : str
    stop_old : bool
        A new request stops the running one (long work); else the running one ends and
        is shown, so that a drag is followed (short work).
    """

    _answered = Signal(object)
    idle_again = Signal()
    progressed = Signal(float)

    def __init__(self, name: str, *, stop_old: bool, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._stop_old = stop_old
        self._wish: _Request | None = None
        self._number = self._stopped = 0
        self._open = 0
        self._ending = False
        self._bell = threading.Condition()
        self._answered.connect(self._deliver, Qt.ConnectionType.QueuedConnection)
        self._thread = threading.Thread(target=self._loop, name=f"engraver {name}", daemon=True)
        self._thread.start()

    def submit(
        self, work: Callable[[Watch], Any], done: Callable[[Any], None], failed: Callable[[EngraverError], None]
    ) -> None:
        """Ask for ``work``; ``done`` or ``failed`` is called on the window's thread, unless superseded."""
        with self._bell:
            self._number += 1
            if self._wish is None:
                self._open += 1
            self._wish = _Request(self._number, work, done, failed)
            self._bell.notify()

    def stop(self) -> None:
        """End the present work as soon as it looks up, whatever the kind of lane; nothing of it is shown."""
        self.drop()
        with self._bell:
            self._stopped = self._number

    def drop(self) -> None:
        """Nobody waits for the present work any more."""
        with self._bell:
            self._number += 1
            if self._wish is not None:
                self._wish = None
                self._open -= 1

    @property
    def idle(self) -> bool:
        """Nothing asked, nothing running, nothing waiting to be shown."""
        with self._bell:
            return self._open == 0

    def end(self) -> None:
        """Stop the thread and wait for it."""
        with self._bell:
            self._ending = True
            self._number += 1
            self._wish = None
            self._bell.notify()
        self._thread.join()

    def _stale(self, request: _Request) -> bool:
        return request.number < self._stopped or (self._stop_old and request.number != self._number)

    def _watch_for(self, request: _Request) -> Watch:
        def check(share: float | None = None, /) -> None:
            if self._ending or self._stale(request):
                raise Cancelled
            if share is not None:
                self.progressed.emit(share)

        return check

    def _loop(self) -> None:
        _stand_behind(BEHIND if self._stop_old else BEHIND_A_LITTLE)
        while True:
            with self._bell:
                while self._wish is None and not self._ending:
                    self._bell.wait()
                request, self._wish = self._wish, None
            if request is None:
                return
            answer, error = _as_told(request.work, self._watch_for(request))
            if not self._ending:
                self._answered.emit((request, answer, error))

    def _deliver(self, packed: tuple[_Request, Any, EngraverError | None]) -> None:
        request, answer, error = packed
        with self._bell:
            self._open -= 1
            stale = self._stale(request)
            ended = self._ending
        if not (stale or ended or isinstance(error, Cancelled)):
            if error is not None:
                request.failed(error)
            else:
                request.done(answer)
        if self.idle:
            self.idle_again.emit()


class State(Enum):
    """How far a task has come; every task ends in one of the last three."""

    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


def _nothing(_: Any = None) -> None:
    """For callers who do not want to know."""


class Task:
    """One thing to do that is never dropped silently.

    Attributes
    ----------
    words : str
        What is being done, for the artist ("Saving harbour.engraver…").
    must : bool
        What it writes has to be there also when the window closes before its turn.
    state : State
    """

    def __init__(
        self, words: str, work: Callable[[Watch], Any], done: Callable[[Any], None],
        failed: Callable[[EngraverError], None], cancelled: Callable[[], None], must: bool,
    ) -> None:  # fmt: skip
        self.words, self.must = words, must
        self.state = State.WAITING
        self.stopped = False
        self._work, self._done, self._failed, self._cancelled = work, done, failed, cancelled
        self.answer: Any = None
        self.error: EngraverError | None = None

    def run(self, check: Watch) -> None:
        """Do the work; called by the queue's thread."""
        self.answer, self.error = _as_told(self._work, check)

    def tell(self) -> None:
        """Say how it ended; called on the window's thread, once."""
        # What was written is written: only work that is still to be taken over can be dropped at its end.
        if isinstance(self.error, Cancelled) or (self.stopped and not self.must):
            self.state = State.CANCELLED
            self._cancelled()
        elif self.error is not None:
            self.state = State.FAILED
            self._failed(self.error)
        else:
            self.state = State.DONE
            try:
                self._done(self.answer)
            except EngraverError as error:  # what it was for has changed meanwhile
                self.state, self.error = State.FAILED, error
                self._failed(error)
        self.answer = None


class TaskQueue(QObject):
    """One thread that does every task in the order in which they came, and tells how each ended.

    Files and errands go here: each task ends done, failed or cancelled, none is replaced by a newer one.
    """

    _answered = Signal()
    idle_again = Signal()
    changed = Signal()
    progressed = Signal(object, float)

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._waiting: deque[Task] = deque()
        self._running: Task | None = None
        self._ended: deque[Task] = deque()
        self._ending = False
        self._bell = threading.Condition()
        self._answered.connect(self._deliver, Qt.ConnectionType.QueuedConnection)
        self._thread = threading.Thread(target=self._loop, name=f"engraver {name}", daemon=True)
        self._thread.start()

    def add(
        self, words: str, work: Callable[[Watch], Any], done: Callable[[Any], None] = _nothing,
        failed: Callable[[EngraverError], None] = _nothing, cancelled: Callable[[], None] = _nothing, *,
        must: bool = False,
    ) -> Task:  # fmt: skip
        """Put a task at the end; one of its three last arguments is called on the window's thread when it ends."""
        task = Task(words, work, done, failed, cancelled, must)
        with self._bell:
            self._waiting.append(task)
            self._bell.notify()
        self.changed.emit()
        return task

    def stop(self, suits: Callable[[Task], bool] = lambda task: True) -> int:
        """Cancel the tasks that suit, the running one as soon as it looks up; returns how many."""
        with self._bell:
            gone = [task for task in self._waiting if suits(task)]
            for task in gone:
                task.stopped, task.error = True, Cancelled()
                self._waiting.remove(task)
                self._ended.append(task)
            count = len(gone)
            if self._running is not None and not self._running.stopped and suits(self._running):
                self._running.stopped = True
                count += 1
        if gone:
            self._answered.emit()
        return count

    @property
    def open(self) -> tuple[Task, ...]:
        """What runs and what waits, in order."""
        with self._bell:
            return (*((self._running,) if self._running is not None else ()), *self._waiting)

    @property
    def idle(self) -> bool:
        """Nothing waits, runs, or has still to be told."""
        with self._bell:
            return self._running is None and not self._waiting and not self._ended

    def end(self) -> None:
        """Finish what must be written, cancel the rest, tell all of it, and stop the thread."""
        self.stop(lambda task: not task.must)
        with self._bell:
            self._ending = True
            self._bell.notify()
        self._thread.join()
        self._deliver()

    def _watch_for(self, task: Task) -> Watch:
        def check(share: float | None = None, /) -> None:
            if task.stopped:
                raise Cancelled
            if share is not None:
                self.progressed.emit(task, share)

        return check

    def _loop(self) -> None:
        _stand_behind(BEHIND)
        while True:
            with self._bell:
                while not self._waiting and not self._ending:
                    self._bell.wait()
                if not self._waiting:
                    return
                task = self._running = self._waiting.popleft()
                task.state = State.RUNNING
            task.run(self._watch_for(task))
            with self._bell:
                self._ended.append(task)
                self._running = None
            self._answered.emit()

    def _deliver(self) -> None:
        while True:
            with self._bell:
                task = self._ended.popleft() if self._ended else None
            if task is None:
                break
            task.tell()
        self.changed.emit()
        if self.idle:
            self.idle_again.emit()


class Lane(Protocol):
    """What can be waited for."""

    @property
    def idle(self) -> bool: ...

    @property
    def idle_again(self) -> SignalInstance: ...

    def end(self) -> None: ...


def wait_idle(
    lanes: Sequence[Lane], busy: Callable[[], bool] = lambda: False, in_vain: Callable[[], bool] = lambda: False
) -> None:
    """Run the event loop until every lane is idle, or waiting is in vain: for tests and the offscreen shot."""
    loop = QEventLoop()
    for lane in lanes:
        lane.idle_again.connect(loop.quit)
    try:
        while True:
            QCoreApplication.processEvents()
            if in_vain() or (all(lane.idle for lane in lanes) and not busy()):
                return
            loop.exec() if not all(lane.idle for lane in lanes) else QCoreApplication.processEvents(
                QEventLoop.ProcessEventsFlag.WaitForMoreEvents
            )
    finally:
        for lane in lanes:
            lane.idle_again.disconnect(loop.quit)
