"""``engraver batch``: one recipe over many pictures, in processes of their own."""

from __future__ import annotations

import os
import signal
import threading
import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from multiprocessing import active_children, get_context
from pathlib import Path

import click

from engraver.core.errors import FileTrouble
from engraver.core.files.atomic import clear_parts, there
from engraver.core.files.names import file_stem
from engraver.core.project.recipe_file import open_recipe
from engraver.core.readiness import Destination
from engraver.core.readiness.export import orders_for
from engraver.core.recipe import Recipe
from engraver.core.recipe.first import READ_AS, shipped_recipe
from engraver.core.steps.size import Size

from .batch_job import Job, do
from .cluster import BEFORE, absolute, connected, on_cluster
from .destination_type import FOR
from .misuse import Misuse

# glibc hands large blocks back to the system and asks for them again with every picture, which then
# zeroes them page by page: a fifth of the time. Up to this many bytes a job keeps what it has.
KEEP_BYTES = str(1 << 30)
MEMORY = {"MALLOC_MMAP_THRESHOLD_": KEEP_BYTES, "MALLOC_TRIM_THRESHOLD_": KEEP_BYTES}
THREADS = ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS", "NUMBA_NUM_THREADS")

# What a batch ends with that was stopped (128 and the number of SIGINT: common practice of shells).
STOPPED = 130
# How often a process looks whether its parent is there, and how long it has to end when it is told to, in seconds.
_LOOK_AGAIN, _GRACE = 0.3, 1.0


def named_recipe(name: str) -> Recipe:
    """A recipe that ships, by its kind, or one from a file."""
    if name in READ_AS:
        return shipped_recipe(name)  # type: ignore[arg-type]
    if not Path(name).suffix and not Path(name).exists():
        raise Misuse(f"There is no recipe {name!r}", "", f"Name a file, or one that ships: {', '.join(READ_AS)}")
    return open_recipe(Path(name))


def begin_worker(threads: int, parent: int, folder: Path) -> None:
    """A process of its own: its libraries use so many threads, Ctrl-C is its parent's affair, and it ends with it."""
    import cv2

    cv2.setNumThreads(threads)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    threading.Thread(target=_end_with, args=(parent, folder), daemon=True).start()


def _end_with(parent: int, folder: Path) -> None:
    """Wait until the parent is gone, take away what is half written, and end."""
    while os.getppid() == parent:
        time.sleep(_LOOK_AGAIN)
    clear_parts(folder, os.getpid())
    os._exit(1)


def _job(picture: Path, recipe: Recipe, folder: Path, wanted: tuple[Destination, ...], force: bool) -> Job:
    """One picture's job. A name with the side in it has that of the recipe: the picture is not read for it."""
    side = next((s.params.side for s in reversed(recipe.steps) if s.on and isinstance(s.params, Size)), 1024)
    stem = file_stem(picture.stem) if any(to.name_pattern != "{plate}" for to in wanted) else picture.stem
    orders = orders_for(wanted, stem, (side, side), lambda to: folder)
    return Job(picture, recipe, None if wanted else folder / f"{picture.stem}.png", orders, force)


@click.command()
@click.argument("recipe", metavar="RECIPE")
@click.argument("pictures", metavar="INPUT...", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("-o", "--out", "folder", required=True, type=click.Path(path_type=Path), help="The folder to fill.")
@click.option("--for", "wanted", type=FOR, multiple=True, help="Deliver for this: see 'engraver destinations'.")
@click.option("--jobs", type=click.IntRange(1, 64), default=1, show_default=True, help="Pictures at the same time.")
@click.option("--force", is_flag=True, help="Replace files that are there.")
@click.option("--scheduler", metavar="ADDRESS", default="",
              help="Let the workers of a running Dask cluster do it; they must see the same paths.")  # fmt: skip
def batch(
    recipe: str, pictures: tuple[Path, ...], folder: Path, wanted: tuple[Destination, ...], jobs: int, force: bool,
    scheduler: str,
) -> None:  # fmt: skip
    """Use one RECIPE (a file, or the name of one that ships) on many pictures.

    A picture that cannot be used is told and passed over; the exit code is then 1. What is there already is left as
    it is. Ctrl-C ends all work within two seconds, and the same command goes on where it was.
    """
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    steps = named_recipe(recipe)
    if scheduler:
        seen, folder = absolute(pictures, folder)
        _elsewhere(scheduler, _jobs(seen, steps, folder, wanted, force))
        return
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        why = error.strerror or "the system refused"
        raise FileTrouble(f"The folder {folder} cannot be made", why, "Choose another one") from error
    work = _jobs(pictures, steps, folder, wanted, force)
    threads = max(1, (os.cpu_count() or 1) // jobs)
    console = Console(stderr=True)
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    failed, begun = 0, len(work)
    if not force:
        work = [job for job in work if not all(there(path) for path in job.paths())]
    passed, made = begun - len(work), 0
    # Spawned processes read these before their libraries load.
    settings = {**MEMORY, **dict.fromkeys(THREADS, str(threads))}
    before = {name: os.environ.get(name) for name in settings}
    os.environ.update(settings)
    stopped = False
    kept = signal.signal(signal.SIGTERM, _stop)
    try:
        with (
            Progress(*columns, console=console) as progress,
            ProcessPoolExecutor(jobs, get_context("spawn"), begin_worker, (threads, os.getpid(), folder)) as pool,
        ):
            bar = progress.add_task("Pictures", total=len(work))
            running = {pool.submit(do, job): job for job in work}
            try:
                for done in as_completed(running):
                    trouble = done.result()
                    made, failed = made + (not trouble), failed + bool(trouble)
                    if trouble:
                        progress.console.print(f"engraver: {trouble}", markup=False, highlight=False, soft_wrap=True)
                    progress.advance(bar)
            except KeyboardInterrupt:
                stopped = True
                pool.shutdown(wait=False, cancel_futures=True)
                _end_all(folder)
    finally:
        signal.signal(signal.SIGTERM, kept)
        for name, value in before.items():
            os.environ.pop(name, None) if value is None else os.environ.__setitem__(name, value)
    words = [f"{made} made", f"{failed} passed over"]
    words += [f"{passed} there already"] if passed else []
    if stopped:
        click.echo(f"Stopped: {', '.join(words)}, {len(work) - made - failed} not done. The same command goes on.")
        raise SystemExit(STOPPED)
    click.echo(", ".join(words))
    if failed:
        raise SystemExit(1)


def _jobs(
    pictures: Sequence[Path], recipe: Recipe, folder: Path, wanted: tuple[Destination, ...], force: bool
) -> list[Job]:
    """A job for each picture. Raises Misuse where two would write the same file."""
    work = [_job(p, recipe, folder, wanted, force) for p in pictures]
    taken: set[Path] = set()
    for path in (path for job in work for path in job.paths()):
        if path in taken:
            raise Misuse(f"Two pictures would both become {path.name}", "", "Rename one of them")
        taken.add(path)
    return work


def _elsewhere(address: str, work: list[Job]) -> None:
    """The batch on a cluster, told as one on this machine is."""
    from rich.console import Console
    from rich.progress import track

    console, ended = Console(stderr=True), {"made": 0, "failed": 0, "before": 0}
    kept = signal.signal(signal.SIGTERM, _stop)
    client, stopped = connected(address), False
    try:
        for _, trouble in track(on_cluster(client, work), "Pictures", len(work), console=console):
            ended["before" if trouble == BEFORE else "failed" if trouble else "made"] += 1
            if trouble not in ("", BEFORE):
                console.print(f"engraver: {trouble}", markup=False, highlight=False, soft_wrap=True)
    except KeyboardInterrupt:
        stopped = True
    finally:
        signal.signal(signal.SIGTERM, kept)
        client.close(timeout=_GRACE)
    words = [f"{ended['made']} made", f"{ended['failed']} passed over"]
    words += [f"{ended['before']} there already"] if ended["before"] else []
    if stopped:
        left = len(work) - sum(ended.values())
        click.echo(f"Stopped: {', '.join(words)}, {left} not done. The same command goes on.")
        raise SystemExit(STOPPED)
    click.echo(", ".join(words))
    if ended["failed"]:
        raise SystemExit(1)


def _stop(number: int, frame: object) -> None:
    raise KeyboardInterrupt


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
