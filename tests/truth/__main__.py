"""``python -m truth [NAME...]``: a row per thing; ends with 1 when one is not met."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict
from pathlib import Path

import click

from truth import CHECKS
from truth.fact import Fact, worst


def _table(found: dict[str, list[Fact]]) -> str:
    lines = [
        "# What is told, against what is so",
        "",
        "Made by `./dev truth --write docs/truth.md`, on open pictures that ship in packages and on shapes",
        "whose truth is known. *Off by* is a distance from the reference, *at most* what it may be.",
        "",
    ]
    for name, facts in found.items():
        lines += [
            f"## {name.replace('-', ' ').capitalize()}",
            "",
            "| thing | against | cases | worst case | off by | at most | met |",
        ]
        lines += ["| --- | --- | ---: | --- | ---: | ---: | --- |"]
        lines += [
            f"| {f.thing} | {f.reference} | {count} | {f.case} | {f.error:.3g} | {f.target:.3g} | "
            f"{'yes' if f.met else '**no**'} |"
            for f, count in worst(facts)
        ]
        lines.append("")
    return "\n".join(lines)


@click.command()
@click.argument("names", nargs=-1, type=click.Choice(list(CHECKS)))
@click.option("--json", "file", type=click.Path(path_type=Path), help="Also write the facts here.")
@click.option("--write", "page", type=click.Path(path_type=Path), help="Also write them as a page.")
@click.option("--quick", is_flag=True, help="Only what the tests run.")
def main(names: tuple[str, ...], file: Path | None, page: Path | None, quick: bool) -> None:
    """Check what the product says against what is so; everything when nothing is named."""
    found: dict[str, list[Fact]] = {}
    for name in names or CHECKS:
        click.echo(name)
        found[name] = []
        for fact in CHECKS[name](quick):
            found[name].append(fact)
            met = "met" if fact.met else "NOT MET"
            told = fact.thing, fact.case, fact.reference, f"{fact.error:.3g}", f"{fact.target:.3g}", met
            click.echo("  " + " | ".join(told))
    if file is not None:
        rows = [{"subject": n, **asdict(f), "met": f.met} for n, facts in found.items() for f in facts]
        file.write_text(json.dumps(rows, indent=1), encoding="utf-8")
    if page is not None:
        page.write_text(_table(found), encoding="utf-8")
    missed = sum(not f.met for facts in found.values() for f in facts)
    click.echo(f"{sum(map(len, found.values()))} checked, {missed} not met")
    sys.exit(1 if missed else 0)


if __name__ == "__main__":
    main()
