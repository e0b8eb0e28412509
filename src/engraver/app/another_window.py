"""Another window: the program once more, on its own, so that nothing that happens to one touches the other."""

from __future__ import annotations

import sys
from pathlib import Path

from PySide6.QtCore import QProcess

from engraver.core.project.project_file import EXTENSION

from .host import Host


def command_of(*paths: Path) -> list[str]:
    """What starts the program on files, with this Python."""
    return [sys.executable, "-m", "engraver", "open", *map(str, paths)]


def open_another(host: Host, *paths: Path) -> None:
    """Start the program once more; it goes on when this window is closed."""
    program, *words = command_of(*paths)
    began, _ = QProcess.startDetached(program, words)
    what = f" on {paths[0].name}" if paths else ""
    if began:
        host.studio.told.emit(f"Another window{what} opens.", "good")
    else:
        host.studio.told.emit("Another window could not be opened. Start Engraver once more by its icon.", "fault")


def ask_another(host: Host) -> None:
    """Ask for a project, and open it in a window of its own."""
    path = host.ui.files.open(
        host.widget, "Open a project in another window", "project", f"Engraver projects (*{EXTENSION})"
    )
    if path is not None:
        open_another(host, path)
