"""The settings of one kind of step or source: its editors and a row for every other setting."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from engraver.core.params import FieldSpec, Params, specs
from engraver.core.recipe import Source, Step
from engraver.core.sources import SourceKind

from ..editor_kinds import editor_of
from ..editors.finder_box import FinderBox
from ..editors.row import Row
from ..editors.rows import row_for
from ..editors.solids_box import SolidsBox
from ..editors.table import as_editor, widgets_for
from ..ui import Ui, named
from .capture_box import CaptureBox, find_again_button


def _edit_capture(ui: Ui, changes: dict[str, Any]) -> None:
    """What is set in a capture's rows; rolling out and straight views bring other settings along."""
    if "roll_out" in changes:
        ui.captures.roll_out(changes["roll_out"])
    elif "view" in changes:
        ui.captures.look_from(changes["view"])
    else:
        ui.captures.change("Change the capture", **changes)


class SolidsPanel(QWidget):
    """The list of solids, and below it how they are looked at."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(ui.px(10))
        self.solids = SolidsBox(ui)
        box.addWidget(CaptureBox(ui, ui.captures))
        box.addWidget(self.solids)


# By the editor that a source kind names: what stands above its rows, and what becomes of what is set there.
_SOURCE_EDITORS: Mapping[str, Callable[[Ui], QWidget]] = MappingProxyType({
    "capture": lambda ui: CaptureBox(ui, ui.captures), "solids": lambda ui: SolidsPanel(ui),
})  # fmt: skip
SOURCE_EDITS: Mapping[str, Callable[[Ui, dict[str, Any]], None]] = MappingProxyType(
    {"capture": _edit_capture, "solids": _edit_capture}
)


class SettingsPage(QWidget):
    """The rows and editors of one kind of step or source; they show whichever of that kind is chosen."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self.rows: dict[str, Row] = {}
        self.editors: tuple[QWidget, ...] = ()
        self.finders: FinderBox | None = None
        self.revealer: QPushButton | None = None
        self.missing: Source | None = None
        self.coming: list[tuple[str, FieldSpec]] = []
        self.params: Params | None = None
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, ui.px(4), ui.px(10), ui.px(6))
        self.box.setSpacing(ui.px(10))
        self.find_button = find_again_button(ui)
        self.find_button.hide()
        self.box.addWidget(self.find_button)
        self.found = named(QLabel(), "second")
        self.found.setWordWrap(True)

    def put(self, widget: QWidget) -> None:
        """Add a widget at the end, before what holds the rest up."""
        self.box.insertWidget(self.box.count() - 1, widget)

    @property
    def all_editors(self) -> tuple[QWidget, ...]:
        return (*self.editors, *((self.finders,) if self.finders is not None else ()))

    # -- filling ---------------------------------------------------------------------

    def fill_step(self, step: Step) -> None:
        """The editors of a step's kind; its rows come by and by."""
        self.editors = widgets_for(self.ui, step)
        for widget in self.editors:
            self._add(widget)
        if step.declared.finders:
            self.finders = FinderBox(self.ui, step)
            self._add(self.finders)
        self.put(self.found)
        fields, owned = specs(step.declared.params), editor_of(step).owns
        self.coming = [(n, s) for n, s in fields.items() if n not in owned and s.kind.row]

    def fill_source(self, kind: SourceKind, names: tuple[str, ...]) -> None:
        """What stands above the rows of a kind of source; the rows come by and by."""
        if kind.editor in _SOURCE_EDITORS:
            self.put(_SOURCE_EDITORS[kind.editor](self.ui))
        fields = specs(kind.reading)
        self.coming = [(n, fields[n]) for n in names if fields[n].kind.row]

    def put_revealer(self, button: QPushButton) -> None:
        """A button that shows what the step found, above the words that tell it."""
        self.revealer = button
        self.box.insertWidget(self.box.indexOf(self.found), button)

    def _add(self, widget: QWidget) -> None:
        """A widget that edits the step."""
        editor = as_editor(widget)
        editor.edited.connect(self.edited)
        editor.finished.connect(self.finished)
        self.put(widget)

    def make_rows(self, count: int) -> bool:
        """Make some of the rows that are to come; whether there are still more."""
        for _ in range(min(count, len(self.coming))):
            name, spec = self.coming.pop(0)
            row = row_for(self.ui, spec)
            row.edited.connect(lambda value, n=name: self.edited.emit({n: value}))
            row.finished.connect(self.finished)
            row.refused.connect(lambda words: self.ui.studio.told.emit(words, "look"))
            self.rows[name] = row
            self.put(row)
        return bool(self.coming)
