"""Exports: which files a plate is written to, written one by one, none of them half."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from ..errors import EngraverError, FileTrouble
from ..files.atomic import write_bytes
from ..files.write import EXTENSIONS, UNSIGNED, Signed
from ..raster import Raster
from .deliver import Delivered, deliver, fitting_side
from .destinations import Destination

TURNED = "-turned"


@dataclass(frozen=True, slots=True)
class Order:
    """One delivery: for what, where to, under which name, in which polarity."""

    destination: Destination
    folder: Path
    stem: str
    reverse: bool = False

    @property
    def full_stem(self) -> str:
        return self.stem + (TURNED if self.reverse else "")

    def paths(self) -> list[Path]:
        """The files that it writes."""
        to = self.destination
        endings = [to.extension, *([EXTENSIONS[to.twin.format]] if to.twin else [])]
        if to.format == "raw":
            endings.append(".txt")
        return [self.folder / f"{self.full_stem}{ending}" for ending in endings]


def delivered(raster: Raster, order: Order) -> Delivered:
    """What an order comes to: brought to a side that its destination allows."""
    to = order.destination
    return deliver(raster, to, side=fitting_side(raster, to), reverse=order.reverse)


def clashes(orders: Sequence[Order]) -> list[Path]:
    """Files that two orders would write."""
    seen: set[Path] = set()
    twice = []
    for path in (p for order in orders for p in order.paths()):
        if path in seen:
            twice.append(path)
        seen.add(path)
    return twice


def free_stem(orders: Callable[[str], Sequence[Order]], stem: str) -> str:
    """The stem, or the same with the first number at which none of the files is there yet."""
    n, now = 1, stem
    while any(path.exists() for order in orders(now) for path in order.paths()):
        n += 1
        now = f"{stem}-{n}"
    return now


def write_orders(
    raster: Raster, orders: Sequence[Order], *, overwrite: bool, signed: Signed = UNSIGNED,
    check: Callable[[], None] = lambda: None,
) -> list[Path]:  # fmt: skip
    """Write every file of the orders; each is whole or not there at all.

    Raises
    ------
    EngraverError
        The first trouble, telling which files were written before it; nothing half-written stays.
    """
    written: list[Path] = []
    try:
        for order in orders:
            check()
            one = delivered(raster, order)
            for name, data in one.files(order.full_stem, signed):
                write_bytes(order.folder / name, data, overwrite=overwrite)
                written.append(order.folder / name)
    except EngraverError as error:
        if not written:
            raise
        names = ", ".join(path.name for path in written)
        why = f"{error.why or 'it was stopped'}; already written: {names}"
        raise FileTrouble(error.what, why, error.fix) from error
    return written
