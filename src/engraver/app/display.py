"""Whether there is a screen for a window, asked before Qt is: without one Qt ends the program with a dump."""

from __future__ import annotations

import ctypes
import os
import re
import socket
from importlib.util import find_spec
from pathlib import Path

from engraver.core.errors import EngraverError

# What Qt draws on an X screen with.
_PLUGIN = "Qt/plugins/platforms/libqxcb.so"
# A screen on another machine may take so many seconds to answer.
_PATIENCE_S = 3.0
# Screens are numbered from this port on (X.Org, X(7): "hostname:displaynumber.screennumber").
_PORT = 6000
_DISPLAY = re.compile(r"(?P<host>.*):(?P<number>\d{1,5})(?:\.\d+)?")
_ELSE = "make, batch, press and the other commands need none"


class NoScreen(EngraverError, RuntimeError):
    """There is nothing that a window could be shown on."""


def _answers(host: str, number: int) -> bool:
    """Whether a screen takes connections."""
    try:
        if host in ("", "unix"):
            for place in (f"\0/tmp/.X11-unix/X{number}", f"/tmp/.X11-unix/X{number}"):
                with socket.socket(socket.AF_UNIX) as line:
                    if line.connect_ex(place) == 0:
                        return True
            return False
        with socket.create_connection((host, _PORT + number), _PATIENCE_S):
            return True
    except (OSError, OverflowError):
        return False


def check_screen() -> None:
    """Raises NoScreen where no window can be shown, with what to do."""
    kind = re.split("[:;]", os.environ.get("QT_QPA_PLATFORM", ""))[0]
    if kind not in ("", "xcb") or (kind == "" and os.environ.get("WAYLAND_DISPLAY")):
        return
    what, name = "No window can be opened", os.environ.get("DISPLAY", "")
    if not name:
        raise NoScreen(what, "this session has no screen (DISPLAY is not set)", f"Start it on a desktop; {_ELSE}")
    told = _DISPLAY.fullmatch(name)
    if told is None or not _answers(told["host"], int(told["number"])):
        raise NoScreen(what, f"no screen answers at “{name[:60]}” (DISPLAY)", f"Start it on a desktop; {_ELSE}")
    check_libraries()


def check_libraries() -> None:
    """Raises NoScreen where the system lacks a library that Qt draws with, by the library's name."""
    found = find_spec("PySide6")
    plugin = Path(next(iter(found.submodule_search_locations or ("",)))) / _PLUGIN if found is not None else None
    if plugin is None or not plugin.exists():  # another build of Qt, which its own system looks after
        return
    try:
        ctypes.CDLL(str(plugin))
    except OSError as error:
        missing = str(error).partition(":")[0]
        raise NoScreen(
            "No window can be opened", f"the system's library {missing} is missing",
            "Install it; on Debian and Ubuntu: sudo apt-get install libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 "
            "libxcb-image0 libxcb-render-util0 libxkbcommon-x11-0 libegl1 libgl1",
        ) from error  # fmt: skip
