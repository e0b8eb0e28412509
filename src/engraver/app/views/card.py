"""One card on the wire: a step (or the source) with its live thumbnail, its name and its switch."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QTransform,
)
from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from engraver.core.engine.line import GREY_BEFORE
from engraver.core.recipe import Step, edits

from ..theme.icons import pixmap
from ..ui import Ui

HEIGHT = 134
# How far below the top the wire runs.
WIRE = 19
CARD_W, CARD_H = 88, 100
STEP = 98
CARD_DRAG = "application/x-engraver-step"


def _tilt(uid: str) -> float:
    """A card hangs a little askew, each always in its own way."""
    return ((sum(uid.encode()) % 7) - 3) * 0.28


class Card(QWidget):
    """One step (or the source) on the wire."""

    shifted = Signal(str, int)
    walked = Signal(int)
    kept_here = Signal(str, bool)

    def __init__(self, ui: Ui, parent: QWidget, uid: str) -> None:
        super().__init__(parent)
        self.ui, self.uid = ui, uid
        self.step: Step | None = None
        self.group = ""
        self.trouble = ""
        self.only_here = False
        self._shown: tuple[str, bool, str, str, bool] | None = None
        self._was_chosen = False
        self.picture: QPixmap | None = None
        self._press: QPoint | None = None
        self.setFixedSize(ui.px(STEP), ui.px(HEIGHT - 2))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    @property
    def chosen(self) -> bool:
        return self.ui.studio.step_uid == self.uid and not self.ui.studio.finished

    @property
    def stands_for_all(self) -> bool:
        """Whether Tab comes here among all cards of the line."""
        return self.chosen

    def show_chosen(self) -> None:
        """Hang higher or lower when the choice changed."""
        if self.chosen != self._was_chosen:
            self._was_chosen = self.chosen
            self.update()

    @property
    def inserted(self) -> bool:
        return self.uid == GREY_BEFORE

    def show_step(
        self, step: Step | None, group: str, trouble: str | None = None, *, only_here: bool | None = None
    ) -> None:
        """Follow the model; nothing is drawn again when nothing changed."""
        trouble = self.trouble if trouble is None else trouble
        only_here = self.only_here if only_here is None else only_here
        self.step, self.group, self.trouble, self.only_here = step, group, trouble, only_here
        title = "Source" if step is None else step.title
        shown = (title, step is None or step.on, group, trouble, only_here)
        if shown == self._shown:
            return
        self._shown = shown
        self.setAccessibleName(title)
        off = step is not None and not step.on
        words = "where the plate starts" if step is None else step.declared.help
        if self.inserted:
            words = "Put in by itself: the next step takes only grey. Add a Grey step to choose the mix."
        words += " Only here: this plate keeps its own." if self.only_here else ""
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
        data.setData(CARD_DRAG, self.uid.encode())
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
            self.walked.emit(1 if key == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if self.step is not None and not self.inserted:
            self.step_menu(self.step).exec(event.globalPos())

    def step_menu(self, step: Step) -> QMenu:
        """What can be done with a step."""
        studio, menu = self.ui.studio, QMenu(self)
        menu.addAction("Switch off" if step.on else "Switch on", lambda: studio.toggle_step(self.uid))
        menu.addAction("Rename…", self.rename)
        menu.addAction("Earlier", lambda: self.shifted.emit(self.uid, -1))
        menu.addAction("Later", lambda: self.shifted.emit(self.uid, 1))
        plate = studio.plate
        if plate is not None and not step.declared.only_here:
            here = menu.addAction("Only here: this plate keeps its own")
            here.setCheckable(True)
            here.setChecked(self.uid in plate.own)
            here.triggered.connect(lambda on: self.kept_here.emit(self.uid, bool(on)))
        menu.addSeparator()
        menu.addAction("Remove", lambda: studio.remove_step(self.uid))
        return menu

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
        wire = ui.px(WIRE) - self.y()
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
        if self.only_here:
            tag = QRectF(frame.left(), frame.bottom() - ui.px(13), ui.px(50), ui.px(13))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ui.colour("accent_soft"))
            painter.drawRect(tag)
            painter.setPen(ui.colour("ink"))
            painter.setFont(ui.font(9, 500))
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, "only here")
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
