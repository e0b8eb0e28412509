"""The tray of plates."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, Qt, QTimer, Signal
from PySide6.QtGui import QPixmap, QResizeEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from engraver.core.recipe import Plate

from ..painting import picture_of
from ..theme.icons import icon
from ..ui import Ui, named, scrolled, take_out
from .plate_item import PlateItem

WIDTH, CELL = 101, 86
WIDE = 3
# So many plates are put in the tray before the window answers the hand again.
AT_ONCE = 40
# From so many plates on they can be searched.
MANY = 8


class Tray(QWidget):
    """All plates of the project in one column or three, and *New plate*."""

    new_plate = Signal()
    menu_for = Signal(str, object)
    picked = Signal(str)
    removing = Signal()
    moved = Signal(int)

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        named(self, "panel")
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(4), ui.px(8), ui.px(4), ui.px(8))
        box.setSpacing(ui.px(4))
        head = QHBoxLayout()
        words = named(QLabel("PLATES"), "caps")
        words.setIndent(ui.px(8))
        self.width_button = named(QPushButton(), "rail")
        self.width_button.setFixedSize(ui.px(24), ui.px(24))
        self.width_button.clicked.connect(self._change_width)
        head.addWidget(words, 1)
        head.addWidget(self.width_button)
        box.addLayout(head)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Find")
        self.field.setAccessibleName("Find a plate")
        self.field.setClearButtonEnabled(True)
        self.field.textChanged.connect(lambda _: self._lay_out())
        box.addWidget(self.field)
        inside = QWidget()
        self._grid = QGridLayout(inside)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(ui.px(2))
        self.empty = named(QLabel("Photos you open stand here, each as a plate."), "second")
        self.empty.setWordWrap(True)
        self.empty.setMargin(ui.px(4))
        box.addWidget(self.empty)
        self._mark = QFrame(inside)
        self._mark.setStyleSheet(f"background: {ui.theme.accent};")
        self._mark.hide()
        area = scrolled(inside)
        box.addWidget(area, 1)
        self._area, self._inside, self._seen = area, inside, ""
        self._laid: tuple[int, tuple[str, ...]] = (0, ())
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
        ui.looks.changed.connect(self._show_width)
        ui.pictures.tray.came.connect(self._thumbed)
        self._show_width()
        self.follow()
        self._thumbed(ui.pictures.tray.pictures)

    # -- width -------------------------------------------------------------------------

    @property
    def columns(self) -> int:
        return WIDE if self.ui.looks.bench.wide_tray else 1

    def _change_width(self) -> None:
        self.ui.looks.set(wide_tray=not self.ui.looks.bench.wide_tray)

    def _show_width(self) -> None:
        ui, wide = self.ui, self.ui.looks.bench.wide_tray
        self.setFixedWidth(ui.px(WIDTH + (WIDE - 1) * CELL if wide else WIDTH))
        words = "Tray: one column" if wide else "Tray: three columns"
        self.width_button.setIcon(icon("narrow" if wide else "wide", ui.theme.ink_2, ui.px(16)))
        self.width_button.setToolTip(words)
        self.width_button.setAccessibleName(words)
        self._lay_out()

    # -- plates ------------------------------------------------------------------------

    def follow(self) -> None:
        plates = self.ui.studio.project.plates
        self.empty.setVisible(not plates)
        self.field.setVisible(len(plates) >= MANY or bool(self.field.text()))
        wanted = {p.id for p in plates}
        for id in [i for i in self.items if i not in wanted]:
            item = self.items.pop(id)
            self._grid.removeWidget(item)
            take_out(item, self.items.get(self.ui.studio.plate_id or ""))
        for plate in plates:
            if plate.id in self.items:
                self.items[plate.id].show_plate(plate)
        self._fill()

    def _fill(self) -> None:
        """Put in the plates that are missing, the chosen one first, a few at a time."""
        made, later = 0, False
        for plate in self.ui.studio.project.plates:
            if plate.id not in self.items:
                if made == AT_ONCE and plate.id != self.ui.studio.plate_id:
                    later = True
                    continue
                made += plate.id != self.ui.studio.plate_id
                self._make(plate)
        self._lay_out()
        if later:
            self._seen = ""
            QTimer.singleShot(0, self, self._fill)
        chosen = self.items.get(self.ui.studio.plate_id or "")
        # Plates that came in above it have moved it.
        if chosen is not None and (made or chosen.plate.id != self._seen):
            self._seen = chosen.plate.id
            QTimer.singleShot(0, self, self._show_chosen)

    def _make(self, plate: Plate) -> None:
        item = self.items[plate.id] = PlateItem(self.ui, plate)
        item.picture = self._pictures.get(plate.id)
        item.menu_wanted.connect(self.menu_for)
        item.picked.connect(self.picked)
        item.removing.connect(self.removing)
        item.carried.connect(self._show_mark)
        item.put_down.connect(self._put_down)
        item.walked.connect(self._walk)
        item.show_plate(plate)

    def _listed(self) -> tuple[str, ...]:
        """The plates that fit what is typed, in the project's order."""
        words = self.field.text().lower().split()
        plates = self.ui.studio.project.plates
        return tuple(p.id for p in plates if p.id in self.items and all(w in p.name.lower() for w in words))

    def _lay_out(self) -> None:
        """Every plate in its place; nothing is touched where all stand there."""
        wanted = (self.columns, self._listed())
        if wanted == self._laid:
            return
        before, self._laid = self._laid, wanted
        for row in range(self._grid.rowCount()):
            self._grid.setRowStretch(row, 0)
        for id in before[1]:
            if id in self.items:
                self._grid.removeWidget(self.items[id])
                self.items[id].setVisible(id in wanted[1])
        for n, id in enumerate(wanted[1]):
            self._grid.addWidget(self.items[id], *divmod(n, self.columns), Qt.AlignmentFlag.AlignHCenter)
            self.items[id].show()
        self._grid.setRowStretch(-(-len(wanted[1]) // self.columns), 1)

    def _walk(self, id: str, right: int, down: int) -> None:
        """The focus goes to the plate beside another one."""
        ids = self._laid[1]
        place = ids.index(id) + right + down * self.columns
        if 0 <= place < len(ids):
            self.items[ids[place]].setFocus()
            self._area.ensureWidgetVisible(self.items[ids[place]], 0, self.ui.px(8))

    def resizeEvent(self, event: QResizeEvent) -> None:
        QTimer.singleShot(0, self, self._show_chosen)

    def _show_chosen(self) -> None:
        """Bring the chosen plate into view, once it has its place."""
        chosen = self.items.get(self.ui.studio.plate_id or "")
        if chosen is not None and not chosen.isHidden():
            self._grid.activate()  # how far it scrolls is known at once, not at the next event
            tall = max(self._inside.sizeHint().height(), self._area.viewport().height())
            self._inside.resize(self._inside.width(), tall)
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

    # -- carried to another place ------------------------------------------------------

    def _gap(self, at: QPoint) -> int:
        """Before which of the listed plates a place of the screen lies."""
        spot = self._inside.mapFromGlobal(at)
        ids = self._laid[1]

        def before(id: str) -> bool:
            frame = self.items[id].geometry()
            if self.columns == 1:
                return spot.y() < frame.center().y()
            return spot.y() < frame.top() or (spot.y() <= frame.bottom() and spot.x() < frame.center().x())

        return next((n for n, id in enumerate(ids) if before(id)), len(ids))

    def _show_mark(self, id: str, at: QPoint) -> None:
        """A line where the plate would go; none for no plate."""
        ids, thick = self._laid[1], max(2, self.ui.px(3))
        if not id or not ids:
            self._mark.hide()
            return
        gap = self._gap(at)
        frame = self.items[ids[min(gap, len(ids) - 1)]].geometry()
        if self.columns == 1:
            y = frame.top() if gap < len(ids) else frame.bottom()
            self._mark.setGeometry(frame.left(), max(0, y - thick // 2), frame.width(), thick)
        else:
            x = frame.left() if gap < len(ids) else frame.right()
            self._mark.setGeometry(max(0, x - thick // 2), frame.top(), thick, frame.height())
        self._mark.raise_()
        self._mark.show()
        spot = self._inside.mapFromGlobal(at)
        self._area.ensureVisible(spot.x(), spot.y(), 0, self.ui.px(20))

    def _put_down(self, id: str, at: QPoint) -> None:
        self._mark.hide()
        if id not in self.ui.besides.all:
            self.ui.besides.clear()
            self.ui.studio.choose_plate(id)
        moving, gap = set(self.ui.besides.all), self._gap(at)
        after = [p.id for p in self.ui.studio.project.plates]
        beyond = self._laid[1][gap] if gap < len(self._laid[1]) else None
        stop = after.index(beyond) if beyond is not None else len(after)
        self.moved.emit(sum(one not in moving for one in after[:stop]))
