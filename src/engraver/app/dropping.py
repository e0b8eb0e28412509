"""What is dropped on the window: files, plates of the tray, pieces of the cabinet."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from PySide6.QtCore import QPoint, QTimer
from PySide6.QtGui import QDragEnterEvent, QDropEvent

from .cabinet_mime import entries_of
from .desks.bench import Bench
from .dialogs import files_of_drop
from .host import Host
from .views.plate_item import PlateItem


def welcome(event: QDragEnterEvent) -> None:
    """Say that it can be dropped, where it can."""
    own = isinstance(event.source(), PlateItem) or entries_of(event.mimeData())
    if own or (event.source() is None and event.mimeData().hasUrls()):
        event.acceptProposedAction()


def drop(host: Host, desk: str, event: QDropEvent) -> None:
    """Take what was dropped at a desk."""
    dragged, spot = event.source(), event.position().toPoint()
    kept = entries_of(event.mimeData())
    if isinstance(dragged, PlateItem):
        if cast(Bench, host.desk("bench")).put_on(dragged.plate.id, spot):
            event.acceptProposedAction()
        return
    event.acceptProposedAction()
    if kept:
        _entry(host, desk, kept[0], spot)
        return
    paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
    # Once the drop has ended: whoever dropped it must not wait for an answer.
    QTimer.singleShot(0, host.widget, lambda: host.filing.open_paths(files_of_drop(host, paths)))


def _entry(host: Host, desk: str, id: str, spot: QPoint) -> None:
    """Onto the plate or its line at the bench, else as a plate; into the hand at the proof desk."""
    if desk == "proof":
        host.using.try_on(id)
    elif desk == "bench":
        share = cast(Bench, host.desk("bench")).share_at(spot)
        if share is None:
            host.using.open(id)
        else:
            host.using.place(id, *share)
