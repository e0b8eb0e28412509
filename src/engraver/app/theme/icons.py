"""Our own icons: SVGs drawn in one weight, coloured when they are used."""

from __future__ import annotations

from functools import cache, lru_cache
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QIcon, QImage, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer

ICONS = Path(__file__).parent / "icons"


@cache
def _drawn(name: str) -> str:
    """The file of an icon, read once."""
    return (ICONS / f"{name}.svg").read_text(encoding="utf-8")


@lru_cache(maxsize=1024)
def _image(name: str, colour: str, size: int, ratio: float) -> QImage:
    text = _drawn(name).replace("currentColor", colour)
    renderer = QSvgRenderer(QByteArray(text.encode()))
    image = QImage(round(size * ratio), round(size * ratio), QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    renderer.render(painter, QRectF(0, 0, image.width(), image.height()))
    painter.end()
    image.setDevicePixelRatio(ratio)
    return image


def pixmap(name: str, colour: str, size: int, ratio: float = 1.0) -> QPixmap:
    """The icon ``name`` in one colour, ``size`` logical pixels large."""
    return QPixmap.fromImage(_image(name, colour, size, ratio))


def icon(name: str, colour: str, size: int = 20, ratio: float = 2.0) -> QIcon:
    """The icon ``name`` for a button."""
    return QIcon(pixmap(name, colour, size, ratio))
