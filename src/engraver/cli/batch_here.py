"""A batch on this machine: every picture in a process of its own, some at the same time."""

from __future__ import annotations

import os
import signal
import threading
from collections.abc import Generator, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from contextlib import contextmanager
from multiprocessing import active_children, parent_process
from pathlib import Path

from engraver.core.files.atomic import clear_parts
from engraver.core.process import keep_memory

from .batch_job import Job, do
from .fork_server import fork_server

# What our own loops and Numba's ask; linear algebra has one thread, as in every process of the program.
_THREADS = ("OMP_NUM_THREADS", "NUMBA_NUM_THREADS")

# How long a process has to end when it is told to, in seconds.
_GRACE = 1.0


def on_this_machine(work: Sequence[Job], processes: int, folder: Path) -> Generator[tuple[Job, str]]:
    """Each job as it ends, with what went wrong, or "".

    When nobody waits any more all processes end at once, and what they had half written is taken away.
    """
    threads, others = max(1, (os.cpu_count() or 1) // processes), set(threading.enumerate())
    with ProcessPoolExecutor(processes, fork_server(), begin_worker, (threads, folder)) as pool:
        try:
            with _told_later():
                running = {pool.submit(do, job): job for job in work}
            for done in as_completed(running):
                yield running[done], done.result()
        except (KeyboardInterrupt, GeneratorExit):
            pool.shutdown(wait=False, cancel_futures=True)
            _end_all(folder)
            # The pool's own threads end, too, before the program does: at its end they would be asked once more, and
            # what that goes through may just be closed.
            for one in set(threading.enumerate()) - others:
                one.join(_GRACE)
            raise


@contextmanager
def _told_later() -> Iterator[None]:
    """Who is told to stop meanwhile does so at the end: a process that is only half begun could not be ended."""
    told: list[int] = []
    kept = {number: signal.signal(number, lambda n, _: told.append(n)) for number in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield
    finally:
        for number, handler in kept.items():
            signal.signal(number, handler)
    if told:
        raise KeyboardInterrupt


def begin_worker(threads: int, folder: Path) -> None:
    """A process of its own: its libraries use so many threads, Ctrl-C is its parent's affair, and it ends with it."""
    import cv2

    keep_memory()
    os.environ.update(dict.fromkeys(_THREADS, str(threads)))
    cv2.setNumThreads(threads)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    threading.Thread(target=_end_with_parent, args=(folder,), daemon=True).start()


def _end_with_parent(folder: Path) -> None:
    """Wait until the parent is gone, take away what is half written, and end."""
    parent = parent_process()
    assert parent is not None
    parent.join()
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
