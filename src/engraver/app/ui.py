"""What every widget of the window is given: the look, the studio, the pictures, the actions."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import TypeVar

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QAction, QColor, QFont, QFontMetrics, QKeyEvent
from PySide6.QtWidgets import QApplication, QFrame, QLabel, QLayout, QMenu, QScrollArea, QWidget

from .active_brush import ActiveBrush
from .active_items import ActiveItems
from .active_solids import ActiveSolids
from .active_trial import ActiveTrial
from .besides import Besides
from .captures import Captures
from .commands import Commands
from .file_dialogs import FileDialogs
from .kept_brushes import KeptBrushes
from .pictures import Pictures
from .state import Looks
from .studio import Studio
from .theme import Theme, style_sheet


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


def plain(label: QLabel) -> QLabel:
    """A label that shows names as they are typed, whatever signs are in them."""
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label


def first_that_fits(metrics: QFontMetrics, ways: Sequence[str], room: int) -> str:
    """Of several ways to say it, the fullest first, the first that ``room`` pixels hold; else the last."""
    return next((words for words in ways if metrics.horizontalAdvance(words) <= room), ways[-1])


def literal(words: str) -> str:
    """Words for a button or a menu as they are: there an ampersand alone would underline the letter after it."""
    return words.replace("&", "&&")


def choice(menu: QMenu, words: str, take: Callable[[], object], *, now: bool) -> QAction:
    """Offer something in a menu, ticked where it is in force."""
    action = menu.addAction(literal(words))
    action.triggered.connect(lambda: take())
    action.setCheckable(True)
    action.setChecked(now)
    return action


def is_own_key(event: QEvent, *keys: Qt.Key) -> bool:
    """Whether an event asks who takes one of these keys. A widget that accepts it gets the key in its
    ``keyPressEvent``; else the desk's command of that key is done, which acts on something else."""
    asks = event.type() == QEvent.Type.ShortcutOverride
    return asks and isinstance(event, QKeyEvent) and event.key() in keys


def widgets_of(row: QLayout) -> list[QWidget]:
    """The widgets of a row, in order; its spaces are left out."""
    items = (row.itemAt(n) for n in range(row.count()))
    return [w for item in items if item is not None and (w := item.widget()) is not None]


def emptied(row: QLayout) -> None:
    """Take every widget out of a row; they go."""
    while row.count():
        item = row.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            take_out(widget)


def short_name(metrics: QFontMetrics, name: str, room: int) -> str:
    """A name as it fits into so many pixels; the number at its end, by which it differs from others, stays."""
    if metrics.horizontalAdvance(name) <= room:
        return name
    number = re.search(r"[ _-]?\d{1,4}$", name)
    end = number.group() if number is not None else ""
    left = room - metrics.horizontalAdvance(end)
    if left < metrics.horizontalAdvance("m…"):
        end, left = "", room
    return metrics.elidedText(name.removesuffix(end), Qt.TextElideMode.ElideRight, left) + end


def fits(row: QLayout, room: int) -> bool:
    """Whether the widgets of a row have room as they are, in pixels of the screen; hidden ones take none."""
    shown = [w for w in widgets_of(row) if not w.isHidden()]
    return sum(w.sizeHint().width() + row.spacing() for w in shown) <= room


def scrolled(inside: QWidget, *, across: bool = False) -> QScrollArea:
    """A widget in an area without a frame that scrolls down, or across."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    never = Qt.ScrollBarPolicy.ScrollBarAlwaysOff
    (area.setVerticalScrollBarPolicy if across else area.setHorizontalScrollBarPolicy)(never)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.viewport().setAutoFillBackground(False)
    area.setWidget(inside)
    return area


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
    trials: ActiveTrial
    brushes: KeptBrushes
    besides: Besides
    files: FileDialogs
    finish_files: Callable[[str, Callable[[list[Path]], None]], None]

    def px(self, value: float) -> int:
        return round(value * self.scale)

    def colour(self, token: str) -> QColor:
        return QColor(getattr(self.theme, token))

    def font(self, size: float = 12, weight: int = 400) -> QFont:
        return _font(max(8, round(size * self.scale)), weight)

    def dress(self) -> None:
        """Give the program this look and text size, where it has another.

        Both are worked out anew for every widget there is, also of other windows, and also where nothing changes.
        """
        app = QApplication.instance()
        sheet, font = style_sheet(self.theme, self.scale), self.font()
        if isinstance(app, QApplication) and (app.styleSheet(), app.font()) != (sheet, font):
            app.setStyleSheet(sheet)
            app.setFont(font)


def let_go(widget: QWidget, heir: QWidget | None = None) -> None:
    """Take the focus from what is about to be hidden: Qt would pass it on to some field, and the next key with it.

    What comes in its place has it then, if there is such a thing. In the window the face sees to what has no heir;
    sheets, and pages that lie over each other, do not ask it.
    """
    focus = QApplication.focusWidget()
    if focus is not None and (focus is widget or widget.isAncestorOf(focus)):
        if heir is not None:
            heir.setFocus()
        else:
            focus.clearFocus()


def take_out(widget: QWidget, heir: QWidget | None = None) -> None:
    """Hide a widget and let it go; the focus, if it has it, goes to what comes in its place."""
    let_go(widget, heir)
    widget.hide()
    widget.deleteLater()
