"""A plate in the tray: its picture and its name, chosen, carried to another place, dragged out as files."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, QRectF, Qt, QUrl, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
)
from PySide6.QtWidgets import QApplication, QInputDialog, QWidget
from shiboken6 import isValid

from engraver.core.recipe import Plate, edits

from ..editors.key_moves import ARROWS
from ..studio import Studio
from ..theme.icons import pixmap
from ..ui import Ui, is_own_key, short_name


def rename_plate(parent: QWidget, studio: Studio, id: str) -> None:
    """Ask for another name of a plate."""
    old = studio.project.plate(id).name
    name, good = QInputDialog.getText(parent, "Rename plate", "Name of the plate:", text=old)
    if good:
        studio.attempt(lambda: studio.edit(edits.rename_plate(studio.project, id, name), "Rename a plate"))
        kept = studio.project.plate(id).name
        if len(kept) < len(name.strip()) and name.strip().startswith(kept):
            studio.told.emit(f"The name was too long: it is cut to {len(kept)} letters.", "look")


class PlateItem(QWidget):
    """One plate: its picture and its name."""

    menu_wanted = Signal(str, object)
    picked = Signal(str)
    removing = Signal()
    carried = Signal(str, object)
    put_down = Signal(str, object)
    walked = Signal(str, int, int)

    def __init__(self, ui: Ui, plate: Plate) -> None:
        super().__init__()
        self.ui, self.plate = ui, plate
        self.picture: QPixmap | None = None
        self.broken = False
        self._shown: tuple[str, bool, bool] | None = None
        self._pressed: QPointF | None = None
        self._dragging = self._carried = False
        self.setFixedSize(ui.px(84), ui.px(94))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(plate.name)

    def show_plate(self, plate: Plate) -> None:
        shown = (plate.name, self.ui.studio.plate_id == plate.id, plate.id in self.ui.besides)
        self.plate = plate
        if shown != self._shown:
            self._shown = shown
            self.setToolTip(f"{plate.name}\nCtrl or Shift and a press choose several: they are exported together.")
            self.setAccessibleName(plate.name)
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A press that is not dragged chooses: a plate that is dragged can be put on the one that is chosen."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Carried along the tray a plate finds another place; beside it its finished files go with the pointer,
        as soon as they are made."""
        pressed, far = self._pressed, QApplication.startDragDistance()
        if pressed is None or (not self._carried and (event.position() - pressed).manhattanLength() < far):
            return
        tray = self.parentWidget()
        assert tray is not None
        if 0 <= self.x() + event.position().x() < tray.width():
            self._carried = True
            self.carried.emit(self.plate.id, event.globalPosition().toPoint())
            return
        self._pressed, self._carried, self._dragging = None, False, True
        self.carried.emit("", QPoint())
        self.ui.finish_files(self.plate.id, self._files_ready)

    def _files_ready(self, files: list[Path]) -> None:
        if not isValid(self) or not self._dragging:
            return  # let go before they were made
        self._dragging = False
        self.start_drag(files)

    def start_drag(self, files: list[Path]) -> None:
        """The files follow the pointer and are copied where it lets go."""
        drag, data = QDrag(self), QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path)) for path in files])
        drag.setMimeData(data)
        if self.picture is not None:
            drag.setPixmap(self.picture.scaledToHeight(self.ui.px(64), Qt.TransformationMode.SmoothTransformation))
        drag.exec(Qt.DropAction.CopyAction)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, carried = self._pressed, self._carried
        self._pressed, self._carried, self._dragging = None, False, False
        if pressed is None:
            return
        if carried:
            self.put_down.emit(self.plate.id, event.globalPosition().toPoint())
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.ui.besides.toggle(self.plate.id)
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.ui.besides.up_to(self.plate.id)
        else:
            self._pick()

    def _pick(self) -> None:
        """The plate is what the hand works with now."""
        self.ui.besides.clear()
        self.ui.studio.choose_plate(self.plate.id)
        self.picked.emit(self.plate.id)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        rename_plate(self, self.ui.studio, self.plate.id)

    def event(self, event: QEvent) -> bool:
        if is_own_key(event, Qt.Key.Key_Delete):
            event.accept()  # the plate has the focus, not the step that the desk's key would take
            return True
        return super().event(event)

    @property
    def stands_for_all(self) -> bool:
        """Whether Tab comes here among all plates of the tray."""
        return self.plate.id == self.ui.studio.plate_id

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.SelectAll):
            self.ui.besides.choose(p.id for p in self.ui.studio.project.plates)
            return
        if event.key() == Qt.Key.Key_Delete:
            if self.plate.id not in self.ui.besides.all:
                self._pick()
            self.removing.emit()
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._pick()
        elif event.key() in ARROWS and event.modifiers() == Qt.KeyboardModifier.NoModifier:
            self.walked.emit(self.plate.id, *ARROWS[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.menu_wanted.emit(self.plate.id, event.globalPos())

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        chosen = ui.studio.plate_id == self.plate.id
        besides = self.plate.id in ui.besides
        if chosen or besides:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ui.colour("accent_soft"))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 5, 5)
        side = ui.px(64)
        frame = QRectF((self.width() - side) / 2, ui.px(6), side, side)
        painter.setPen(
            QPen(ui.colour("accent" if chosen or besides or self.hasFocus() else "line"), 2 if chosen else 1)
        )
        painter.setBrush(ui.colour("well"))
        painter.drawRect(frame)
        if self.picture is not None:
            inner = frame.adjusted(1, 1, -1, -1)
            scaled = self.picture.size().scaled(inner.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRectF(0, 0, scaled.width(), scaled.height())
            place.moveCenter(inner.center())
            painter.drawPixmap(place, self.picture, QRectF(self.picture.rect()))
        if self.broken:
            painter.drawPixmap(
                frame.topRight().toPoint(), pixmap("warn", ui.theme.fault, ui.px(18), self.devicePixelRatioF())
            )
        painter.setFont(ui.font(11, 600 if chosen else 400))
        painter.setPen(ui.colour("ink"))
        room = QRectF(2, frame.bottom() + 3, self.width() - 4, ui.px(18))
        text = short_name(painter.fontMetrics(), self.plate.name, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, text)
