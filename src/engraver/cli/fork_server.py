"""The process that those of a batch are forked from: it loads the program once, for all of them."""

from __future__ import annotations

import signal
from multiprocessing import forkserver, get_context
from multiprocessing.context import ForkServerContext

# What it loads; nothing of that may start a thread, which would not be there in a fork.
_LOADS = ["engraver.cli.batch_job", "numba"]


def fork_server() -> ForkServerContext:
    """Where processes are forked from, begun unless it runs already. It loads while the caller goes on, and ends with
    it. Environment variables that libraries read when they are loaded have to be set before.
    """
    context = get_context("forkserver")
    context.set_forkserver_preload(_LOADS)
    # A process that begins with Ctrl-C ignored goes on ignoring it: that is its parent's affair. A thread other than
    # the first cannot say so.
    try:
        kept = signal.signal(signal.SIGINT, signal.SIG_IGN)
    except ValueError:
        forkserver.ensure_running()
        return context
    try:
        forkserver.ensure_running()
    finally:
        signal.signal(signal.SIGINT, kept)
    return context
