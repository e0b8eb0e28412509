"""Names of files made from names of plates, and paths as they are typed."""

from __future__ import annotations

import re
import unicodedata
from pathlib import Path


def file_stem(name: str) -> str:
    """A plate's name as a file name: letters of any script, digits, '-' and '_', never empty.

    >>> file_stem("Net weave / 2")
    'net-weave-2'
    """
    plain = unicodedata.normalize("NFC", name).strip().lower()
    return re.sub(r"[^\w]+", "-", plain).strip("-_")[:80] or "plate"


def typed_path(text: str) -> Path:
    """A path as it was typed, ``~`` for the home folder; one of a user that is not there stays as it is."""
    path = Path(text.replace("\0", ""))
    try:
        return path.expanduser()
    except RuntimeError:
        return path


def is_there(path: Path) -> bool:
    """Whether there is a file of this name; no where that may not be looked at."""
    try:
        return path.exists()
    except (OSError, ValueError):
        return False


def is_folder(path: Path) -> bool:
    """Whether a path is a folder; no where that may not be looked at."""
    try:
        return path.is_dir()
    except (OSError, ValueError):
        return False
