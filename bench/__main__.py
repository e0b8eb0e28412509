"""``python -m bench [NAME...] [--json FILE]``: a row per figure."""

from __future__ import annotations

import json
import os
from dataclasses import asdict
from pathlib import Path

import click
from rich.console import Console
from rich.table import Table

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as in the program, before NumPy is loaded

from bench import cabinet, cleaning, cords, core, delivery, many, meshes, packs, photo, relief, trials, wall, window
from bench.figures import Bench, Figure
from engraver.core.process import prepare

prepare()

BENCHES: dict[str, Bench] = {
    "start": window.start,
    "slider": window.slider,
    "proof": core.proof,
    "full-size": core.full_size,
    "memory": core.memory,
    "strokes": cleaning.strokes,
    "matte": cleaning.matte,
    "terraces": cleaning.terraces,
    "batch": many.batch,
    "mesh-read": meshes.reading,
    "mesh-capture": meshes.capturing,
    "mesh-ten-million": meshes.ten_million,
    "mesh-turn": meshes.turning,
    "tones": relief.tones,
    "shapes": relief.shapes,
    "hand": relief.hand,
    "sizes": delivery.sizes,
    "png": delivery.written,
    "growing": delivery.growing,
    "readiness": delivery.readiness,
    "building": delivery.building,
    "cabinet": cabinet.cabinet,
    "taking-in": cabinet.taking_in,
    "wall": wall.wall,
    "packs": packs.packs,
    "trial-strokes": trials.strokes,
    "trial-turning": trials.turning,
    "trial-replaying": trials.replaying,
    "trial-plate": trials.taken_back,
    "trial-memory": trials.memory,
    "cords": cords.made,
    "curves": cords.followed,
    "master": delivery.master,
    "photo": photo.photo,
}


@click.command()
@click.argument("names", nargs=-1, type=click.Choice(list(BENCHES)))
@click.option("--json", "file", type=click.Path(path_type=Path), help="Also write the figures here.")
def main(names: tuple[str, ...], file: Path | None) -> None:
    """Measure the figures; all of them when none is named."""
    figures: list[Figure] = []
    for name in names or BENCHES:
        figures += BENCHES[name]()
    table = Table(box=None, pad_edge=False)
    for heading in ("figure", "value", "unit", "compared with", "ratio", "target", "met"):
        table.add_column(heading, justify="right" if heading in ("value", "ratio") else "left")
    for f in figures:
        met = {True: "[green]yes[/]", False: "[red]no[/]", None: ""}[f.met]
        ratio = "" if f.ratio is None else f"{f.ratio:.2f}"
        table.add_row(f.name, f"{f.value:.4g}", f.unit, f.against, ratio, f.target, met)
    Console(width=130).print(table)
    if file is not None:
        file.write_text(json.dumps([asdict(f) for f in figures], indent=1), encoding="utf-8")


if __name__ == "__main__":
    main()
