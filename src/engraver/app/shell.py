"""The window before it is furnished: its frame and grounds, painted while the rest is still being read."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QColor, QFont, QFontDatabase, QPainter, QPaintEvent
from PySide6.QtWidgets import QMainWindow

from .stand import SIZE
from .theme import Theme
from .theme.icons import pixmap
from .theme.tokens import RIM, TOP

FONTS = Path(__file__).parent.parent / "fonts"
LEAST = (1000, 660)


def load_fonts() -> None:
    """The family that ships with the program."""
    for path in sorted(FONTS.glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))


class Shell(QMainWindow):
    """The frame that the system shows. It stays; what is inside is put into it when it is ready."""

    painted, closing = Signal(), Signal()

    def __init__(self, theme: Theme, scale: float, words: str) -> None:
        super().__init__()
        self._theme, self._scale, self._words = theme, scale, words
        self._first = True
        self._inside: QMainWindow | None = None
        self.setWindowTitle("Engraver")
        self.resize(*SIZE)
        self.setMinimumSize(*LEAST)

    def furnish(self, inside: QMainWindow) -> None:
        """Put the real window into the frame."""
        focus = inside.focusWidget()
        inside.setWindowFlags(Qt.WindowType.Widget)
        inside.windowTitleChanged.connect(self.setWindowTitle)
        self.setWindowTitle(inside.windowTitle())
        self._inside = inside
        self.setCentralWidget(inside)
        if focus is not None:
            focus.setFocus()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._inside is None:
            self._paint_grounds()
        if self._first:
            self._first = False
            QTimer.singleShot(0, self.painted.emit)

    def _paint_grounds(self) -> None:
        theme, scale = self._theme, self._scale
        rim, top = round(RIM * scale), round(TOP * scale)
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.paper))
        painter.fillRect(0, 0, rim, self.height(), QColor(theme.panel))
        painter.fillRect(0, 0, self.width(), top, QColor(theme.panel))
        mark = pixmap("engraver", theme.ink, round(26 * scale), 2.0)
        painter.drawPixmap(round(12 * scale), round(6 * scale), mark)
        font = QFont("Inter")
        font.setPixelSize(round(12 * scale))
        painter.setFont(font)
        painter.setPen(QColor(theme.ink_2))
        painter.drawText(rim + round(12 * scale), 0, self.width(), top, Qt.AlignmentFlag.AlignVCenter, self._words)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.closing.emit()
        if self._inside is not None:
            self._inside.close()
        event.accept()
