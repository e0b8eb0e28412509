"""The dialogs that ask for files and folders: each begins where things of its kind were last, in any session."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Literal

from PySide6.QtWidgets import QFileDialog, QWidget

from engraver.core.files.names import is_folder

from .prefs import Prefs

Kind = Literal["source", "project", "recipe", "watched", "outline", "font", "trial", "finished", "cabinet"]
PLAIN = QFileDialog.Option.HideNameFilterDetails


class FileDialogs:
    """Asks, and remembers in the preferences where what was chosen lies; nothing where it was called off."""

    def __init__(self, prefs: Callable[[], Prefs], keep: Callable[[Prefs], None]) -> None:
        self._prefs, self._keep = prefs, keep

    def open(self, parent: QWidget, title: str, kind: Kind, filters: str) -> Path | None:
        """One file that is there."""
        name, _ = QFileDialog.getOpenFileName(parent, title, str(self.begin(kind)), filters, options=PLAIN)
        return self._chosen(kind, name)

    def open_some(self, parent: QWidget, title: str, kind: Kind, filters: str) -> list[Path]:
        """Files that are there."""
        names, _ = QFileDialog.getOpenFileNames(parent, title, str(self.begin(kind)), filters, options=PLAIN)
        return [path for name in names if (path := self._chosen(kind, name)) is not None]

    def save(
        self, parent: QWidget, title: str, kind: Kind, name: str, filters: str, folder: Path | None = None
    ) -> tuple[Path | None, str]:
        """A file to write, ``name`` unless another is typed, and which of the filters was chosen.

        It begins in ``folder`` where that is given.
        """
        start = (folder or self.begin(kind)) / name
        typed, chosen = QFileDialog.getSaveFileName(parent, title, str(start), filters, options=PLAIN)
        return self._chosen(kind, typed), chosen

    def folder(self, parent: QWidget, title: str, kind: Kind) -> Path | None:
        """A folder that is there."""
        name = QFileDialog.getExistingDirectory(parent, title, str(self.begin(kind)))
        return self._chosen(kind, name, Path(name))

    def begin(self, kind: Kind) -> Path:
        """Where files of a kind were last, else where a file was opened last, else the user's own folder."""
        prefs = self._prefs()
        near: Iterable[str] = (dict(prefs.folders).get(kind, ""), *(str(Path(p).parent) for p in prefs.recent[:1]))
        return next((Path(p) for p in near if p and is_folder(Path(p))), Path.home())

    def _chosen(self, kind: Kind, name: str, folder: Path | None = None) -> Path | None:
        if not name:
            return None
        prefs, at = self._prefs(), str((folder or Path(name).parent).absolute())
        if dict(prefs.folders).get(kind) != at:
            self._keep(prefs.with_folder(kind, at))
        return Path(name)
