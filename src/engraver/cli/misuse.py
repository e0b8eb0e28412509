"""Wrong use of the command line, told apart from work that failed."""

from __future__ import annotations

from engraver.core.errors import BadValue, EngraverError


class Misuse(BadValue):
    """A value on the command line is wrong: exit code 2."""


def as_misuse(error: EngraverError) -> Misuse:
    """The same words, as wrong use."""
    return Misuse(error.what, error.why, error.fix)
