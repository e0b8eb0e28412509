"""What every widget of the window is given: the look, the studio, the pictures, the actions."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import TypeVar

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont
from PySide6.QtWidgets import QLayout, QWidget

from .active_brush import ActiveBrush
from .active_items import ActiveItems
from .active_solids import ActiveSolids
from .captures import Captures
from .commands import Commands
from .pictures import Pictures
from .state import Looks
from .studio import Studio
from .theme import Theme
from .trying import Trying


@lru_cache(maxsize=64)
def _font(pixels: int, weight: int) -> QFont:
    """Inter in tabular figures, so that numbers do not dance."""
    font = QFont("Inter")
    font.setPixelSize(pixels)
    font.setWeight(QFont.Weight(weight))
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


AnyWidget = TypeVar("AnyWidget", bound=QWidget)


def named(widget: AnyWidget, name: str) -> AnyWidget:
    """Give a widget the name by which the style sheet knows it."""
    widget.setObjectName(name)
    widget.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    return widget


def widgets_of(row: QLayout) -> list[QWidget]:
    """The widgets of a row, in order; its spaces are left out."""
    items = (row.itemAt(n) for n in range(row.count()))
    return [w for item in items if item is not None and (w := item.widget()) is not None]


@dataclass(frozen=True, slots=True)
class Ui:
    """Passed down to every view and editor; sizes are in pixels at text size 100 %."""

    theme: Theme
    scale: float
    studio: Studio
    pictures: Pictures
    looks: Looks
    commands: Commands
    hand: ActiveBrush
    items: ActiveItems
    captures: Captures
    solids: ActiveSolids
    trying: Trying
    finish_files: Callable[[str, Callable[[list[Path]], None]], None]

    def px(self, value: float) -> int:
        return round(value * self.scale)

    def colour(self, token: str) -> QColor:
        return QColor(getattr(self.theme, token))

    def font(self, size: float = 12, weight: int = 400) -> QFont:
        return _font(max(8, round(size * self.scale)), weight)
