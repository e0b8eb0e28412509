"""A family: one setting of a step, several values, a plate for each."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtWidgets import QGridLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from engraver.core.params import FieldSpec
from engraver.core.recipe import Step

from ..editors.rows import Choice
from ..ui import Ui, named
from .dialog_foot import dialog_foot
from .sheet import Sheet


class FamilySheet(Sheet):
    """Asks for a setting and its values."""

    def __init__(self, ui: Ui, parent: QWidget, step: Step, fields: Mapping[str, FieldSpec]) -> None:
        super().__init__(ui, parent)
        self.fields = fields
        self.setWindowTitle("A family of plates")
        self.setMinimumWidth(ui.px(440))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(10))
        box.addWidget(named(QLabel(f"A family over {step.title}"), "title"))
        told = "One setting, several values: a plate for each. All else they share and change together."
        words = named(QLabel(told), "second")
        words.setWordWrap(True)
        box.addWidget(words)
        grid = QGridLayout()
        self.field = Choice(ui)
        for name, spec in fields.items():
            self.field.addItem(spec.label, name)
        self.field.setAccessibleName("Setting")
        self.values = QLineEdit()
        self.values.setAccessibleName("Values")
        grid.addWidget(QLabel("Setting"), 0, 0)
        grid.addWidget(self.field, 0, 1)
        grid.addWidget(QLabel("Values"), 1, 0)
        grid.addWidget(self.values, 1, 1)
        box.addLayout(grid)
        row, self.go = dialog_foot(self, "Make the family")
        box.addLayout(row)
        self.field.currentIndexChanged.connect(self._follow)
        self.values.textChanged.connect(lambda: self.go.setEnabled(bool(self.values.text().strip())))
        self.go.setEnabled(False)
        self._follow()

    @staticmethod
    def suits(spec: FieldSpec) -> bool:
        """Whether a setting can be typed as a list of values."""
        return bool(spec.kind.example(spec))

    def _follow(self) -> None:
        spec = self.fields[str(self.field.currentData())]
        self.values.setPlaceholderText(f"Such as {spec.kind.example(spec)}")

    def wish(self) -> tuple[str, str]:
        """The setting and what was typed."""
        return str(self.field.currentData()), self.values.text()
