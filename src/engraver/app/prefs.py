"""Preferences: look, text size, recent files. Kept in the user's configuration directory."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

TEXT_SIZES = (0.9, 1.0, 1.1, 1.25, 1.5)
RECENT, FOLDERS = 8, 40


@dataclass(frozen=True, slots=True)
class Prefs:
    theme: str = "day"
    text_size: float = 1.0
    recent: tuple[str, ...] = ()
    folders: tuple[tuple[str, str], ...] = ()

    def with_folder(self, kind: str, folder: str) -> Prefs:
        """The same with files of a kind in another folder."""
        return replace(self, folders=tuple({**dict(self.folders), kind: folder}.items()))

    def with_recent(self, path: Path) -> Prefs:
        """The same with ``path`` as the most recent file."""
        text = str(path.resolve())
        return replace(self, recent=(text, *(p for p in self.recent if p != text))[:RECENT])


def load(path: Path) -> Prefs:
    """What was kept, or the defaults where it is missing or broken."""
    try:
        values: dict[str, Any] = json.loads(path.read_bytes())
        size = float(values.get("text_size", 1.0))
        return Prefs(
            theme="lamp" if values.get("theme") == "lamp" else "day",
            text_size=size if size in TEXT_SIZES else 1.0,
            recent=tuple(str(p)[:4096] for p in values.get("recent", ()))[:RECENT],
            folders=tuple((str(kind)[:40], str(at)[:4096]) for kind, at in values.get("folders", ()))[:FOLDERS],
        )
    except (OSError, ValueError, TypeError, AttributeError, RecursionError):
        return Prefs()


def to_json(prefs: Prefs) -> bytes:
    """The preferences as they are kept."""
    return json.dumps(asdict(prefs)).encode()
