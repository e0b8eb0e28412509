"""``engraver batch``: one recipe over many pictures, in processes of their own."""

from __future__ import annotations

import signal
from collections.abc import Generator, Sequence
from contextlib import closing
from pathlib import Path

import click

from engraver.core.errors import FileTrouble
from engraver.core.files.atomic import there
from engraver.core.files.names import file_stem
from engraver.core.project.recipe_file import open_recipe
from engraver.core.readiness import Destination
from engraver.core.readiness.export import orders_for
from engraver.core.recipe import Recipe
from engraver.core.recipe.first import READ_AS, shipped_recipe
from engraver.core.steps.size import Size

from .batch_here import on_this_machine
from .batch_job import Job
from .cluster import BEFORE, connected, on_cluster
from .destination_type import FOR
from .misuse import Misuse

# What a batch ends with that was stopped (128 and the number of SIGINT: common practice of shells).
STOPPED = 130


def named_recipe(name: str) -> Recipe:
    """A recipe that ships, by its kind, or one from a file."""
    if name in READ_AS:
        return shipped_recipe(name)  # type: ignore[arg-type]
    if not Path(name).suffix and not Path(name).exists():
        raise Misuse(f"There is no recipe {name!r}", "", f"Name a file, or one that ships: {', '.join(READ_AS)}")
    return open_recipe(Path(name))


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
    steps, passed = named_recipe(recipe), 0
    if scheduler:
        # Paths as the workers see them: what is typed without a root begins in the present folder.
        pictures, folder = tuple(path.absolute() for path in pictures), folder.absolute()
        work = _jobs(pictures, steps, folder, wanted, force)
        results = on_cluster(connected(scheduler), work)
    else:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            why = error.strerror or "the system refused"
            raise FileTrouble(f"The folder {folder} cannot be made", why, "Choose another one") from error
        every = _jobs(pictures, steps, folder, wanted, force)
        work = every if force else [job for job in every if not all(there(path) for path in job.paths())]
        passed = len(every) - len(work)
        results = on_this_machine(work, jobs, folder)
    _tell(results, len(work), passed)


def _tell(results: Generator[tuple[Job, str]], count: int, before: int) -> None:
    """Say how each of ``count`` pictures ended, and at last how many; ``before`` were there already."""
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    ended, stopped = {"made": 0, "wrong": 0, "there": 0}, False
    kept = signal.signal(signal.SIGTERM, _stop)
    try:
        with Progress(*columns, console=Console(stderr=True)) as progress, closing(results):
            bar = progress.add_task("Pictures", total=count)
            for _, trouble in results:
                ended["there" if trouble == BEFORE else "wrong" if trouble else "made"] += 1
                if trouble not in ("", BEFORE):
                    progress.console.print(f"engraver: {trouble}", markup=False, highlight=False, soft_wrap=True)
                progress.advance(bar)
    except KeyboardInterrupt:
        stopped = True
    finally:
        signal.signal(signal.SIGTERM, kept)
    words = [f"{ended['made']} made", f"{ended['wrong']} passed over"]
    words += [f"{ended['there'] + before} there already"] if ended["there"] + before else []
    if stopped:
        left = count - sum(ended.values())
        click.echo(f"Stopped: {', '.join(words)}, {left} not done. The same command goes on.")
        raise SystemExit(STOPPED)
    click.echo(", ".join(words))
    if ended["wrong"]:
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


def _stop(number: int, frame: object) -> None:
    raise KeyboardInterrupt
