"""The dialogs that ask for files and folders: each begins where things of its kind were last, in any session."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Literal

from PySide6.QtWidgets import QFileDialog, QWidget

from engraver.core.files.names import is_folder

from .prefs import Prefs

Kind = Literal[
    "source", "project", "recipe", "watched", "outline", "font", "trial", "finished", "destination", "cabinet"
]
# These do not begin where a source was opened: what is written into a watched folder is taken for another one.
_APART: tuple[Kind, ...] = ("watched", "finished", "destination")
_PLAIN = QFileDialog.Option.HideNameFilterDetails


class FileDialogs:
    """Asks, and remembers in the preferences where what was chosen lies; nothing where it was called off."""

    def __init__(self, prefs: Callable[[], Prefs], keep: Callable[[Prefs], None]) -> None:
        self._prefs, self._keep = prefs, keep

    def open(self, parent: QWidget, title: str, kind: Kind, filters: str) -> Path | None:
        """One file that is there."""
        name, _ = QFileDialog.getOpenFileName(parent, title, str(self.begin(kind)), filters, options=_PLAIN)
        return self._chosen(kind, name)

    def open_some(self, parent: QWidget, title: str, kind: Kind, filters: str) -> list[Path]:
        """Files that are there."""
        names, _ = QFileDialog.getOpenFileNames(parent, title, str(self.begin(kind)), filters, options=_PLAIN)
        return [path for name in names if (path := self._chosen(kind, name)) is not None]

    def save(
        self, parent: QWidget, title: str, kind: Kind, name: str, filters: str, *,
        begin: Path | None = None, asks: bool = True,
    ) -> tuple[Path | None, str]:  # fmt: skip
        """A file to write, ``name`` unless another is typed, and which of the filters was chosen.

        It begins in the folder ``begin`` where that is given, and unless it ``asks`` takes a file that is there.
        """
        start, options = (begin or self.begin(kind)) / name, _PLAIN
        if not asks:
            options |= QFileDialog.Option.DontConfirmOverwrite
        typed, chosen = QFileDialog.getSaveFileName(parent, title, str(start), filters, options=options)
        return self._chosen(kind, typed), chosen

    def folder(self, parent: QWidget, title: str, kind: Kind, begin: Path | None = None) -> Path | None:
        """A folder that is there; it begins in ``begin`` where that is given."""
        name = QFileDialog.getExistingDirectory(parent, title, str(begin or self.begin(kind)))
        if not name:
            return None
        self.remember(kind, Path(name))
        return Path(name)

    def begin(self, kind: Kind) -> Path:
        """Where files of a kind were last, else where a file was opened last, else the user's own folder."""
        prefs = self._prefs()
        near = [dict(prefs.folders).get(kind, "")]
        if kind not in _APART:
            near += [str(Path(p).parent) for p in prefs.recent[:1]]
        return next((Path(p) for p in near if p and is_folder(Path(p))), Path.home())

    def remember(self, kind: Kind, folder: Path) -> None:
        """Files of a kind lie in this folder now."""
        prefs, at = self._prefs(), str(folder.absolute())
        if dict(prefs.folders).get(kind) != at:
            self._keep(prefs.with_folder(kind, at))

    def _chosen(self, kind: Kind, name: str) -> Path | None:
        if not name:
            return None
        self.remember(kind, Path(name).parent)
        return Path(name)
