"""Work on every core: kernels that let go of the interpreter take a part of the rows each."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from itertools import pairwise
from threading import Lock

# Rows that stay in a core's cache while several things are done to them.
BAND = 64
# Values of a part of a small picture, where parts are made for cores rather than for their caches.
_PART = 262_144
# Fewer rows than this are not worth a thread.
_LEAST = 16


def cores() -> int:
    """How many cores this process may use: those that the system gives it, and no more than OMP_NUM_THREADS says."""
    given, said = len(os.sched_getaffinity(0)), os.environ.get("OMP_NUM_THREADS", "")
    return max(1, min(given, int(said)) if said.isdecimal() else given)


def rows_at_once(rows: int, width: int) -> int:
    """Rows of a part of a picture: :data:`BAND` of a large one, of a small one as many as leave a part for each core.

    A part costs as much as ten thousand values.
    """
    return max(BAND, min(-(-rows // cores()), _PART // max(1, width)))


@lru_cache(maxsize=1)
def _helpers() -> ThreadPoolExecutor:
    """The other cores' threads, for as long as the program runs: starting one takes as long as a small picture."""
    return ThreadPoolExecutor(max(1, cores() - 1), "rows")


class _Parts:
    """Hands out parts of the rows, each once; none any more after a failure."""

    def __init__(self, edges: list[int]) -> None:
        self._left: Iterator[tuple[int, int]] = iter(pairwise(edges))
        self._lock = Lock()

    def take(self, work: Callable[[int, int], object]) -> None:
        """Work on parts until none is left. Whoever asked does so, too, and thus never waits for one not begun."""
        while True:
            with self._lock:
                part = next(self._left, None)
            if part is None:
                return
            try:
                work(*part)
            except BaseException:
                with self._lock:
                    self._left = iter(())
                raise


def split_rows(work: Callable[[int, int], object], rows: int, band: int | None = None) -> None:
    """Call ``work(first, end)`` for parts of ``rows`` rows at the same time, also on this thread.

    Parameters
    ----------
    band : int, optional
        Rows of a part, as :data:`BAND`, so that parts are the same on any number of cores; else there are as many
        parts as cores.

    What any part raises is raised here once all that were begun have ended. Parts may split their work again.
    """
    count = min(cores(), max(1, rows // _LEAST)) if band is None else -(-rows // band)
    edges = [rows * n // count for n in range(count + 1)] if band is None else [*range(0, rows, band), rows]
    if count < 2:
        work(0, rows)
        return
    parts = _Parts(edges)
    others = [_helpers().submit(parts.take, work) for _ in range(min(count, cores()) - 1)]
    try:
        parts.take(work)
    finally:
        begun = [one for one in others if not one.cancel()]
        for one in begun:
            one.exception()
    for one in begun:
        one.result()
