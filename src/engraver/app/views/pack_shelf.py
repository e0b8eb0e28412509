"""At the pack's left: the plates and brushes of the project that are not in it yet."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QKeyEvent, QPixmap
from PySide6.QtWidgets import QLabel, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from ..active_pack import ActivePack
from ..painting import picture_of
from ..ui import Ui, named

WIDTH = 156


class _List(QListWidget):
    """Enter adds what is chosen."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.selectedItems():
            self.itemActivated.emit(self.currentItem())
        else:
            super().keyPressEvent(event)


class PackShelf(QWidget):
    """A press adds one; several can be chosen with Ctrl or Shift and added together."""

    def __init__(self, ui: Ui, active: ActivePack) -> None:
        super().__init__()
        self.ui, self.active = ui, active
        named(self, "panel")
        self.setFixedWidth(ui.px(WIDTH))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(8), ui.px(8), ui.px(8), ui.px(8))
        box.setSpacing(ui.px(6))
        box.addWidget(named(QLabel("NOT IN IT YET"), "caps"))
        self.list = _List()
        self.list.setAccessibleName("Plates and brushes of the project")
        self.list.setIconSize(QSize(ui.px(36), ui.px(36)))
        self.list.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.setStyleSheet(
            "QListWidget { background: transparent; border: none; } QListWidget::item { padding: 2px; }"
        )
        self.list.setToolTip("Double-click, or Enter, puts it into the pack")
        self.list.itemActivated.connect(lambda _: self.add_chosen())
        self.list.itemDoubleClicked.connect(lambda _: self.add_chosen())
        box.addWidget(self.list, 1)
        self.none = named(QLabel("All of the project is in the pack."), "second")
        self.none.setWordWrap(True)
        box.addWidget(self.none)
        self.add = QPushButton("Add")
        self.add.setToolTip("What is chosen above goes into the pack")
        self.add.clicked.connect(self.add_chosen)
        self.add_all = QPushButton("Add all")
        self.add_all.clicked.connect(lambda: self.active.add(tuple(self._ids(self._items()))))
        box.addWidget(self.add)
        box.addWidget(self.add_all)
        self.list.itemSelectionChanged.connect(lambda: self.add.setEnabled(bool(self.list.selectedItems())))
        active.changed.connect(self.follow)
        ui.pictures.tray.came.connect(lambda _: self._pictures())
        self.follow()

    def _items(self) -> list[QListWidgetItem]:
        return [self.list.item(n) for n in range(self.list.count())]

    @staticmethod
    def _ids(items: list[QListWidgetItem]) -> list[str]:
        return [str(item.data(Qt.ItemDataRole.UserRole)) for item in items]

    def follow(self) -> None:
        """Show what is not in the pack yet."""
        project = self.ui.studio.project
        there = {item.id for item in project.pack.items}
        wanted = [(p.id, p.name) for p in project.plates if p.id not in there]
        wanted += [(b.id, f"{b.name} (brush)") for b in project.brushes if b.id not in there]
        if wanted != [(str(i.data(Qt.ItemDataRole.UserRole)), i.text()) for i in self._items()]:
            self.list.clear()
            for id, name in wanted:
                item = QListWidgetItem(name)
                item.setData(Qt.ItemDataRole.UserRole, id)
                item.setToolTip(name)
                self.list.addItem(item)
            self._pictures()
        self.none.setVisible(not wanted and bool(project.plates))
        self.add.setEnabled(bool(self.list.selectedItems()))
        self.add_all.setEnabled(bool(wanted))

    def _pictures(self) -> None:
        thumbs, brushes = self.ui.pictures.tray.pictures, {b.id: b.plate.id for b in self.ui.studio.project.brushes}
        for item in self._items():
            id = str(item.data(Qt.ItemDataRole.UserRole))
            array = thumbs.get(brushes.get(id, id))
            if array is not None:
                icon = QIcon(QPixmap.fromImage(picture_of(array)))
                item.setIcon(icon)

    def add_chosen(self) -> None:
        """What is chosen goes into the pack."""
        ids = self._ids(self.list.selectedItems())
        if ids:
            self.active.add(tuple(ids))
