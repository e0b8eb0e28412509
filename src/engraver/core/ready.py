"""Every compiled loop made ready: compiled once on a machine, then fetched from the user's cache.

Numba compiles one loop at a time in a process. So on a new machine processes of their own compile side by side what
is needed soon, and the window's own process only what the hand asks for. ``python -m engraver.core.ready PART…`` is
one of them; without parts it compiles all.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from threading import Lock
from types import MappingProxyType

from .compiled import use_kernel_cache
from .errors import Watch, unwatched
from .files.shelf import edition
from .numeric import warm as numeric
from .numeric.split_rows import cores
from .proof import warm as proof

# Of this module, also where it is run as one of them.
_NAME = "engraver.core.ready"
# Seconds between two looks at a process that compiles, and by how much it gives way to others.
_LOOK_S, _NICE = 0.05, 5


def _plates(check: Watch) -> None:
    from .files import png_kernels

    numeric.warm(check)
    png_kernels.warm()


def _meshes(check: Watch) -> None:
    from engraver.core.mesh import file_kernels, kernels

    check()
    kernels.warm()
    check()
    file_kernels.warm()


# In the order in which they are needed: the bench's proof; what plates are drawn and written with; what the proof
# desk presses and draws; what reads and captures meshes. Each raises Cancelled.
PARTS: Mapping[str, Callable[[Watch], None]] = MappingProxyType({
    "proof": proof.warm_bench, "plates": _plates, "trials": proof.warm, "meshes": _meshes,
})  # fmt: skip


def _marker() -> Path:
    """A file that is there when this edition of the code has been compiled on this machine."""
    use_kernel_cache()
    return Path(os.environ["NUMBA_CACHE_DIR"]) / f"all-of-{edition()}"


def mark_ready() -> None:
    """All parts are ready; a cache that cannot be written only costs time."""
    marker = _marker()
    with suppress(OSError):
        marker.parent.mkdir(parents=True, exist_ok=True)
        for old in marker.parent.glob("all-of-*"):
            old.unlink(missing_ok=True)
        marker.touch()


class Helpers:
    """Processes that compile the parts on a machine that has not; there are none where all is compiled.

    Parameters
    ----------
    at_once : int
        How many of them run side by side.
    """

    def __init__(self, at_once: int) -> None:
        self._running: list[subprocess.Popen[bytes]] = []
        self._lock, self._ended = Lock(), False
        self._pool = ThreadPoolExecutor(at_once, "compiling")
        wanted = () if _marker().exists() else tuple(PARTS)
        self._parts: dict[str, Future[None]] = {part: self._pool.submit(self._compile, part) for part in wanted}

    def _compile(self, part: str) -> None:
        """Where no process can be had its part is compiled by whoever asks for it."""
        quiet = subprocess.DEVNULL
        with self._lock:
            if self._ended:
                return
            try:
                run = subprocess.Popen([sys.executable, "-m", _NAME, part], stdin=quiet, stdout=quiet, stderr=quiet)
            except OSError:
                return
            self._running.append(run)
        run.wait()

    def wait(self, part: str, check: Watch) -> None:
        """Until a part is compiled, whatever became of it. Raises Cancelled."""
        while part in self._parts and not self._parts[part].done():
            check()
            time.sleep(_LOOK_S)

    def end(self) -> None:
        """Nobody waits any more: no process is left."""
        with self._lock:
            self._ended = True
            for run in self._running:
                run.terminate()
        self._pool.shutdown(cancel_futures=True)


def main() -> None:
    """Compile the parts that are named, here and politely; without names all that has not been, on every core."""
    use_kernel_cache()
    if parts := sys.argv[1:]:
        with suppress(OSError):
            os.nice(_NICE)
        for part in parts:
            PARTS[part](unwatched)
    elif not _marker().exists():
        helpers = Helpers(cores())
        for part, make_ready in PARTS.items():
            helpers.wait(part, unwatched)
            make_ready(unwatched)
        mark_ready()


if __name__ == "__main__":
    main()
