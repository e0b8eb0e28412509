"""What an entry was before it was kept again, and the way back."""

from __future__ import annotations

import json
import time

from .entry import Entry
from .rows import CabinetTrouble
from .store import Cabinet
from .to_keep import of_picture


def bring_back(cabinet: Cabinet, id: str, picture: str) -> Entry:
    """An entry with a picture of its history in place; the present one goes into the history.

    Raises
    ------
    CabinetTrouble, FileTrouble, BadPicture
        It is gone, or its picture cannot be read.
    """
    entry = cabinet.entry(id)
    rows = cabinet.rows("SELECT more FROM history WHERE entry = ? AND picture = ? ORDER BY kept DESC", (id, picture))
    if not rows:
        raise CabinetTrouble("That is no longer in its history")
    more = json.loads(rows[0][0])
    old = of_picture(entry.model_copy(update={"more": more}), cabinet.blobs.get(picture))
    height, width = old.sides
    with cabinet.changing() as base:
        now = id, time.time(), entry.picture, json.dumps(entry.more)
        base.execute("INSERT INTO history VALUES (?, ?, ?, ?)", now)
        entry = old.entry.model_copy(update={"picture": picture, "width": width, "height": height})
        cabinet.put(base, entry, old.likeness)
    return entry
