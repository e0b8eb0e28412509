"""The drawers at the cabinet's left: those that every cabinet has, and the artist's own."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from ..active_cabinet import ActiveCabinet
from ..cabinet_mime import entries_of
from ..cabinet_state import STANDING
from ..ui import Ui, is_own_key, named, scrolled, take_out

WIDTH = 178


class DrawerFront(QWidget):
    """One drawer: its label and how many lie in it."""

    opened = Signal(str)
    filled = Signal(str, object)
    menu_for = Signal(str, object)
    to_rename = Signal(str)
    to_remove = Signal(str)

    def __init__(self, ui: Ui, id: str, name: str, help: str, *, fills: bool) -> None:
        super().__init__()
        self.ui, self.id, self.name = ui, id, name
        self.count: int | None = None
        self._open = self._over = False
        self.setFixedHeight(ui.px(30))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(name)
        self.setToolTip(help)
        self.setAcceptDrops(fills)

    def show_state(self, open: bool, count: int | None) -> None:
        """Whether it is pulled out, and how many lie in it."""
        if (open, count) != (self._open, self.count):
            self._open, self.count = open, count
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.opened.emit(self.id)

    def event(self, event: QEvent) -> bool:
        if is_own_key(event, Qt.Key.Key_F2, Qt.Key.Key_Delete):
            event.accept()  # the drawer has the focus, not the piece that the desk's keys would take
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.opened.emit(self.id)
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.focusNextPrevChild(event.key() == Qt.Key.Key_Down)
        elif event.key() == Qt.Key.Key_F2:
            self.to_rename.emit(self.id)
        elif event.key() == Qt.Key.Key_Delete:
            self.to_remove.emit(self.id)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.menu_for.emit(self.id, event.globalPos())

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if entries_of(event.mimeData()):
            event.acceptProposedAction()
            self._over = True
            self.update()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._over = False
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        self._over = False
        self.update()
        event.acceptProposedAction()
        self.filled.emit(self.id, entries_of(event.mimeData()))

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        # A drawer that is open is pulled out a little, as in a plan chest.
        out = ui.px(6) if self._open else 0
        front = QRectF(1.5, 2.5, self.width() - ui.px(9) + out - 1.5, self.height() - 5)
        edge = "accent" if self._open or self._over or self.hasFocus() else "line"
        painter.setPen(QPen(ui.colour(edge), 2 if self._over else 1))
        painter.setBrush(ui.colour("accent_soft" if self._open or self._over else "card"))
        painter.drawRoundedRect(front, 3, 3)
        painter.setPen(ui.colour("ink"))
        painter.setFont(ui.font(12, 600 if self._open else 400))
        told = f"{self.count:,}" if self.count is not None else ""
        number = painter.fontMetrics().horizontalAdvance(told)
        inside = front.adjusted(ui.px(9), 0, -ui.px(9), 0)
        room = int(inside.width()) - number - ui.px(6)
        words = painter.fontMetrics().elidedText(self.name, Qt.TextElideMode.ElideRight, room)
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, words)
        painter.setPen(ui.colour("ink" if self._open else "ink_2"))
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, told)


class DrawerList(QWidget):
    """All drawers. ``new_drawer`` asks for an empty one, ``kept_search`` for one of what is asked now."""

    new_drawer = Signal()
    kept_search = Signal()
    filled = Signal(str, object)
    menu_for = Signal(str, object)
    to_rename = Signal(str)
    to_remove = Signal(str)

    def __init__(self, ui: Ui, active: ActiveCabinet) -> None:
        super().__init__()
        self.ui, self.active = ui, active
        named(self, "panel")
        self.setFixedWidth(ui.px(WIDTH))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(8), ui.px(8), 0, ui.px(8))
        box.setSpacing(ui.px(4))
        head = named(QLabel("DRAWERS"), "caps")
        box.addWidget(head)
        inside = QWidget()
        self._list = QVBoxLayout(inside)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(ui.px(2))
        self.fronts: dict[str, DrawerFront] = {}
        for standing in STANDING.values():
            self._list.addWidget(self._front(standing.id, standing.name, standing.help, fills=False))
        self._own = named(QLabel("MY DRAWERS"), "caps")
        self._own.setContentsMargins(0, ui.px(10), 0, 0)
        self._list.addWidget(self._own)
        self._none = named(QLabel("Drop pieces into a drawer of your own, or keep a search as one."), "second")
        self._none.setWordWrap(True)
        self._none.setContentsMargins(0, 0, ui.px(8), 0)
        self._list.addWidget(self._none)
        self._fixed = self._list.count()
        self._list.addStretch(1)
        box.addWidget(scrolled(inside), 1)
        self.add = QPushButton("New drawer")
        self.add.setToolTip("A drawer to be filled by hand: drop pieces on it")
        self.add.clicked.connect(self.new_drawer)
        self.keep = QPushButton("Keep this search")
        self.keep.setToolTip("What is asked for now, as a drawer that finds it again")
        self.keep.clicked.connect(self.kept_search)
        for button in (self.keep, self.add):
            row = QVBoxLayout()
            row.setContentsMargins(0, 0, ui.px(8), 0)
            row.addWidget(button)
            box.addLayout(row)
        active.chest_changed.connect(self.follow)
        active.looked.connect(self.follow)
        self.follow()

    def _front(self, id: str, name: str, help: str, *, fills: bool) -> DrawerFront:
        front = self.fronts[id] = DrawerFront(self.ui, id, name, help, fills=fills)
        front.opened.connect(lambda id: self.active.look(drawer=id, near=""))
        front.filled.connect(self.filled)
        front.menu_for.connect(self.menu_for)
        front.to_rename.connect(self.to_rename)
        front.to_remove.connect(self.to_remove)
        return front

    def follow(self) -> None:
        """Show the drawers that there are."""
        mine, state = {d.id: d for d in self.active.chest.drawers}, self.active.state
        for id in [
            i for i in self.fronts if i not in STANDING and (i not in mine or mine[i].name != self.fronts[i].name)
        ]:
            front = self.fronts.pop(id)
            self._list.removeWidget(front)
            take_out(front)
        for n, drawer in enumerate(mine.values()):
            if drawer.id not in self.fronts:
                by_hand = drawer.query is None
                help = "Filled by hand: drop pieces here" if by_hand else "A search: what lies here is what it finds"
                front = self._front(drawer.id, drawer.name, help, fills=by_hand)
                self._list.insertWidget(self._fixed + n, front)
        for id, front in self.fronts.items():
            front.show_state(state.drawer == id, self.active.chest.counts.get(id))
        self._none.setVisible(not mine)
        self.keep.setVisible(bool(state.query.model_dump(exclude_defaults=True)))
