"""The wall: every entry that was found, as a plaster cast, in rows; the light follows the pointer."""

from __future__ import annotations

import time
from collections.abc import Iterator
from html import escape

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QFont,
    QFontMetrics,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QStaticText,
    QWheelEvent,
)
from PySide6.QtWidgets import QAbstractScrollArea, QApplication, QFrame

from engraver.core.cabinet import Listed
from engraver.core.proof.relief_light import lit

from ..active_cabinet import ActiveCabinet
from ..cabinet_state import LARGEST, SMALLEST
from ..casts import Key, Lamps
from ..theme.icons import pixmap
from ..ui import Ui, short_name

# Colours of the tags on a cast, by their name in the cabinet.
TAGS = {
    "red": "#B8443F", "amber": "#C98A1B", "green": "#3F8A5B", "blue": "#3F73B0", "violet": "#7D5AA6",
    "grey": "#8A8A86",
}  # fmt: skip
# Between casts, under a cast for its name, and the smallest cast that shows one.
_GAP, _NAME, _NAMED = 10, 20, 88
# Milliseconds between two pictures of a light that wanders.
_LIT_MS = 16


class CabinetWall(QAbstractScrollArea):
    """Draws what is in sight, whatever lies above and below: ten thousand cost no more than fifty.

    Signals
    -------
    opened(id), large(id), menu_for(id, place), dragged(ids)
    """

    opened = Signal(str)
    large = Signal(str)
    menu_for = Signal(str, object)
    dragged = Signal(object)

    def __init__(self, ui: Ui, active: ActiveCabinet) -> None:
        super().__init__()
        self.ui, self.active = ui, active
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.viewport().setMouseTracking(True)
        self.setAccessibleName("What is kept")
        self.lamps = Lamps()
        self._ground = np.uint32(ui.colour("bar").rgb())
        self._screen: NDArray[np.uint32] = np.zeros((1, 1), np.uint32)
        self._lamp = QPointF(-1, -1)
        self._pressed: QPoint | None = None
        self._keep_choice = False
        self._anchor = ""
        self._names: dict[tuple[str, int], QStaticText] = {}
        self.spent = 0.0  # seconds that the last picture took, for the bench
        self._later = QTimer(self, singleShot=True, interval=_LIT_MS)
        self._later.timeout.connect(self.viewport().update)
        active.found_changed.connect(self._follow)
        active.chosen_changed.connect(self.viewport().update)
        active.looked.connect(self._follow)
        active.casts.came.connect(self.viewport().update)
        self._follow()

    # -- places --------------------------------------------------------------------

    @property
    def listed(self) -> tuple[Listed, ...]:
        return self.active.found.listed

    @property
    def side(self) -> int:
        """Of a cast, in pixels of the window."""
        return self.ui.px(self.active.state.side)

    @property
    def cell(self) -> tuple[int, int]:
        """Width and height of a cast with all that belongs to it."""
        side, gap = self.side, self.ui.px(_GAP)
        name = self.ui.px(_NAME) if self.active.state.side >= _NAMED else 0
        return side + gap, side + gap + name

    @property
    def across(self) -> int:
        """How many stand beside each other."""
        return max(1, (self.viewport().width() - self.ui.px(_GAP)) // self.cell[0])

    def _left(self) -> int:
        """Where the first one stands: what is left over is shared by both sides."""
        gap = self.ui.px(_GAP)
        return (self.viewport().width() - self.across * self.cell[0] + gap) // 2

    def place(self, n: int) -> QRect:
        """Where an entry's cast stands in sight, by its number."""
        wide, high = self.cell
        row, column = divmod(n, self.across)
        top = self.ui.px(_GAP) + row * high - self.verticalScrollBar().value()
        return QRect(self._left() + column * wide, top, self.side, self.side)

    def at(self, spot: QPoint) -> int:
        """The number of the entry at a place in sight; -1 for none."""
        wide, high = self.cell
        column = (spot.x() - self._left()) // wide
        row = (spot.y() + self.verticalScrollBar().value() - self.ui.px(_GAP)) // high
        n = row * self.across + column
        inside = 0 <= column < self.across and 0 <= n < len(self.listed)
        return n if inside and (spot.x() - self._left()) % wide < self.side else -1

    def in_sight(self) -> Iterator[int]:
        """Numbers of the entries that are seen at least in part."""
        high, top = self.cell[1], self.verticalScrollBar().value()
        first = max(0, (top - self.ui.px(_GAP)) // high)
        last = (top + self.viewport().height()) // high + 1
        yield from range(first * self.across, min(len(self.listed), last * self.across))

    def _key(self, one: Listed) -> Key:
        return one.picture, one.zero, round(self.side * self.devicePixelRatioF())

    def _follow(self) -> None:
        """As many rows as there are; what stood at the top stays in sight."""
        rows = -(-len(self.listed) // self.across)
        most = max(0, rows * self.cell[1] + self.ui.px(_GAP) - self.viewport().height())
        bar = self.verticalScrollBar()
        bar.setRange(0, most)
        bar.setPageStep(self.viewport().height())
        bar.setSingleStep(max(1, self.cell[1] // 3))
        if len(self._names) > 4000:
            self._names.clear()
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._follow()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self.viewport().update()

    def show_number(self, n: int) -> None:
        """Scroll until an entry is in sight."""
        place, bar = self.place(n), self.verticalScrollBar()
        high = self.cell[1]
        if place.top() < 0:
            bar.setValue(bar.value() + place.top() - self.ui.px(_GAP))
        elif place.top() + high > self.viewport().height():
            bar.setValue(bar.value() + place.top() + high - self.viewport().height())

    # -- drawing -------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        began = time.perf_counter()
        ratio = self.devicePixelRatioF()
        size = round(self.viewport().height() * ratio), round(self.viewport().width() * ratio)
        if self._screen.shape != size:
            self._screen = np.empty(size, np.uint32)
        self._screen.fill(self._ground)
        shown = list(self.in_sight())
        missing = [n for n in shown if not self._lit(n, ratio)]
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        image = QImage(self._screen.data, size[1], size[0], 4 * size[1], QImage.Format.Format_RGB32)
        image.setDevicePixelRatio(ratio)
        painter.drawImage(0, 0, image)
        chosen = set(self.active.chosen)
        for n in shown:
            self._dress(painter, n, self.listed[n].id in chosen)
        painter.end()
        beyond = range(shown[-1] + 1, min(len(self.listed), shown[-1] + 1 + 2 * self.across)) if shown else ()
        wanted = [*missing, *(n for n in beyond)]
        if missing:
            self.active.casts.want([self._key(self.listed[n]) for n in wanted])
        self.spent = time.perf_counter() - began

    def _lit(self, n: int, ratio: float) -> bool:
        """Light a cast into the picture of the wall; whether it is there, or never will be."""
        one, place = self.listed[n], self.place(n)
        key = self._key(one)
        cast = self.active.casts.at_hand(key)
        if cast is None:
            return self.active.casts.broken(key)
        rows, columns = cast.shape[:2]
        left = round((place.left() + place.width() / 2) * ratio - columns / 2)
        top = round((place.top() + place.height() / 2) * ratio - rows / 2)
        first, last = max(0, -top), min(rows, self._screen.shape[0] - top)
        right = min(columns, self._screen.shape[1] - left)
        if first < last and right > 0 and left >= 0:
            lamp, middle = self._lamp_at(), place.center()
            reach = 0.6 * max(self.viewport().width(), self.viewport().height())
            table = self.lamps.table(lamp.x() - middle.x(), lamp.y() - middle.y(), reach)
            out = self._screen[top + first : top + last, left : left + right]
            lit(cast[first:last, :right], table, self.lamps.colours, out)
        return True

    def _lamp_at(self) -> QPointF:
        """Over the pointer, else at the left above."""
        if self._lamp.x() >= 0:
            return self._lamp
        return QPointF(-0.15 * self.viewport().width(), -0.25 * self.viewport().height())

    def _dress(self, painter: QPainter, n: int, chosen: bool) -> None:
        """All of an entry but its cast: name, tag, star, what is wrong, and whether it is chosen."""
        ui, one, place = self.ui, self.listed[n], self.place(n)
        key = self._key(one)
        if self.active.casts.at_hand(key) is None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ui.colour("bar_line"))
            painter.drawRect(place)
            if self.active.casts.broken(key):
                mark = pixmap("warn", "#F5F3EE", ui.px(22), self.devicePixelRatioF())
                painter.drawPixmap(place.center() - QPoint(ui.px(11), ui.px(11)), mark)
        dot = ui.px(10)
        if one.colour:
            painter.setPen(QPen(ui.colour("bar"), 1))
            painter.setBrush(TAGS[one.colour])
            painter.drawEllipse(QRectF(place.left() + 5, place.top() + 5, dot, dot))
        left = place.right() - ui.px(20)
        for there, picture in ((one.favourite, "star"), (one.wrong, "warn"), (one.kind == "brush", "stroke")):
            if there and self.active.state.side >= _NAMED:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(ui.colour("bar"))
                painter.drawRoundedRect(QRectF(left, place.top() + 3, ui.px(18), ui.px(18)), 4, 4)
                drawn = pixmap(picture, ui.theme.on_bar, ui.px(14), self.devicePixelRatioF())
                painter.drawPixmap(QPoint(left + ui.px(2), place.top() + 3 + ui.px(2)), drawn)
                left -= ui.px(21)
        if chosen:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            shown = one.id == self.active.chosen[-1]
            # Dark on both sides of the accent, so that it is seen on any tone.
            painter.setPen(QPen(ui.colour("ink"), 5))
            painter.drawRect(QRectF(place).adjusted(-1.5, -1.5, 1.5, 1.5))
            painter.setPen(QPen(ui.colour("accent" if shown and self.hasFocus() else "accent_soft"), 2.6))
            painter.drawRect(QRectF(place).adjusted(-1.5, -1.5, 1.5, 1.5))
        if self.active.state.side >= _NAMED:
            painter.setPen(ui.colour("on_bar"))
            font = ui.font(11, 600 if chosen else 400)
            painter.setFont(font)
            text = self._name(one.name, font, place.width())
            across = (place.width() - text.size().width()) / 2
            painter.drawStaticText(QPointF(place.left() + across, place.bottom() + ui.px(3)), text)

    def _name(self, name: str, font: QFont, room: int) -> QStaticText:
        """A name as far as there is room, laid out once."""
        key = (name, room + 100_000 * font.weight())
        if key not in self._names:
            text = QStaticText(short_name(QFontMetrics(font), name, room))
            text.setTextFormat(Qt.TextFormat.PlainText)
            text.prepare(font=font)
            self._names[key] = text
        return self._names[key]

    # -- the hand ------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        n = self.at(event.position().toPoint())
        self._pressed = event.position().toPoint() if n >= 0 else None
        id = self.listed[n].id if n >= 0 else ""
        # What is chosen together is dragged together: a press on it changes the choice only when it is let go.
        self._keep_choice = id in self.active.chosen and not event.modifiers()
        if not self._keep_choice:
            self.choose_number(n, event.modifiers())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        spot = event.position().toPoint()
        if self._pressed is not None and event.buttons() & Qt.MouseButton.LeftButton:
            if (spot - self._pressed).manhattanLength() >= QApplication.startDragDistance():
                self._pressed = None
                self.dragged.emit(self.active.chosen)
            return
        self._lamp = event.position()
        n = self.at(spot)
        self.setToolTip(escape(self.listed[n].name) if n >= 0 and self.active.state.side < _NAMED else "")
        if not self._later.isActive():
            self._later.start()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None and self._keep_choice:
            self.choose_number(self.at(self._pressed), event.modifiers())
        self._pressed = None

    def leaveEvent(self, event: object) -> None:
        self._lamp = QPointF(-1, -1)
        self._later.start()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        n = self.at(event.position().toPoint())
        if n >= 0:
            self.choose_number(n, Qt.KeyboardModifier.NoModifier)
            self.opened.emit(self.listed[n].id)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        n = self.at(event.pos())
        if n >= 0:
            if self.listed[n].id not in self.active.chosen:
                self.choose_number(n, Qt.KeyboardModifier.NoModifier)
            self.menu_for.emit(self.listed[n].id, event.globalPos())

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            by = 1.12 if event.angleDelta().y() > 0 else 1 / 1.12
            self.active.look(side=min(LARGEST, max(SMALLEST, round(self.active.state.side * by))))
        else:
            super().wheelEvent(event)

    def choose_number(self, n: int, how: Qt.KeyboardModifier) -> None:
        """Choose an entry by its number: alone, with Ctrl besides the others, with Shift all up to it."""
        ids = [one.id for one in self.listed]
        chosen = list(self.active.chosen)
        if n < 0:
            chosen = chosen if how else []
        elif how & Qt.KeyboardModifier.ShiftModifier and self._anchor in ids:
            first = ids.index(self._anchor)
            between = ids[min(first, n) : max(first, n) + 1]
            chosen = [id for id in between if id != ids[n]] + [ids[n]]
        elif how & Qt.KeyboardModifier.ControlModifier and ids[n] in chosen:
            chosen.remove(ids[n])
        else:
            kept = chosen if how & Qt.KeyboardModifier.ControlModifier else []
            chosen, self._anchor = [*kept, ids[n]], ids[n]
        self.active.choose(chosen)

    def step(self, by: int, how: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Choose the entry so many places on."""
        ids = [one.id for one in self.listed]
        if not ids:
            return
        last = self.active.chosen[-1] if self.active.chosen else ""
        n = min(len(ids) - 1, max(0, ids.index(last) + by)) if last in ids else 0
        self.choose_number(n, how & Qt.KeyboardModifier.ShiftModifier)
        self.show_number(n)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        page = max(1, self.viewport().height() // self.cell[1]) * self.across
        moves = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -self.across, Qt.Key.Key_Down: self.across,
            Qt.Key.Key_PageUp: -page, Qt.Key.Key_PageDown: page, Qt.Key.Key_Home: -len(self.listed),
            Qt.Key.Key_End: len(self.listed),
        }  # fmt: skip
        key, last = Qt.Key(event.key()), self.active.shown
        if key in moves:
            self.step(moves[key], event.modifiers())
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and last is not None:
            self.opened.emit(last.id)
        elif key == Qt.Key.Key_Space and last is not None:
            self.large.emit(last.id)
        elif key == Qt.Key.Key_A and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.active.choose([one.id for one in self.listed])
        else:
            super().keyPressEvent(event)
