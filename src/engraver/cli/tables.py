"""Tables for the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from engraver.core.readiness import Destination, Gauge, summary
from engraver.core.readiness.gauge import VERDICTS
from engraver.core.words import per_cent

_MARK = {
    "good": Text("good", "green"), "look": Text("look", "yellow"), "fault": Text("fault", "red"),
    "unsure": Text("cannot tell"),
}  # fmt: skip


class PlainTable:
    """Rows under headings, in which every word is printed as it stands: names may hold any sign."""

    def __init__(self, *headings: str, title: str = "") -> None:
        self._table = Table(box=None, pad_edge=False, title=Text(title) if title else None, title_justify="left")
        for heading in headings:
            self._table.add_column(Text(heading))

    def row(self, *cells: str | Text) -> None:
        """One row more."""
        self._table.add_row(*(Text(cell) if isinstance(cell, str) else cell for cell in cells))

    def print(self) -> None:
        Console().print(self._table)


def zone_words(gauge: Gauge) -> str:
    """The good zone of a gauge in its own terms."""
    lo, hi = gauge.zone
    if gauge.id == "size":
        return f"{2**lo:.0f} to {2**hi:.0f}"
    if gauge.id in ("range", "border", "steepness", "clipping", "banding", "centre", "noise", "detail", "polarity"):
        return f"{per_cent(lo, 1)} to {per_cent(hi, 1)}"
    return f"{lo:.2f} to {hi:.2f}"


def print_gauges(name: str, to: Destination, gauges: Sequence[Gauge]) -> None:
    """One row per gauge, and the verdict counted honestly."""
    table = PlainTable("gauge", "value", "good zone", "verdict", "", title=f"{name} · {to.name}")
    for gauge in gauges:
        table.row(gauge.name, gauge.value, zone_words(gauge), _MARK[gauge.verdict], gauge.says)
    table.print()
    counts = summary(gauges)
    Console().print(Text(" · ".join(f"{counts[v]} {word}" for v, word, _ in VERDICTS if counts[v])))
