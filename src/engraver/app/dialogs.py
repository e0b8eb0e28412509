"""Questions the window asks: what to open again, where to keep a recipe, which folder to watch, what to scan."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QMenu

from engraver.core.files.names import file_stem
from engraver.core.project import recipe_file
from engraver.core.recipe import Recipe

from .views.scan_sheet import ScanSheet

if TYPE_CHECKING:
    from .window import Window

PLAIN = QFileDialog.Option.HideNameFilterDetails


def open_recent(w: Window) -> None:
    """The files opened last, as a menu."""
    menu = QMenu(w)
    for text in w.prefs.recent:
        path = Path(text)
        menu.addAction(f"{path.name}    {path.parent}", partial(w.filing.open_paths, [path]))
    if not w.prefs.recent:
        menu.addAction("Nothing opened yet").setEnabled(False)
    menu.exec(w.top.mapToGlobal(w.top.rect().bottomLeft()))


def _kept(recipe: Recipe, path: Path) -> bool:
    recipe_file.save_recipe(recipe, path)
    return True


def keep_recipe(w: Window) -> None:
    """Write the plate's line of steps as a recipe file, for the terminal and for other pictures."""
    plate = w.studio.plate
    if plate is None:
        return
    start = f"{file_stem(plate.name)}{recipe_file.EXTENSION}"
    name, _ = QFileDialog.getSaveFileName(
        w, "Keep as a recipe", start, f"Recipes (*{recipe_file.EXTENSION})", options=PLAIN
    )
    if name:
        recipe = Recipe(id=plate.recipe, name=plate.name, steps=w.studio.steps)
        if w.studio.attempt(partial(_kept, recipe, Path(name))):
            w.studio.told.emit(f"Kept {Path(name).name}", "good")


def watch_folder(w: Window) -> None:
    """Choose a folder to watch, or stop watching the one that is."""
    if w.arrivals.folder is not None:
        w.arrivals.watch(None)
        w.studio.told.emit("No folder is watched any more.", "good")
        return
    name = QFileDialog.getExistingDirectory(w, "Watch a folder")
    if name:
        w.arrivals.watch(Path(name))


def scan(w: Window) -> None:
    """Scan a sheet; it becomes a plate."""
    sheet = ScanSheet(w.ui, w, w.scanner)
    scanned = sheet.scanned if sheet.exec() else None
    sheet.deleteLater()
    if scanned is not None:
        w.filing.open_bytes(*scanned)
