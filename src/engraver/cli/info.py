"""``engraver check``, ``steps`` and ``destinations``: what is there, and whether files are ready."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import click
import numpy as np

from engraver.core.files.picture import Reading
from engraver.core.files.read import facts, load, read_bytes
from engraver.core.numeric.tone import luma
from engraver.core.params import specs
from engraver.core.raster import Pixels, Raster
from engraver.core.readiness import Destination, Gauge, measure
from engraver.core.readiness.deliver import zero_level
from engraver.core.starters import STARTERS
from engraver.core.steps import KINDS, StepKind, kind_of

from .destination_type import FOR, offered
from .misuse import Misuse
from .reference import allowed, default
from .tables import PlainTable, print_gauges

AT_FAULT = 3


def _gauge_json(gauge: Gauge) -> dict[str, Any]:
    return {
        "id": gauge.id,
        "value": gauge.value,
        "values": dict(gauge.numbers),
        "says": gauge.says,
        "good_zone": list(gauge.zone),
        "verdict": gauge.verdict,
    }


def _over_ground(raster: Raster, to: Destination) -> Pixels:
    """The grey of a file as it is used: what is transparent shows the destination's untouched ground."""
    pixels = raster.pixels if raster.channels == 1 else luma(raster.pixels)
    if raster.coverage is None:
        return pixels
    ground = np.float32(zero_level(to))
    return ground + raster.coverage * (pixels - ground)


@click.command()
@click.argument("files", metavar="FILE...", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--for", "wanted", required=True, multiple=True, type=FOR, help="A destination; may be given again.")
@click.option("--json", "as_json", is_flag=True, help="For programs.")
def check(files: tuple[Path, ...], wanted: tuple[Destination, ...], as_json: bool) -> None:
    """Measure finished files, ours or not, against destinations. Exit code 3 when a gauge is at fault.

    Polarity and zero are read from the destination: it says what white and black mean.
    """
    found = []
    for path in files:
        data = read_bytes(path)
        whole = facts(data, path.name).samples in ("whole", "bits")
        raster = load(data, path.name, Reading() if whole else Reading(lo=0.0, hi=1.0))  # floats as they are
        found += [(path, to, measure(_over_ground(raster, to), to)) for to in wanted]
    if as_json:
        rows = [{"file": str(p), "for": to.id, "gauges": [_gauge_json(g) for g in gauges]} for p, to, gauges in found]
        click.echo(json.dumps(rows, indent=1))
    else:
        for path, to, gauges in found:
            print_gauges(path.name, to, gauges)
    if any(g.verdict == "fault" for _, _, gauges in found for g in gauges):
        raise SystemExit(AT_FAULT)


def kind_json(kind: StepKind) -> dict[str, Any]:
    """A step kind's declaration as plain data."""
    return {
        "id": kind.id, "name": kind.name, "group": kind.group, "help": kind.help, "version": kind.version,
        "takes": kind.takes, "gives": kind.gives, "agreement": kind.agreement, "only_here": kind.only_here,
        "settings": [
            {
                "name": name, "kind": s.kind.id, "label": s.label, "help": s.help, "default": s.default,
                "lowest": s.lo, "highest": s.hi, "unit": s.unit, "choices": [c for c, _ in s.choices],
                "when": {other: list(allowed) for other, allowed in s.when},
            }
            for name, s in specs(kind.params).items()
        ],
    }  # fmt: skip


@click.command()
@click.argument("id", required=False)
@click.option("--json", "as_json", is_flag=True, help="For programs.")
def steps(id: str | None, as_json: bool) -> None:
    """List the steps, or tell one with its settings."""
    if id is not None and id not in KINDS:
        raise Misuse(f"There is no step called {id!r}", "", f"Steps are: {', '.join(KINDS)}")
    if as_json:
        data = kind_json(kind_of(id)) if id else [kind_json(k) for k in KINDS.values()]
        click.echo(json.dumps(data, indent=1))
        return
    if id is None:
        table = PlainTable("id", "group", "what it does")
        for kind in KINDS.values():
            table.row(kind.id, kind.group, kind.help)
        table.print()
        return
    kind = kind_of(id)
    click.echo(f"{kind.id} · {kind.help}")
    table = PlainTable("setting", "default", "allowed", "what it does")
    for name, spec in specs(kind.params).items():
        table.row(name, default(spec).strip("`"), allowed(spec).replace("`", ""), spec.help)
    table.print()


@click.command()
@click.option("--json", "as_json", is_flag=True, help="For programs.")
def destinations(as_json: bool) -> None:
    """List the destinations."""
    if as_json:
        click.echo(json.dumps([d.model_dump(mode="json") for d in offered().values()], indent=1))
        return
    table = PlainTable("id", "name", "polarity", "file")
    for d in offered().values():
        table.row(
            d.id, d.name, d.polarity(), f"{d.sizes.smallest} to {d.sizes.largest}, {d.file_words()}",
        )  # fmt: skip
    table.print()


@click.command()
def starters() -> None:
    """List the starters: finished examples for ``make --start NAME``."""
    table = PlainTable("name", "what it is", "ready for")
    for one in STARTERS.values():
        table.row(one.id, f"{one.name}: {one.help}", one.ready_for)
    table.print()
