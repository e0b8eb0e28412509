"""Parameters typed as text: ``margin=16px``, ``fade=22%``, ``side=512*2``.

Lengths are fractions of the shorter side, or ``px`` of the full-size raster at
that step, or ``%``. Numbers take arithmetic. Other values are plain, JSON, or
``@file`` for the contents of a JSON file.
"""

from __future__ import annotations

from typing import Any

from ..errors import BadValue
from ..raster import Facts
from .spec import FieldSpec


def parse_value(text: str, spec: FieldSpec, facts: Facts) -> Any:
    """Read one typed value by its field's kind.

    Parameters
    ----------
    text : str
        What was typed.
    spec : FieldSpec
        The field it is for.
    facts : Facts
        Of the full-size raster that enters the step; turns ``px`` into fractions.

    Raises
    ------
    BadValue
        When it cannot be read.
    """
    return _parsed(text, text, spec, facts)


def _parsed(text: str, typed: str, spec: FieldSpec, facts: Facts) -> Any:
    """``typed`` is what the artist sees in an error."""
    try:
        return spec.kind.parse(text, spec, facts)
    except BadValue:
        raise
    except ValueError as error:
        why = str(error) if str(error).startswith("it is") else "it is not a number"
        raise BadValue(f"{spec.label} cannot be {typed!r}", why, _hint(spec, facts)) from None


def typed_value(text: str, spec: FieldSpec, facts: Facts) -> Any:
    """What was typed in the window: a bare number is in the unit that is shown. Raises BadValue."""
    return _parsed(spec.kind.bare(text, spec), text, spec, facts)


def shown_value(value: Any, spec: FieldSpec, facts: Facts) -> str:
    """A value as it is read in the window: lengths in pixels of the full-size plate."""
    return spec.kind.show(value, spec, facts)


def _hint(spec: FieldSpec, facts: Facts) -> str:
    """What may be given, in the unit that is shown."""
    ends = (spec.lo, spec.hi)
    span = "" if spec.lo is None else f" between {' and '.join(spec.kind.show(e, spec, facts) for e in ends)}"
    verb = "Use" if spec.kind.row == "switch" else "Give it"
    return f"{verb} {spec.kind.form}{span}"


def split_words(text: str) -> list[str]:
    """Words of a typed step, parted by spaces outside quotes and brackets; JSON keeps its own quotes.

    Raises
    ------
    BadValue
        When a quote or a bracket is left open.
    """
    words, word, depth, quote, begun = [], "", 0, "", False
    for letter in text:
        if quote:
            if letter == quote:
                quote = ""
                word += letter if depth else ""
            else:
                word += letter
        elif letter in "\"'":
            quote, begun = letter, True
            word += letter if depth else ""
        elif letter.isspace() and depth == 0:
            if word or begun:
                words.append(word)
            word, begun = "", False
        else:
            depth += (letter in "[{") - (letter in "]}")
            word += letter
    if quote or depth > 0:
        raise BadValue(f"{text!r} cannot be read", "a quote or a bracket is left open", "Close it")
    return [*words, word] if word or begun else words


def parse_assignment(text: str) -> tuple[str, str]:
    """Split ``key=value``. Raises BadValue when there is no key or no ``=``."""
    key, mark, value = text.partition("=")
    if not mark or not key.strip():
        raise BadValue(f"{text!r} is not a setting", "it has no '='", "Write it as key=value")
    return key.strip(), value
