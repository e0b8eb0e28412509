"""Which plates follow this plate's recipe."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QLabel,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from engraver.core.recipe import many

from ..ui import Ui, named
from .dialog_foot import dialog_foot
from .sheet import Sheet


class ShareSheet(Sheet):
    """A tick for every other plate."""

    def __init__(self, ui: Ui, parent: QWidget) -> None:
        super().__init__(ui, parent)
        studio = ui.studio
        plate = studio.plate
        assert plate is not None
        self.setWindowTitle("Use on more plates")
        self.resize(ui.px(400), ui.px(420))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(10))
        box.addWidget(named(QLabel(f"Use the line of {plate.name} on"), "title"))
        told = "Plates with a tick follow this recipe: they change together, but for what is only here."
        words = named(QLabel(told), "second")
        words.setWordWrap(True)
        box.addWidget(words)
        self.list = QListWidget()
        self._before = {p.id for p in many.sharing(studio.project, plate.id)} - {plate.id}
        for other in studio.project.plates:
            if other.id == plate.id:
                continue
            item = QListWidgetItem(other.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            ticked = other.id in self._before or other.id in ui.besides
            item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
            item.setData(Qt.ItemDataRole.UserRole, other.id)
            self.list.addItem(item)
        box.addWidget(self.list, 1)
        if not self.list.count():
            box.addWidget(named(QLabel("There is no other plate yet. Open more pictures first."), "second"))
        row, _ = dialog_foot(self, "Use on these")
        box.addLayout(row)

    def wish(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """Plates that follow from now on, and those that go their own way again."""
        ticked = {
            str(self.list.item(n).data(Qt.ItemDataRole.UserRole))
            for n in range(self.list.count())
            if self.list.item(n).checkState() == Qt.CheckState.Checked
        }
        return tuple(sorted(ticked - self._before)), tuple(sorted(self._before - ticked))
