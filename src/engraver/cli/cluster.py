"""A batch on a running Dask cluster: its workers make the pictures, wherever they are."""

from __future__ import annotations

import re
from collections.abc import Generator, Sequence
from typing import Any

from engraver.core.errors import EngraverError
from engraver.core.files.atomic import there

from .batch_job import Job, do
from .misuse import Misuse

# The scheduler has to answer within this time; to be left takes so many seconds at most.
_ANSWER, _GRACE = "5s", 1.0
_ADDRESS = re.compile(r"(?:[a-z]+://)?(?:\[[0-9a-fA-F:]+\]|[^\s/:\[\]]+):\d{1,5}")
# What is told of a picture whose files are there already.
BEFORE = "there already"


def make_there(job: Job) -> str:
    """On a worker: make one picture, unless its files are there; returns what went wrong, or nothing.

    A job whose worker was lost is begun again elsewhere: files that it had finished stay.
    """
    try:
        if not job.force and all(there(path) for path in job.paths()):
            return BEFORE
        for folder in {path.parent for path in job.paths()}:
            folder.mkdir(parents=True, exist_ok=True)
    except EngraverError as error:
        return error.sentence()
    except OSError as error:
        return f"{job.picture.name}: its folder cannot be made there: {error.strerror or error}."
    return do(job)


def connected(address: str) -> Any:
    """A client of the scheduler. Raises Misuse where that part is not installed or the address is none, EngraverError
    where nobody answers."""
    try:
        from distributed import Client
    except ImportError as error:
        raise Misuse(
            "This Engraver cannot use a cluster", "the part for it is not installed",
            "Install it with: pip install 'engraver[cluster]'",
        ) from error  # fmt: skip
    if not _ADDRESS.fullmatch(address):
        raise Misuse(f"{address} is no address of a scheduler", "", "Write it as tcp://name:8786")
    try:
        return Client(address, timeout=_ANSWER)  # type: ignore[no-untyped-call]
    except OSError as error:
        raise EngraverError(
            f"No scheduler answers at {address}", "", "Start one with: dask scheduler, and workers with: dask worker"
        ) from error


def on_cluster(client: Any, jobs: Sequence[Job]) -> Generator[tuple[Job, str]]:
    """Each job as it ends, with what went wrong, "" or :data:`BEFORE`; those of a lost worker are done by another.

    ``client`` is closed at the end. What has not begun is called back when nobody waits any more.
    """
    from distributed import as_completed

    waiting = {client.submit(make_there, job, pure=False): job for job in jobs}
    try:
        for done in as_completed(list(waiting)):  # type: ignore[no-untyped-call]
            wrong = done.exception()  # waits where the worker is lost that had just done it: another does it again
            if wrong is None:
                yield waiting[done], str(done.result())
            else:  # a worker without Engraver, or a picture that ended several workers one after the other
                yield waiting[done], f"{waiting[done].picture.name}: the cluster gave it up: {wrong}"
    finally:
        client.cancel(list(waiting))
        client.close(timeout=_GRACE)
