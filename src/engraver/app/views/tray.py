"""The tray of plates."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import QMimeData, QPointF, QRectF, Qt, QTimer, QUrl, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QInputDialog,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid

from engraver.core.recipe import Plate, edits

from ..painting import picture_of
from ..studio import Studio
from ..theme.icons import pixmap
from ..ui import Ui, named, scrolled

WIDTH = 101
# So many plates are put in the tray before the window answers the hand again.
AT_ONCE = 40


def rename_plate(parent: QWidget, studio: Studio, id: str) -> None:
    """Ask for another name of a plate."""
    old = studio.project.plate(id).name
    name, good = QInputDialog.getText(parent, "Rename plate", "Name of the plate:", text=old)
    if good:
        studio.attempt(lambda: studio.edit(edits.rename_plate(studio.project, id, name), "Rename a plate"))


class PlateItem(QWidget):
    """One plate: its picture and its name."""

    menu_wanted = Signal(str, object)
    picked = Signal(str)

    def __init__(self, ui: Ui, plate: Plate) -> None:
        super().__init__()
        self.ui, self.plate = ui, plate
        self.picture: QPixmap | None = None
        self.broken = False
        self._shown: tuple[str, bool, bool] | None = None
        self._pressed: QPointF | None = None
        self._dragging = False
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
        """Far enough with the button down: the finished files go with the pointer, as soon as they are made."""
        pressed, far = self._pressed, QApplication.startDragDistance()
        if pressed is None or (event.position() - pressed).manhattanLength() < far:
            return
        self._pressed, self._dragging = None, True
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
        pressed, self._pressed, self._dragging = self._pressed, None, False
        if pressed is None:
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

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._pick()
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.focusNextPrevChild(event.key() == Qt.Key.Key_Down)
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
        text = painter.fontMetrics().elidedText(self.plate.name, Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, text)


class Tray(QWidget):
    """All plates of the project, and *New plate*."""

    new_plate = Signal()
    menu_for = Signal(str, object)
    picked = Signal(str)

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        named(self, "panel")
        self.setFixedWidth(ui.px(WIDTH))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(4), ui.px(8), ui.px(4), ui.px(8))
        box.setSpacing(ui.px(4))
        head = named(QLabel("PLATES"), "caps")
        head.setIndent(ui.px(8))
        box.addWidget(head)
        inside = QWidget()
        self._list = QVBoxLayout(inside)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(ui.px(2))
        self.empty = named(QLabel("Photos you open stand here, each as a plate."), "second")
        self.empty.setWordWrap(True)
        self.empty.setMargin(ui.px(4))
        self._list.addWidget(self.empty)
        self._list.addStretch(1)
        area = scrolled(inside)
        box.addWidget(area, 1)
        self._area, self._seen = area, ""
        self.button = QPushButton("New plate")
        self.button.setStyleSheet("padding: 5px 2px;")
        self.button.setToolTip("Start a plate: a photo, a mesh, or from nothing (Ctrl+N)")
        self.button.clicked.connect(self.new_plate)
        box.addWidget(self.button)
        self.items: dict[str, PlateItem] = {}
        self._pictures: dict[str, QPixmap] = {}
        ui.studio.project_changed.connect(self.follow)
        ui.studio.selection_changed.connect(self.follow)
        ui.besides.changed.connect(self.follow)
        ui.pictures.tray_thumbs.connect(self._thumbed)
        self.follow()
        self._thumbed(ui.pictures.tray_pictures)

    def follow(self) -> None:
        plates = self.ui.studio.project.plates
        self.empty.setVisible(not plates)
        wanted = {p.id for p in plates}
        for id in [i for i in self.items if i not in wanted]:
            item = self.items.pop(id)
            self._list.removeWidget(item)
            item.hide()
            item.deleteLater()
        for plate in plates:
            if plate.id in self.items:
                self.items[plate.id].show_plate(plate)
        self._fill()

    def _fill(self) -> None:
        """Put in the plates that are missing, the chosen one first, a few at a time."""
        made, place, later = 0, 1, False
        for plate in self.ui.studio.project.plates:
            if plate.id not in self.items:
                if made == AT_ONCE and plate.id != self.ui.studio.plate_id:
                    later = True
                    continue
                made += plate.id != self.ui.studio.plate_id
                self._put(plate, place)
            place += 1
        if later:
            self._seen = ""
            QTimer.singleShot(0, self, self._fill)
        chosen = self.items.get(self.ui.studio.plate_id or "")
        # Plates that came in above it have moved it.
        if chosen is not None and (made or chosen.plate.id != self._seen):
            self._seen = chosen.plate.id
            QTimer.singleShot(0, self, self._show_chosen)

    def _put(self, plate: Plate, place: int) -> None:
        item = self.items[plate.id] = PlateItem(self.ui, plate)
        item.picture = self._pictures.get(plate.id)
        item.menu_wanted.connect(self.menu_for)
        item.picked.connect(self.picked)
        self._list.insertWidget(place, item, 0, Qt.AlignmentFlag.AlignHCenter)
        item.show_plate(plate)

    def resizeEvent(self, event: QResizeEvent) -> None:
        QTimer.singleShot(0, self, self._show_chosen)

    def _show_chosen(self) -> None:
        """Bring the chosen plate into view, once it has its place."""
        chosen = self.items.get(self.ui.studio.plate_id or "")
        if chosen is not None:
            self._list.activate()
            inside = chosen.parentWidget()  # how far it scrolls is known at once, not at the next event
            if inside is not None:
                inside.resize(inside.width(), max(inside.sizeHint().height(), self._area.viewport().height()))
            self._area.ensureWidgetVisible(chosen, 0, self.ui.px(8))

    def _thumbed(self, found: dict[str, np.ndarray | None]) -> None:
        for id, array in found.items():
            if array is not None:
                self._pictures[id] = QPixmap.fromImage(picture_of(array))
            item = self.items.get(id)
            if item is not None:
                item.broken = array is None
                item.picture = self._pictures.get(id)
                item.update()
