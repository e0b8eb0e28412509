"""A batch on this machine: every picture in a process of its own, some at the same time."""

from __future__ import annotations

import os
import signal
import threading
import time
from collections.abc import Generator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from multiprocessing import active_children, get_context
from pathlib import Path

from engraver.core.files.atomic import clear_parts
from engraver.core.process import ALGEBRA_THREADS, keep_memory

from .batch_job import Job, do

THREADS = ("OMP_NUM_THREADS", "NUMBA_NUM_THREADS", *ALGEBRA_THREADS)

# How often a process looks whether its parent is there, and how long it has to end when it is told to, in seconds.
_LOOK_AGAIN, _GRACE = 0.3, 1.0


def on_this_machine(work: Sequence[Job], processes: int, folder: Path) -> Generator[tuple[Job, str]]:
    """Each job as it ends, with what went wrong, or "".

    When nobody waits any more all processes end at once, and what they had half written is taken away.
    """
    threads = max(1, (os.cpu_count() or 1) // processes)
    # Spawned processes read these before their libraries load.
    settings = dict.fromkeys(THREADS, str(threads))
    before = {name: os.environ.get(name) for name in settings}
    os.environ.update(settings)
    begin = (threads, os.getpid(), folder)
    try:
        with ProcessPoolExecutor(processes, get_context("spawn"), begin_worker, begin) as pool:
            running = {pool.submit(do, job): job for job in work}
            try:
                for done in as_completed(running):
                    yield running[done], done.result()
            except (KeyboardInterrupt, GeneratorExit):
                pool.shutdown(wait=False, cancel_futures=True)
                _end_all(folder)
                raise
    finally:
        for name, value in before.items():
            os.environ.pop(name, None) if value is None else os.environ.__setitem__(name, value)


def begin_worker(threads: int, parent: int, folder: Path) -> None:
    """A process of its own: its libraries use so many threads, Ctrl-C is its parent's affair, and it ends with it."""
    import cv2

    keep_memory()
    cv2.setNumThreads(threads)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    threading.Thread(target=_end_with, args=(parent, folder), daemon=True).start()


def _end_with(parent: int, folder: Path) -> None:
    """Wait until the parent is gone, take away what is half written, and end."""
    while os.getppid() == parent:
        time.sleep(_LOOK_AGAIN)
    clear_parts(folder, os.getpid())
    os._exit(1)


def _end_all(folder: Path) -> None:
    """End every process that works for this one, and take away what they had half written."""
    ended = active_children()
    for process in ended:
        process.terminate()
    for process in ended:
        process.join(_GRACE)
        if process.is_alive():
            process.kill()
        clear_parts(folder, process.pid)
