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

from .begin import Begin
from .places import Places

if TYPE_CHECKING:
    from .prefs import Prefs
    from .shell import Shell


def run(begin: Begin, *, shot: Path | None = None, theme: str | None = None) -> int:
    """Run the window until it is closed; with ``shot`` draw it into a PNG and end."""
    if shot is not None and not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    # PySide looks through the source of every module that is imported after it, for features of its
    # own that nothing here uses; that would take a tenth of the start.
    plain_import = builtins.__import__
    from PySide6.QtCore import QEventLoop
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
    shell = Shell(THEMES[prefs.theme], prefs.text_size, begin.words)
    shell.show()
    first = QEventLoop()
    shell.painted.connect(first.quit)
    first.exec()
    _tell("first paint")
    return _go_on(shell, places, prefs, begin, shot)


def _go_on(shell: Shell, places: Places, prefs: Prefs, begin: Begin, shot: Path | None) -> int:
    from PySide6.QtWidgets import QApplication

    from engraver.core.compiled import use_kernel_cache

    use_kernel_cache()
    from .lanes import favour_the_window
    from .start import furnish, shoot

    favour_the_window()
    window, opening = furnish(shell, places, prefs, begin, _tell)
    if shot is not None:
        code = shoot(window, opening, shot, sheet=bool(begin.sheet))
        shell.close()
    else:
        code = QApplication.exec() if shell.isVisible() else 0
    opening.end()
    return code


def _tell(what: str) -> None:
    """For the bench: how long after the start of the process something came about."""
    if os.environ.get("ENGRAVER_TELL_START"):
        print(f"{what} {time.clock_gettime(time.CLOCK_BOOTTIME) - _process_start():.3f}", flush=True)


def _process_start() -> float:
    fields = Path("/proc/self/stat").read_text().rpartition(")")[2].split()
    return int(fields[19]) / os.sysconf("SC_CLK_TCK")
