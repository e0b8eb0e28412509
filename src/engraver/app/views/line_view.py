"""The line of steps: cards with live thumbnails, pegged to a wire in the order in which they act."""

from __future__ import annotations

from functools import partial
from itertools import pairwise

import numpy as np
from PySide6.QtCore import QMimeData, QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QTransform,
    QWheelEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QLabel, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from engraver.core.engine.line import GREY_BEFORE
from engraver.core.recipe import Step, edits
from engraver.core.recipe.first import READ_AS

from ..theme.icons import pixmap
from ..ui import Ui, named
from .painting import picture_of

HEIGHT = 134
CARD_W, CARD_H = 88, 100
STEP = 98
_DRAG = "application/x-engraver-step"


def _tilt(uid: str) -> float:
    """A card hangs a little askew, each always in its own way."""
    return ((sum(uid.encode()) % 7) - 3) * 0.28


class Card(QWidget):
    """One step (or the source) on the wire."""

    def __init__(self, ui: Ui, line: LineView, uid: str) -> None:
        super().__init__(line.wire)
        self.ui, self.line, self.uid = ui, line, uid
        self.step: Step | None = None
        self.group = ""
        self.trouble = ""
        self.picture: QPixmap | None = None
        self._press: QPoint | None = None
        self.setFixedSize(ui.px(STEP), ui.px(HEIGHT - 2))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    @property
    def chosen(self) -> bool:
        return self.ui.studio.step_uid == self.uid and not self.ui.studio.finished

    @property
    def inserted(self) -> bool:
        return self.uid == GREY_BEFORE

    def show_step(self, step: Step | None, group: str) -> None:
        self.step, self.group = step, group
        title = "Source" if step is None else step.title
        self.setAccessibleName(title)
        off = step is not None and not step.on
        words = "where the plate starts" if step is None else step.declared.help
        if self.inserted:
            words = "Put in by itself: the next step takes only grey. Add a Grey step to choose the mix."
        self.setToolTip(f"{title}{' (off)' if off else ''}: {words}" + (f"\n{self.trouble}" if self.trouble else ""))
        self.update()

    def _card_rect(self) -> QRectF:
        ui = self.ui
        top = ui.px(24) - (ui.px(7) if self.chosen else 0)
        return QRectF(ui.px(6), top, ui.px(CARD_W - 2), ui.px(CARD_H))

    def switch_rect(self) -> QRectF:
        """Where a press switches the step on or off: at least 24 by 24."""
        card = self._card_rect()
        side = max(24, self.ui.px(24))
        return QRectF(card.right() - side - 1, card.bottom() - side, side, side)

    # -- hands ---------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None or self.step is None or self.inserted:
            return
        if (event.position().toPoint() - self._press).manhattanLength() < 10:
            return
        self._press = None
        drag = QDrag(self)
        data = QMimeData()
        data.setData(_DRAG, self.uid.encode())
        drag.setMimeData(data)
        drag.setPixmap(self.grab())
        drag.setHotSpot(QPoint(self.width() // 2, self.height() // 2))
        drag.exec(Qt.DropAction.MoveAction)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        self._press = None
        if event.button() != Qt.MouseButton.LeftButton or self.inserted:
            return
        if self.step is not None and self.switch_rect().contains(event.position()):
            self.ui.studio.toggle_step(self.uid)
        else:
            self.ui.studio.choose_step(self.uid)
        self.setFocus()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.step is not None and not self.inserted and not self.switch_rect().contains(event.position()):
            self.rename()

    def rename(self) -> None:
        studio = self.ui.studio
        if self.step is None or studio.plate is None:
            return
        name, good = QInputDialog.getText(self, "Rename step", "Name on the card:", text=self.step.title)
        if good:
            own = "" if name.strip() == self.step.declared.name else name
            studio.edit(edits.rename_step(studio.project, studio.plate.id, self.uid, own), "Rename a step")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        studio, key = self.ui.studio, event.key()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            studio.choose_step(self.uid)
        elif key == Qt.Key.Key_Space and self.step is not None and not self.inserted:
            studio.toggle_step(self.uid)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.line.step_focus(self, 1 if key == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if self.step is None or self.inserted:
            return
        studio, menu = self.ui.studio, QMenu(self)
        menu.addAction("Switch off" if self.step.on else "Switch on", lambda: studio.toggle_step(self.uid))
        menu.addAction("Rename…", self.rename)
        menu.addAction("Earlier", lambda: self.line.shift(self.uid, -1))
        menu.addAction("Later", lambda: self.line.shift(self.uid, 1))
        menu.addSeparator()
        menu.addAction("Remove", lambda: studio.remove_step(self.uid))
        menu.exec(event.globalPos())

    # -- paint ---------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        card, off = self._card_rect(), self.step is not None and not self.step.on
        if self.group:
            painter.setFont(ui.font(9.5, 600))
            painter.setPen(ui.colour("ink_2"))
            painter.drawText(QPointF(ui.px(6), ui.px(10)), self.group.upper())
        wire = self.mapFrom(self.line.wire, QPoint(0, self.line.wire_y())).y()
        middle = card.center()
        painter.setTransform(
            QTransform().translate(middle.x(), card.top()).rotate(_tilt(self.uid)).translate(-middle.x(), -card.top())
        )
        painter.setOpacity(0.62 if self.inserted else 1.0)
        painter.setPen(Qt.PenStyle.NoPen)
        shade = ui.colour("ink") if ui.theme.id == "day" else ui.colour("well")
        shade.setAlpha(34 if ui.theme.id == "day" else 150)
        painter.setBrush(shade)
        painter.drawRoundedRect(card.translated(2, 2.5), 4, 4)
        edge = "accent" if self.chosen else ("ink" if self.hasFocus() else "line")
        painter.setPen(QPen(ui.colour(edge), 2.4 if self.chosen else 1.0))
        painter.setBrush(ui.colour("panel") if off else ui.colour("card"))
        painter.drawRoundedRect(card, 4, 4)
        inset = ui.px(6)
        label = ui.px(19)
        frame = QRectF(
            card.left() + inset, card.top() + inset, card.width() - 2 * inset, card.height() - 2 * inset - label
        )
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ui.colour("panel"))
        if self.picture is None:
            painter.drawRect(frame)
        if self.picture is not None:
            scaled = self.picture.size().scaled(frame.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRectF(0, 0, scaled.width(), scaled.height())
            place.moveCenter(frame.center())
            painter.setOpacity(0.35 if off else (0.62 if self.inserted else 1.0))
            painter.drawPixmap(place, self.picture, QRectF(self.picture.rect()))
            painter.setOpacity(1.0)
        text = "Source" if self.step is None else self.step.title
        painter.setFont(ui.font(11, 600 if self.chosen else 400))
        painter.setPen(ui.colour("ink_2" if off or self.inserted else "ink"))
        room = QRectF(frame.left(), frame.bottom() + 1, frame.width() - (ui.px(14) if self.step else 0), label + 2)
        shown = painter.fontMetrics().elidedText(
            f"{text} · off" if off else text, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
        if self.step is not None and not self.inserted:
            spot = self.switch_rect()
            ring = QRectF(0, 0, ui.px(9), ui.px(9))
            ring.moveCenter(QPointF(card.right() - inset - ui.px(4), frame.bottom() + label / 2 + 2))
            painter.setPen(QPen(ui.colour("ink_2" if off else "good"), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush if off else ui.colour("good"))
            painter.drawEllipse(ring if spot.intersects(ring) else spot)
        if self.trouble:
            corner = pixmap("warn", ui.theme.fault, ui.px(18), self.devicePixelRatioF())
            painter.drawPixmap(QPointF(card.right() - ui.px(20), card.top() + 3), corner)
        painter.resetTransform()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ui.colour("accent") if self.chosen else ui.colour("ink_2"))
        peg_top = min(wire - ui.px(6), card.top() - ui.px(4))
        for side in (-1, 1):
            x = middle.x() + side * ui.px(3) - ui.px(2)
            painter.drawRoundedRect(QRectF(x, peg_top, ui.px(4), card.top() + ui.px(9) - peg_top), 1.5, 1.5)


class _Wire(QWidget):
    """The strip behind the cards with the wire itself; cards can be dropped between cards."""

    dropped = Signal(str, int)

    def __init__(self, ui: Ui, line: LineView) -> None:
        super().__init__()
        self.ui, self.line = ui, line
        self._mark: int | None = None
        self.setAcceptDrops(True)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.ui.colour("ink"), 1.6))
        y = self.line.wire_y()
        painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
        if self._mark is not None:
            x = self._mark * self.ui.px(STEP) + self.ui.px(2)
            painter.setPen(QPen(self.ui.colour("accent"), 3))
            painter.drawLine(QPointF(x, self.ui.px(22)), QPointF(x, self.height() - self.ui.px(8)))

    def _gap(self, x: float) -> int:
        return max(1, min(round(x / self.ui.px(STEP)), self.line.count()))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(_DRAG):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDropEvent) -> None:
        if event.mimeData().hasFormat(_DRAG):
            self._mark = self._gap(event.position().x())
            self.update()
            event.acceptProposedAction()

    def dragLeaveEvent(self, event: object) -> None:
        self._mark = None
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        self._mark = None
        self.update()
        uid = bytes(event.mimeData().data(_DRAG).data()).decode()
        self.dropped.emit(uid, self._gap(event.position().x()))
        event.acceptProposedAction()


class LineView(QWidget):
    """The chip, the wire with its cards, and *Add step*."""

    add_step = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(ui.px(HEIGHT))
        row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(10), 0, ui.px(10), 0)
        row.setSpacing(ui.px(8))
        left = QVBoxLayout()
        left.addStretch(1)
        self.chip = QPushButton()
        self.chip.setFixedSize(ui.px(118), ui.px(56))
        words = QVBoxLayout(self.chip)
        words.setContentsMargins(ui.px(9), ui.px(5), ui.px(6), ui.px(5))
        words.setSpacing(0)
        self.chip_words = QLabel()
        self.chip_words.setStyleSheet("font-weight: 600;")
        self.chip_words.setWordWrap(True)
        for label in (named(QLabel("Read as"), "second"), self.chip_words):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            words.addWidget(label)
        self.chip.setToolTip("What the source was read as. Press to read it as something else.")
        self.chip.clicked.connect(self._read_as_menu)
        left.addWidget(self.chip)
        left.addStretch(1)
        row.addLayout(left)
        self.wire = _Wire(ui, self)
        self.wire.dropped.connect(self._dropped)
        self.area = QScrollArea()
        self.area.setWidget(self.wire)
        self.area.setWidgetResizable(False)
        self.area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.viewport().setAutoFillBackground(False)
        self.wire.setAutoFillBackground(False)
        row.addWidget(self.area, 1)
        self.add = QPushButton("Add step")
        self.add.setIcon(pixmap("add", ui.theme.ink, ui.px(18), 2.0))
        self.add.setFixedHeight(ui.px(60))
        self.add.setToolTip("Add a step; it goes where it belongs in the order of work.")
        self.add.clicked.connect(self.add_step)
        row.addWidget(self.add)
        self.cards: list[Card] = []
        self._thumbs: dict[str, QPixmap] = {}
        ui.studio.project_changed.connect(self.follow)
        ui.studio.selection_changed.connect(self._selected)
        ui.pictures.thumbs.connect(self._thumbed)
        ui.pictures.failed.connect(self._failed)
        self.follow()

    def wire_y(self) -> int:
        return self.ui.px(19)

    def count(self) -> int:
        """Cards on the wire, the source among them."""
        return len(self.cards)

    def follow(self) -> None:
        """Make the cards match the line; cards of steps that stay are kept."""
        studio = self.ui.studio
        plate = studio.plate
        self.add.setEnabled(plate is not None)
        self.chip.setVisible(plate is not None)
        line = studio.attempt(studio.line) if plate is not None else None
        wanted: list[tuple[str, Step | None]] = []
        if plate is not None:
            steps = line.steps if line is not None else studio.steps
            wanted = [("", None), *((s.uid, s) for s in steps)]
            self.chip_words.setText(f"{READ_AS[plate.read_as]} ▾")
            self.chip.setAccessibleName(f"Read as {READ_AS[plate.read_as]}")
        old = {card.uid: card for card in self.cards}
        cards, group = [], ""
        for uid, step in wanted:
            card = old.pop(uid, None) or Card(self.ui, self, uid)
            card.picture = self._thumbs.get(uid, card.picture)
            now = "source" if step is None else step.declared.group
            card.show_step(step, now if now != group else "")
            group = now
            cards.append(card)
        for card in old.values():
            card.hide()
            card.deleteLater()
        self.cards = cards
        for n, card in enumerate(cards):
            card.move(n * self.ui.px(STEP), 0)
            card.show()
        for a, b in pairwise(cards):
            QWidget.setTabOrder(a, b)
        self.wire.resize(max(len(cards) * self.ui.px(STEP) + self.ui.px(6), self.area.width()), self.ui.px(HEIGHT))
        self._selected()

    def _selected(self) -> None:
        for card in self.cards:
            card.update()
            if card.chosen:
                self.area.ensureWidgetVisible(card, self.ui.px(30), 0)

    def _thumbed(self, found: dict[str, np.ndarray]) -> None:
        self._thumbs = {uid: QPixmap.fromImage(picture_of(array)) for uid, array in found.items()}
        for card in self.cards:
            card.picture = self._thumbs.get(card.uid, card.picture)
            card.update()

    def _failed(self, uid: str, sentence: str) -> None:
        for card in self.cards:
            mine = uid == card.uid or (uid == "source" and card.uid == "")
            card.trouble = sentence if mine and sentence else ""
            card.show_step(card.step, card.group)

    def shift(self, uid: str, by: int) -> None:
        """Move a step one place earlier or later."""
        uids = [s.uid for s in self.ui.studio.steps]
        if uid in uids:
            place = uids.index(uid) + by
            if 0 <= place < len(uids):
                self.ui.studio.move_step(uid, place)

    def _dropped(self, uid: str, gap: int) -> None:
        # Gaps are counted among all cards; the model counts the recipe's own steps, without the one moved.
        before = [c.uid for c in self.cards[1:gap] if not c.inserted and c.uid != uid]
        self.ui.studio.move_step(uid, len(before))

    def step_focus(self, card: Card, by: int) -> None:
        place = self.cards.index(card) + by
        if 0 <= place < len(self.cards):
            self.cards[place].setFocus()
            self.ui.studio.choose_step(self.cards[place].uid)

    def _read_as_menu(self) -> None:
        menu = self.read_as_menu()
        menu.exec(self.chip.mapToGlobal(QPoint(0, 0)) - QPoint(0, menu.sizeHint().height()))

    def read_as_menu(self) -> QMenu:
        """What the source can be read as."""
        menu = QMenu(self)
        for what, words in READ_AS.items():
            menu.addAction(words, partial(self.ui.studio.read_as, what))
        return menu

    def wheelEvent(self, event: QWheelEvent) -> None:
        bar = self.area.horizontalScrollBar()
        bar.setValue(bar.value() - event.angleDelta().y() - event.angleDelta().x())

    def sizeHint(self) -> QSize:
        return QSize(800, self.ui.px(HEIGHT))

    def resizeEvent(self, event: object) -> None:
        self.wire.resize(max(len(self.cards) * self.ui.px(STEP) + 6, self.area.width()), self.ui.px(HEIGHT))
