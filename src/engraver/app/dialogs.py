"""Questions the window asks: what to open again, where to keep a recipe, which folder to watch, what to scan."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QMenu

from engraver.core.files.names import file_stem
from engraver.core.project import recipe_file
from engraver.core.project.project_file import EXTENSION
from engraver.core.recipe import Recipe
from engraver.core.sources import EXTENSIONS as SOURCES

from .host import Host
from .question import sure
from .ui import literal
from .views.receiver_window import ReceiverWindow
from .views.scan_sheet import ScanSheet
from .views.start_board import StartSheet


def ask_files(w: Host) -> list[Path]:
    """The files to open: pictures, meshes, projects and recipes."""
    kinds = " ".join(f"*{e}" for e in (*SOURCES, EXTENSION, recipe_file.EXTENSION))
    return w.ui.files.open_some(
        w.widget, "Open", "source", f"Pictures, meshes, projects and recipes ({kinds});;All files (*)"
    )


def files_of_drop(w: Host, paths: list[Path]) -> list[Path]:
    """The files to open of what was dropped: for folders, those in them, once it is asked how many that are."""
    files: list[Path] = []
    for path in paths:
        if not path.is_dir():
            files.append(path)
            continue
        known = (*SOURCES, EXTENSION, recipe_file.EXTENSION)
        try:
            inside = sorted(p for p in path.iterdir() if p.suffix.lower() in known and p.is_file())
        except OSError:
            w.studio.told.emit(
                f"{path.name} may not be read. Change who may open it, or choose another folder.", "look"
            )
            continue
        if not inside:
            w.studio.told.emit(f"{path.name} holds no picture, mesh or project that can be opened.", "look")
        elif len(inside) == 1 or _wants(w, path.name, len(inside)):
            files += inside
    return files


def _wants(w: Host, folder: str, count: int) -> bool:
    question = f"Open the {count} files in {folder}? Each becomes a plate."
    return sure(w.widget, "Open a folder", question, "Open them")


def recent_menu(w: Host) -> QMenu:
    """The files opened last."""
    menu = QMenu(w.widget)
    for text in w.prefs.recent:
        path = Path(text)
        menu.addAction(literal(f"{path.name}    {path.parent}"), partial(w.filing.open_paths, [path]))
    if not w.prefs.recent:
        menu.addAction("Nothing opened yet").setEnabled(False)
    return menu


def open_recent(w: Host) -> None:
    """Offer the files opened last."""
    recent_menu(w).exec(w.head.mapToGlobal(w.head.rect().bottomLeft()))


def _kept(recipe: Recipe, path: Path) -> bool:
    recipe_file.save_recipe(recipe, path)
    return True


def keep_recipe(w: Host) -> None:
    """Write the plate's line of steps as a recipe file, for the terminal and for other pictures."""
    plate = w.studio.plate
    if plate is None:
        return
    start = f"{file_stem(plate.name)}{recipe_file.EXTENSION}"
    path, _ = w.ui.files.save(w.widget, "Keep as a recipe", "recipe", start, f"Recipes (*{recipe_file.EXTENSION})")
    if path is not None:
        recipe = Recipe(id=plate.recipe, name=plate.name, steps=w.studio.steps)
        if w.studio.attempt(partial(_kept, recipe, path)):
            w.studio.told.emit(f"Kept {path.name}", "good")


def watch_folder(w: Host) -> None:
    """Choose a folder to watch, or stop watching the one that is."""
    if w.arrivals.folder is not None:
        w.arrivals.watch(None)
        w.studio.told.emit("No folder is watched any more.", "good")
        return
    folder = w.ui.files.folder(w.widget, "Watch a folder", "watched")
    if folder is not None:
        w.arrivals.watch(folder)


def scan(w: Host) -> None:
    """Scan a sheet; it becomes a plate."""
    sheet = ScanSheet(w.ui, w.widget, w.scanner)
    scanned = sheet.scanned if sheet.exec() else None
    sheet.deleteLater()
    if scanned is not None:
        w.filing.open_bytes(*scanned)


def receiver(host: Host) -> None:
    """The practice receiver, in a window of its own."""
    window = ReceiverWindow(host.ui, host.widget)
    window.exec()
    window.end()
    window.deleteLater()


def new_plate(host: Host) -> None:
    """The board of starts."""
    StartSheet(host.ui, host.widget).exec()
