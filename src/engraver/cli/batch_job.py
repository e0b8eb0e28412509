"""One picture of a batch, as another process makes it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from engraver.core.engine import Engine, Request, SourceStore
from engraver.core.engine.line import assemble
from engraver.core.errors import EngraverError
from engraver.core.files.atomic import write_bytes
from engraver.core.files.read import read_bytes
from engraver.core.files.write import encode
from engraver.core.readiness.export import Order, write_orders
from engraver.core.recipe import Recipe


@dataclass(frozen=True, slots=True)
class Job:
    """One picture: where it is, what becomes of it, where that goes."""

    picture: Path
    recipe: Recipe
    plain: Path | None
    orders: tuple[Order, ...]
    force: bool

    def paths(self) -> list[Path]:
        """The files that it writes."""
        return [path for order in self.orders for path in order.paths()] + ([self.plain] if self.plain else [])


def do(job: Job) -> str:
    """Make one picture; returns what went wrong, or nothing. Runs in a process of its own."""
    try:
        sources = SourceStore(limit=0)
        source = sources.add(read_bytes(job.picture), job.picture.name)
        line = assemble(source, sources.start(source), job.recipe.steps, 1, sources)
        raster = Engine(sources).evaluate(line, Request(exact=True)).raster
        if job.plain is not None:
            write_bytes(job.plain, encode(raster.flat(), "png", "16"), overwrite=job.force)
        write_orders(raster, job.orders, overwrite=job.force)
    except EngraverError as error:
        return error.sentence()
    return ""
