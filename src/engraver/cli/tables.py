"""Tables for the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table

from engraver.core.readiness import Destination, Gauge, summary
from engraver.core.readiness.gauge import VERDICTS

_MARK = {"good": "[green]good[/]", "look": "[yellow]look[/]", "fault": "[red]fault[/]", "unsure": "cannot tell"}


def zone_words(gauge: Gauge) -> str:
    """The good zone of a gauge in its own terms."""
    lo, hi = gauge.zone
    if gauge.id == "size":
        return f"{2**lo:.0f} to {2**hi:.0f}"
    if gauge.id in ("range", "border", "steepness", "clipping", "banding", "centre", "noise", "detail", "polarity"):
        return f"{lo:.1%} to {hi:.1%}"
    return f"{lo:.2f} to {hi:.2f}"


def print_gauges(name: str, to: Destination, gauges: Sequence[Gauge]) -> None:
    """One row per gauge, and the verdict counted honestly."""
    table = Table(title=f"{name} · {to.name}", title_justify="left", box=None, pad_edge=False)
    for heading in ("gauge", "value", "good zone", "verdict", ""):
        table.add_column(heading)
    for gauge in gauges:
        table.add_row(gauge.name, gauge.value, zone_words(gauge), _MARK[gauge.verdict], gauge.says)
    console = Console()
    console.print(table)
    counts = summary(gauges)
    console.print(" · ".join(f"{counts[v]} {word}" for v, word, _ in VERDICTS if counts[v]))
