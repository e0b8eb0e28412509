"""How numbers are said."""

from __future__ import annotations


def per_cent(share: float, digits: int = 0) -> str:
    """A share as people read it: 0.125 is "12.5 %" with one digit."""
    return f"{100 * share:.{digits}f} %"


def about(share: float) -> str:
    """The same in as few figures as tell it: whole per cent from 10 on, else two figures."""
    return per_cent(share) if share >= 0.1 else f"{share * 100:.2g} %"


def counted(number: int, one: str, many: str = "") -> str:
    """How many of something: "1 piece", "5 pieces"; ``many`` where it takes more than an s: "2 fixes"."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"
