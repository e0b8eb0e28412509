"""Watches a program under trial: exceptions, how long the window's thread stands still, memory."""

from __future__ import annotations

import faulthandler
import os
import re
import sys
import tempfile
import threading
import time
import traceback
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QTimer, QtMsgType, qInstallMessageHandler

BEAT_MS = 4
LOOK = 0.02
PAGE = os.sysconf("SC_PAGE_SIZE")


def memory() -> float:
    """GB that the process holds now."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * PAGE / 1e9


@dataclass(frozen=True, slots=True)
class Block:
    """The window's thread gave no sign for so many seconds, and worked itself for so many of them."""

    seconds: float
    own: float
    doing: str
    where: str
    sheet: bool


@dataclass
class Watching:
    """Begin with :meth:`start` on the window's thread; ``doing`` is what the hand does, for the report."""

    least: float = 0.05
    doing: str = ""
    sheet: bool = False
    blocks: list[Block] = field(default_factory=list)
    exceptions: list[str] = field(default_factory=list)
    messages: list[str] = field(default_factory=list)
    reads: Counter[str] = field(default_factory=Counter)
    memory: list[float] = field(default_factory=list)

    def start(self) -> None:
        self._thread = threading.main_thread().ident or 0
        self._beat, self._own = time.monotonic(), time.thread_time()
        self._stack, self._over = "", False
        self._timer = QTimer(interval=BEAT_MS)
        self._timer.timeout.connect(self.beat)
        self._timer.start()
        self._hooks = sys.excepthook, threading.excepthook
        sys.excepthook = self._raised
        threading.excepthook = lambda args: self._raised(args.exc_type, args.exc_value, args.exc_traceback)  # type: ignore[arg-type]
        self._handler = qInstallMessageHandler(self._said)
        self._looker = threading.Thread(target=self._look, name="soak looker", daemon=True)
        self._looker.start()

    def stop(self) -> None:
        self._over = True
        self._timer.stop()
        self._looker.join()
        sys.excepthook, threading.excepthook = self._hooks
        qInstallMessageHandler(self._handler)

    def beat(self) -> None:
        """The window's thread is alive."""
        gone, own = time.monotonic() - self._beat, time.thread_time() - self._own
        if gone > self.least:
            self.blocks.append(Block(gone, own, self.doing, self._stack, self.sheet))
        self._beat, self._own, self._stack = time.monotonic(), time.thread_time(), ""

    def _look(self) -> None:
        """Where the window's thread is while it gives no sign."""
        while not self._over:
            time.sleep(LOOK)
            if not self._stack and time.monotonic() - self._beat > self.least:
                self._stack = self._place()

    def _place(self) -> str:
        """Our own lines of the window's thread, the innermost first.

        Told by faulthandler: frames of a running thread may not be walked from another one.
        """
        with tempfile.TemporaryFile("w+") as file:
            faulthandler.dump_traceback(file, all_threads=True)
            file.seek(0)
            text = file.read()
        mine = text.split(f"{self._thread:016x}", 1)[-1].split("\n\n", 1)[0]
        lines = re.findall(r'File ".*/([^/"]+)", line (\d+) in (\S+)', mine)
        return " < ".join(f"{name}:{line} {where}" for name, line, where in lines[:7])

    def _raised(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        self.exceptions.append("".join(traceback.format_exception(kind, error, trace)))

    def _said(self, kind: QtMsgType, context: object, message: str) -> None:
        if kind in (QtMsgType.QtCriticalMsg, QtMsgType.QtFatalMsg):
            self.messages.append(message)
