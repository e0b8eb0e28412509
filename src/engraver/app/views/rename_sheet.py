"""Renaming one or many by a pattern, with what comes of it before it is done."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QLabel, QLineEdit, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from engraver.core.errors import EngraverError
from engraver.core.files.naming import WORDS, alike, by_pattern

from ..ui import Ui, named
from .dialog_foot import dialog_foot
from .sheet import Sheet


class RenameSheet(Sheet):
    """A pattern, and old and new names side by side; names that would clash are told and cannot be taken."""

    def __init__(self, ui: Ui, parent: QWidget, names: Sequence[str], prefix: str = "", pattern: str = "") -> None:
        super().__init__(ui, parent)
        self._old, self._prefix = list(names), prefix
        self.setWindowTitle("Rename")
        self.setMinimumWidth(ui.px(480))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(10))
        count = len(self._old)
        box.addWidget(named(QLabel("Rename" if count == 1 else f"Rename {count}"), "title"))
        self.field = QLineEdit(pattern or (self._old[0] if count == 1 else "{name} {nn}"))
        self.field.setAccessibleName("Name, or a pattern")
        self.field.selectAll()
        box.addWidget(self.field)
        words = named(QLabel(" · ".join(f"{word} {told}" for word, told in WORDS.items())), "second")
        words.setWordWrap(True)
        box.addWidget(words)
        self.preview = QTreeWidget()
        self.preview.setHeaderLabels(["Now", "Then"])
        self.preview.setRootIsDecorated(False)
        self.preview.setColumnWidth(0, ui.px(210))
        self.preview.setVisible(count > 1)
        box.addWidget(self.preview, 1)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setStyleSheet(f"color: {ui.theme.fault};")
        box.addWidget(self.told)
        row, self.go = dialog_foot(self, "Rename")
        box.addLayout(row)
        self.field.textChanged.connect(self._follow)
        self._follow()
        self.field.setFocus()

    def names(self) -> list[str]:
        """The new names, in order. Raises BadValue."""
        return by_pattern(self.field.text(), self._old, prefix=self._prefix)

    def _follow(self) -> None:
        try:
            made, trouble = self.names(), ""
        except EngraverError as error:
            made, trouble = [""] * len(self._old), error.sentence()
        twice = alike(made) if len(made) > 1 and not trouble else set()
        if twice:
            trouble = f"{len([m for m in made if m in twice])} would have the same name: add {{nn}}."
        self.preview.clear()
        for old, new in zip(self._old, made, strict=True):
            item = QTreeWidgetItem([old, new])
            if new in twice:
                item.setForeground(1, self.ui.colour("fault"))
            self.preview.addTopLevelItem(item)
        self.told.setText(trouble)
        self.told.setVisible(bool(trouble))
        self.go.setEnabled(not trouble)
