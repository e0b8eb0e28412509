"""Words to be shown, in one line or several."""

from __future__ import annotations

from typing import Any, Never

from ...raster import Facts
from ..spec import FieldKind, FieldSpec, declared

# Characters of a text.
MOST = 2000


def _parse(text: str, spec: FieldSpec, facts: Facts) -> str:
    """As it is typed; \\n begins another line."""
    return text.replace("\\n", "\n")


WORDS = FieldKind(
    "words", parse=_parse, allowed=lambda spec: f"text of up to {MOST} characters; `\\n` begins another line",
    row="words", form="as text",
)  # fmt: skip


def words(default: str, label: str, help: str, **unknown: Never) -> Any:
    """Declares a field that holds text."""
    return declared(FieldSpec(WORDS, label, help, default, unknown=tuple(unknown)), max_length=MOST)
