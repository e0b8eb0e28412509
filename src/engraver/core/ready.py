"""Every compiled loop made ready: compiled once on a machine, then fetched from the user's cache.

Numba compiles one loop at a time in a process. So on a new machine processes of their own compile side by side what
is needed soon, and the window's own process only what the hand asks for:
``python -m engraver.core.ready PART…`` is one of them.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from pathlib import Path
from types import MappingProxyType

from .compiled import use_kernel_cache
from .errors import Watch, unwatched
from .files.shelf import edition
from .numeric import warm as numeric
from .numeric.split_rows import cores
from .proof import warm as proof

# From so many cores on all parts are compiled at once, else one after the other.
_MANY = 4
_LOOK_S = 0.05
_POLITE = 5


def _plates(check: Watch) -> None:
    from .files import png_kernels

    numeric.warm(check)
    png_kernels.warm()


def _meshes(check: Watch) -> None:
    from .mesh import file_kernels, kernels

    check()
    kernels.warm()
    check()
    file_kernels.warm()


# In the order in which they are needed: the bench's proof; what plates are drawn and written with; what the proof
# desk presses and draws; what reads and captures meshes. Each raises Cancelled.
PARTS: Mapping[str, Callable[[Watch], None]] = MappingProxyType({
    "proof": proof.warm_bench, "plates": _plates, "trials": proof.warm, "meshes": _meshes,
})  # fmt: skip


def _mark() -> Path:
    """There when this edition of the code has been compiled on this machine."""
    use_kernel_cache()
    return Path(os.environ["NUMBA_CACHE_DIR"]) / f"all-of-{edition()}"


def note() -> None:
    """All parts are ready; a cache that cannot be written only costs time."""
    mark = _mark()
    with suppress(OSError):
        mark.parent.mkdir(parents=True, exist_ok=True)
        for old in mark.parent.glob("all-of-*"):
            old.unlink(missing_ok=True)
        mark.touch()


class Helpers:
    """Processes that compile parts on a machine that has not; there are none where all is compiled."""

    def __init__(self) -> None:
        self._runs: dict[str, subprocess.Popen[bytes]] = {}
        self._wanted = () if _mark().exists() else tuple(PARTS)
        for part in self._wanted[: None if cores() >= _MANY else 1]:
            self._begin(part)

    def _begin(self, part: str) -> None:
        with suppress(OSError):  # then it is compiled here
            self._runs[part] = subprocess.Popen(
                [sys.executable, "-m", __name__, part], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )  # fmt: skip

    def wait(self, part: str, check: Watch) -> None:
        """Until a part is compiled, whatever became of it. Raises Cancelled."""
        if part in self._wanted and part not in self._runs:
            self._begin(part)
        run = self._runs.get(part)
        while run is not None and run.poll() is None:
            check()
            time.sleep(_LOOK_S)

    def end(self) -> None:
        """Nobody waits any more."""
        for run in self._runs.values():
            run.terminate()
            run.wait()


def main() -> None:
    """Compile the parts that are named, all of them where none is; politely, as nobody waits for all of it."""
    use_kernel_cache()
    with suppress(OSError):
        os.nice(_POLITE)
    for part in sys.argv[1:] or PARTS:
        PARTS[part](unwatched)


if __name__ == "__main__":
    main()
