"""How a process of ours treats memory and threads."""

from __future__ import annotations

import ctypes
import os
from contextlib import suppress

# Blocks up to this size are taken from what was given back before, and so much of it is kept.
_KEPT = 1 << 30
# The parameters of mallopt(3), by their numbers in GNU's malloc.h.
_TRIM_THRESHOLD, _MMAP_THRESHOLD, _ARENA_MAX = -1, -3, -8
# Of the libraries of linear algebra.
ALGEBRA_THREADS = ("OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS")


def prepare() -> None:
    """What every process of the program begins with, before it loads NumPy.

    Linear algebra here is small and one thread is as quick; its helpers wait for the next problem at full speed and
    take a core from the work on rows. What the environment says already stands.
    """
    for name in ALGEBRA_THREADS:
        os.environ.setdefault(name, "1")
    keep_memory()


def keep_memory() -> None:
    """Keep memory that was given back, for what is asked for next.

    glibc hands large blocks back to the system and asks for them again with every picture, which then zeroes them
    page by page: up to half the time of a step that passes over its pixels once. One arena, as the others hold
    no block of this size. Another C library keeps its own ways.
    """
    with suppress(OSError, AttributeError):
        mallopt = ctypes.CDLL(None).mallopt
        for parameter, value in ((_MMAP_THRESHOLD, _KEPT), (_TRIM_THRESHOLD, _KEPT), (_ARENA_MAX, 1)):
            mallopt(parameter, value)
