"""Background work: lanes of their own, the latest request wins, answers come on the window's thread."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QCoreApplication, QEventLoop, QObject, Qt, Signal

from engraver.core.errors import Cancelled, EngraverError, Watch

Check = Watch


@dataclass(frozen=True, slots=True)
class _Request:
    number: int
    work: Callable[[Check], Any]
    done: Callable[[Any], None]
    failed: Callable[[EngraverError], None]


class Lane(QObject):
    """One thread that does one thing at a time and remembers one wish.

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
        self._running: _Request | None = None
        self._number = self._stopped = 0
        self._open = 0
        self._ending = False
        self._bell = threading.Condition()
        self._answered.connect(self._deliver, Qt.ConnectionType.QueuedConnection)
        self._thread = threading.Thread(target=self._loop, name=f"engraver {name}", daemon=True)
        self._thread.start()

    def submit(
        self, work: Callable[[Check], Any], done: Callable[[Any], None], failed: Callable[[EngraverError], None]
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

    def _check_for(self, request: _Request) -> Check:
        def check(share: float | None = None, /) -> None:
            if self._ending or self._stale(request):
                raise Cancelled
            if share is not None:
                self.progressed.emit(share)

        return check

    def _loop(self) -> None:
        while True:
            with self._bell:
                while self._wish is None and not self._ending:
                    self._bell.wait()
                request, self._wish = self._wish, None
            if request is None:
                return
            answer: Any = None
            error: EngraverError | None = None
            try:
                answer = request.work(self._check_for(request))
            except EngraverError as caught:
                error = caught
            except Exception as caught:  # the outermost edge of the thread: shown, not lost
                error = EngraverError("Something went wrong inside Engraver", f"{type(caught).__name__}: {caught}")
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


def wait_idle(lanes: list[Lane], busy: Callable[[], bool] = lambda: False) -> None:
    """Run the event loop until every lane is idle: for tests, pictures and the offscreen shot."""
    loop = QEventLoop()
    for lane in lanes:
        lane.idle_again.connect(loop.quit)
    try:
        while True:
            QCoreApplication.processEvents()
            if all(lane.idle for lane in lanes) and not busy():
                return
            loop.exec() if not all(lane.idle for lane in lanes) else QCoreApplication.processEvents(
                QEventLoop.ProcessEventsFlag.WaitForMoreEvents
            )
    finally:
        for lane in lanes:
            lane.idle_again.disconnect(loop.quit)
