"""Work on both cores: kernels that let go of the interpreter take half of the rows each."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor


def in_halves(work: Callable[[int, int], object], rows: int) -> None:
    """Call ``work(first, end)`` for the first and the last half of ``rows`` rows at the same time.

    What either half raises is raised here once both have ended.
    """
    with ThreadPoolExecutor(1) as pool:
        waiting = pool.submit(work, 0, rows // 2)
        work(rows // 2, rows)
        waiting.result()
