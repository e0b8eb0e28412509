"""Names by a pattern: for many pieces at once, and for the files of a pack."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

from ..errors import BadValue

# What a pattern can hold; as many n as the number has figures at least.
WORDS = {"{name}": "the name it has", "{prefix}": "the project's prefix", "{nn}": "a number: 01, 02, …"}
_PART = re.compile(r"\{([^{}]*)\}")
_NUMBER = re.compile(r"n+\Z")
LONGEST = 80


def by_pattern(pattern: str, names: Sequence[str], *, prefix: str = "", start: int = 1) -> list[str]:
    """A name for each of ``names``, in order; at most LONGEST letters each.

    Raises
    ------
    BadValue
        The pattern is empty, holds a word in braces that is none, or makes an empty name.

    Examples
    --------
    >>> by_pattern("{prefix} {name} {nn}", ["Rope", "Cork"], prefix="quay")
    ['quay Rope 01', 'quay Cork 02']
    """
    if not pattern.strip():
        raise BadValue("The pattern is empty", "", "Type a name, or {name} {nn}")
    made = []
    for n, name in enumerate(names, start):
        values = {"name": name, "prefix": prefix}

        def put(found: re.Match[str], n: int = n, values: dict[str, str] = values) -> str:
            word = found.group(1)
            if _NUMBER.match(word):
                return str(n).zfill(len(word))
            if word not in values:
                raise BadValue(f"{{{word}}} is no word of a pattern", "", f"There are {', '.join(WORDS)}")
            return values[word]

        text = " ".join(_PART.sub(put, pattern).split())[:LONGEST].strip()
        if not text:
            raise BadValue("The pattern makes an empty name", "", "Add {name} or {nn}")
        made.append(text)
    return made


def alike(names: Sequence[str]) -> set[str]:
    """Names that stand there more than once, upper and lower case counted as one."""
    counts = Counter(name.casefold() for name in names)
    return {name for name in names if counts[name.casefold()] > 1}
