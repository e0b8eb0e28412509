"""The process that those of a batch are forked from: it loads the program once, for all of them."""

from __future__ import annotations

import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from multiprocessing import forkserver, get_context, resource_tracker
from multiprocessing.context import ForkServerContext

# What it loads; nothing of that may start a thread, which would not be there in a fork.
_LOADS = ["engraver.cli.batch_job", "numba"]


@lru_cache(maxsize=1)
def fork_server() -> ForkServerContext:
    """Where processes are forked from, begun unless it runs already. It loads while the caller goes on, and ends with
    it. Environment variables that libraries read when they are loaded have to be set before.
    """
    context = get_context("forkserver")
    context.set_forkserver_preload(_LOADS)
    if threading.current_thread() is not threading.main_thread():  # it cannot say how signals are taken
        forkserver.ensure_running()
        return context
    resource_tracker.ensure_running()  # this, too, blocks Ctrl-C while it begins, and afterwards never
    with _deaf():
        forkserver.ensure_running()
    return context


@contextmanager
def _deaf() -> Iterator[None]:
    """Processes that begin meanwhile go on ignoring Ctrl-C: that is their parent's affair. This one heeds afterwards
    what came: what is ignored and blocked at once is kept (signal(7), sigprocmask(2) of Linux)."""
    blocked = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    kept = signal.signal(signal.SIGINT, signal.SIG_IGN)
    try:
        yield
    finally:
        signal.signal(signal.SIGINT, kept)
        signal.pthread_sigmask(signal.SIG_SETMASK, blocked)
