"""How large the window stands on the screen, from one session to the next."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

# The size of a first window; what a frame's title takes of the screen beside it; the most that is believed.
SIZE, _TITLE, _MOST = (1280, 800), 40, 20_000


@dataclass(frozen=True, slots=True)
class Stand:
    """The size in pixels, 0 by 0 where no window was closed yet; whether it fills the screen; the screen's name."""

    width: int = 0
    height: int = 0
    maximised: bool = False
    screen: str = ""

    def within(self, width: int, height: int) -> Stand:
        """The same on a screen that has so much room: no larger, and whole on it where a first one has not enough."""
        room = height - _TITLE
        if not self.width or not self.height:
            small = width <= SIZE[0] or room < SIZE[1]
            return Stand(min(SIZE[0], width), min(SIZE[1], room), self.maximised or small, self.screen)
        return Stand(min(self.width, width), min(self.height, room), self.maximised, self.screen)


def load(path: Path) -> Stand:
    """What was kept; a first window's where it is missing or broken."""
    try:
        known: dict[str, Any] = json.loads(path.read_bytes())
        width, height = (int(known[name]) for name in ("width", "height"))
        if not (0 < width <= _MOST and 0 < height <= _MOST):
            return Stand()
        return Stand(width, height, known.get("maximised") is True, str(known.get("screen", ""))[:200])
    except (OSError, ValueError, TypeError, KeyError, AttributeError, RecursionError):
        return Stand()


def to_json(stand: Stand) -> bytes:
    """As it is kept."""
    return json.dumps(asdict(stand)).encode()


def stand_of(window: QWidget) -> Stand:
    """How a window stands now."""
    size = window.normalGeometry().size() if window.isMaximized() else window.size()
    return Stand(size.width(), size.height(), window.isMaximized(), window.screen().name())


def place(window: QWidget, stand: Stand) -> None:
    """Give a window that is not shown yet the size it had. Where it stands is the desktop's matter, but for a screen
    that is not the first: there it comes back to the middle."""
    from PySide6.QtCore import Qt
    from PySide6.QtGui import QGuiApplication

    first = QGuiApplication.primaryScreen()
    on = next((one for one in QGuiApplication.screens() if one.name() == stand.screen), first)
    free = on.availableGeometry()
    fits = stand.within(free.width(), free.height())
    window.resize(fits.width, fits.height)
    if on is not first:
        window.move(free.center() - window.rect().center())
    if fits.maximised:
        window.setWindowState(Qt.WindowState.WindowMaximized)
