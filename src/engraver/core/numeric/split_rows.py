"""Work on every core: kernels that let go of the interpreter take a part of the rows each."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

# Fewer rows than this are not worth a thread.
_LEAST = 16


def cores() -> int:
    """How many cores this process may use."""
    return max(1, len(os.sched_getaffinity(0)))


def split_rows(work: Callable[[int, int], object], rows: int, band: int | None = None) -> None:
    """Call ``work(first, end)`` for parts of ``rows`` rows at the same time, one on this thread.

    Parameters
    ----------
    band : int, optional
        Rows of a part; else there are as many parts as cores.

    What any part raises is raised here once all have ended.
    """
    parts = min(cores(), max(1, rows // _LEAST)) if band is None else -(-rows // band)
    edges = [rows * n // parts for n in range(parts + 1)] if band is None else [*range(0, rows, band), rows]
    if parts < 2:
        work(0, rows)
        return
    with ThreadPoolExecutor(cores() - 1 or 1) as pool:
        waiting = [pool.submit(work, edges[n], edges[n + 1]) for n in range(parts - 1)]
        work(edges[-2], edges[-1])
    for done in waiting:
        done.result()
