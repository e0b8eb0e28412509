"""Names of files made from names of plates."""

from __future__ import annotations

import re
import unicodedata


def file_stem(name: str) -> str:
    """A plate's name as a file name: letters of any script, digits, '-' and '_', never empty.

    >>> file_stem("Net weave / 2")
    'net-weave-2'
    """
    plain = unicodedata.normalize("NFC", name).strip().lower()
    return re.sub(r"[^\w]+", "-", plain).strip("-_")[:80] or "plate"
