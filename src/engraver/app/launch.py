"""Starting the program: its frame first, all that takes time to read after that has been painted."""

from __future__ import annotations

import builtins
import os
import sys
import time
from dataclasses import replace
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING

from . import stand
from .display import check_screen
from .places import Places
from .start_wish import StartWish

if TYPE_CHECKING:
    from .prefs import Prefs
    from .shell import Shell

# A frame that nobody sees, on another workspace, is not painted: it is furnished after so many milliseconds.
_UNSEEN_MS = 1000


def run(wish: StartWish, *, shot: Path | None = None, theme: str | None = None) -> int:
    """Run the window until it is closed; with ``shot`` draw it into a PNG and end. Raises NoScreen."""
    if shot is not None and not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    check_screen()
    # PySide looks through the source of every module that is imported after it, for features of its
    # own that nothing here uses; that would take a tenth of the start.
    plain_import = builtins.__import__
    from PySide6.QtCore import QEventLoop, QTimer
    from PySide6.QtGui import QIcon
    from PySide6.QtWidgets import QApplication

    builtins.__import__ = plain_import
    from . import prefs as preferences
    from .shell import Shell, load_fonts
    from .theme import THEMES

    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("Engraver")
    app.setDesktopFileName("engraver")
    app.setWindowIcon(QIcon(str(resources.files("engraver.app.theme").joinpath("icons/engraver-app.svg"))))
    app.setStyle("Fusion")
    load_fonts()
    places = Places.of_user()
    prefs = preferences.load(places.prefs)
    if theme is not None:
        prefs = replace(prefs, theme=theme)
    shell = Shell(THEMES[prefs.theme], prefs.text_size, wish.words)
    if shot is None:
        stand.place(shell, stand.load(places.stand))
    shell.show()
    first = QEventLoop()
    shell.painted.connect(first.quit)
    QTimer.singleShot(_UNSEEN_MS, first.quit)
    first.exec()
    _tell("first paint")
    if not shell.isVisible():  # closed before there was anything in it
        return 0
    return _go_on(shell, places, prefs, wish, shot)


def _go_on(shell: Shell, places: Places, prefs: Prefs, wish: StartWish, shot: Path | None) -> int:
    """Read the rest, furnish the frame and run until it is closed; the exit code."""
    from PySide6.QtWidgets import QApplication

    from engraver.core.compiled import use_kernel_cache

    use_kernel_cache()
    from .lanes import favour_the_window
    from .start import furnish, shoot

    favour_the_window()
    window, opening = furnish(shell, places, prefs, wish, _tell)
    if shot is not None:
        code = shoot(window, opening, shot, sheet=bool(wish.sheet))
        shell.close()
    else:
        shell.closing.connect(lambda: window.filing.write_soon(places.stand, stand.to_json(stand.stand_of(shell))))
        code = QApplication.exec()
    opening.end()
    return code


def _tell(what: str) -> None:
    """For the bench: how long after the start of the process something came about."""
    if os.environ.get("ENGRAVER_TELL_START"):
        print(f"{what} {time.clock_gettime(time.CLOCK_BOOTTIME) - _process_start():.3f}", flush=True)


def _process_start() -> float:
    fields = Path("/proc/self/stat").read_text().rpartition(")")[2].split()
    return int(fields[19]) / os.sysconf("SC_CLK_TCK")
