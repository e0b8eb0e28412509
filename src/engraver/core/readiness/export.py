"""Exports: which files a plate is written to, written one by one, none of them half."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from ..errors import EngraverError, FileTrouble, Watch, unwatched
from ..files.atomic import write_bytes
from ..files.names import is_there
from ..files.write import EXTENSIONS, UNSIGNED, Signed
from ..raster import Raster
from .deliver import Delivered, deliver, fitting_side, fitting_side_of
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


def orders_for(
    wanted: Sequence[Destination], stem: str, size: tuple[int, int], folder_of: Callable[[Destination], Path], *,
    both: bool = False,
) -> tuple[Order, ...]:  # fmt: skip
    """The orders for several destinations at once, as the window and the terminal both make them.

    Parameters
    ----------
    stem : str
        The name that the destinations' patterns are filled with.
    size : (int, int)
        Width and height of the finished plate.
    folder_of : (destination) -> Path
    both : bool
        In the other polarity too.

    Where two would write the same file their ids tell them apart.
    """
    made = []
    for to in wanted:
        side = fitting_side_of(max(size), to) or max(size)
        name = stem if to.name_pattern == "{plate}" else to.stem(stem, side)
        made += [Order(to, folder_of(to), name, reverse) for reverse in ((False, True) if both else (False,))]
    twice = set(clashes(made))
    return tuple(
        Order(o.destination, o.folder, f"{o.stem}-{o.destination.id}", o.reverse) if twice & set(o.paths()) else o
        for o in made
    )


def refuse_clashes(orders: Sequence[Order], *, overwrite: bool) -> None:
    """Tell before anything is computed that files cannot be written.

    Raises
    ------
    FileTrouble
        Two orders write the same file, or one is there that may not be replaced.
    """
    for path in clashes(orders):
        raise FileTrouble(f"{path} was not written", "two exports would write it", "Give them names of their own")
    if not overwrite:
        for path in (p for order in orders for p in order.paths()):
            if is_there(path):
                raise FileTrouble(
                    f"{path} was not written", "it is there already", "Choose another name or replace it"
                )


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
    while any(is_there(path) for order in orders(now) for path in order.paths()):
        n += 1
        now = f"{stem}-{n}"
    return now


def write_orders(
    raster: Raster, orders: Sequence[Order], *, overwrite: bool, signed: Signed = UNSIGNED,
    check: Watch = unwatched,
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
