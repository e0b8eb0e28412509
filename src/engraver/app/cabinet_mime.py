"""Entries of the cabinet as they are dragged."""

from __future__ import annotations

import json
from pathlib import Path

from PySide6.QtCore import QMimeData, QUrl

ENTRIES = "application/x-engraver-entries"


def dragged(ids: tuple[str, ...], files: list[Path]) -> QMimeData:
    """Entries for this window, their finished files for any other."""
    data = QMimeData()
    data.setData(ENTRIES, json.dumps(ids).encode())
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in files])
    return data


def entries_of(data: QMimeData) -> tuple[str, ...]:
    """Ids of the entries that are dragged; none for anything else."""
    if not data.hasFormat(ENTRIES):
        return ()
    try:
        found = json.loads(bytes(data.data(ENTRIES).data()))
    except ValueError:
        return ()
    return tuple(id for id in found if isinstance(id, str)) if isinstance(found, list) else ()
