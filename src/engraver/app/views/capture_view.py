"""The capture view: straight views, level, snap, zero; the mesh and its section. Small in the settings, or large."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from engraver.core.mesh.pose import STRAIGHT

from ..captures import NAMES, Captures
from ..ui import Ui, choice, named
from .capture_canvas import CaptureCanvas
from .capture_section import CaptureSection

_TASKS = (
    ("capture-flat", "Lay flat", "Turns the best-fitting plane square to the eye"),
    ("capture-level", "Level", "Takes out the tilt that is left in the frame"),
    ("capture-snap", "Snap", "Takes out the few degrees that are left to a straight view"),
    ("capture-zero", "Pick zero", "The next press on the mesh says which height is zero"),
)


class CaptureView(QWidget):
    """``large`` stands in the place of the plate view, with a bar of its own."""

    def __init__(self, ui: Ui, captures: Captures, *, large: bool) -> None:
        super().__init__()
        self.ui, self.captures, self.is_large = ui, captures, large
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0 if large else ui.px(6))
        self.canvas = CaptureCanvas(ui, captures)
        self.section = CaptureSection(ui, captures, self.canvas)
        self.buttons: dict[str, QPushButton] = {}
        if large:
            box.addWidget(self._bar())
        picture = QVBoxLayout()
        picture.setSpacing(0)
        picture.addWidget(self.canvas, 1)
        picture.addWidget(self.section)
        if not large:
            self.canvas.setFixedHeight(ui.px(236))
            box.addLayout(self._small_buttons())
        box.addLayout(picture, 1)
        captures.drawn.connect(self.follow)
        captures.picking_changed.connect(self.follow)
        ui.studio.project_changed.connect(self.follow)
        ui.pictures.looked.connect(self.follow)
        self.follow()

    def _button(self, id: str, words: str, tip: str, look: str) -> QPushButton:
        button = named(QPushButton(words), look)
        key = self.ui.commands[id].shortcut
        button.setToolTip(f"{tip}. ({key})" if key else f"{tip}.")
        button.clicked.connect(lambda: self.ui.commands[id].run())
        self.buttons[id] = button
        return button

    def _small_buttons(self) -> QGridLayout:
        ui, grid = self.ui, QGridLayout()
        grid.setSpacing(ui.px(3))
        for n, view in enumerate(STRAIGHT):
            button = self._button(f"capture-{view}", NAMES[view], f"Straight from the {view}", "profile")
            button.setCheckable(True)
            button.setFixedHeight(ui.px(24))
            grid.addWidget(button, 0, 2 * n, 1, 2)
        tasks = (*_TASKS, ("capture-large", "Large", "The capture view in the place of the plate"))
        row = QHBoxLayout()
        row.setSpacing(ui.px(3))
        for id, words, tip in tasks:
            button = self._button(id, words, tip, "profile")
            button.setCheckable(id == "capture-zero")
            button.setFixedHeight(ui.px(24))
            row.addWidget(button, len(words) + 3)
        grid.addLayout(row, 1, 0, 1, 12)
        return grid

    def _bar(self) -> QWidget:
        ui = self.ui
        bar = named(QWidget(), "picturebar")
        bar.setFixedHeight(ui.px(30))
        row = QHBoxLayout(bar)
        row.setContentsMargins(ui.px(8), 0, ui.px(4), 0)
        row.setSpacing(ui.px(1))
        row.setSizeConstraint(QHBoxLayout.SizeConstraint.SetNoConstraint)
        bar.setMinimumWidth(ui.px(200))
        self.head = row
        title = QLabel("Mesh")
        title.setStyleSheet("font-weight: 600;")
        row.addWidget(title)
        row.addSpacing(ui.px(4))
        self.views = named(QPushButton(), "pill")
        self.views.setProperty("said", "yes")
        self.views.setToolTip("From where the mesh is looked at. Keys 4 to 9 look straight, 0 lays it flat.")
        self.views.clicked.connect(
            lambda: self.view_menu().exec(self.views.mapToGlobal(self.views.rect().bottomLeft()))
        )
        row.addWidget(self.views)
        row.addStretch(1)
        for id, words, tip in (*_TASKS, ("capture-large", "Done", "The plate again")):
            button = self._button(id, words, tip, "bar")
            button.setCheckable(id == "capture-zero")
            row.addWidget(button)
        return bar

    def _choose_view(self) -> None:
        self.view_menu().exec(self.views.mapToGlobal(self.views.rect().bottomLeft()))

    def view_menu(self) -> QMenu:
        """The six straight views and the flat one."""
        menu = QMenu(self)
        chosen = self.captures.chosen()
        now = chosen[1].view if chosen is not None and not chosen[1].roll_out else ""
        for view, words in NAMES.items():
            choice(menu, words, partial(self.captures.look_from, view), now=view == now)
        return menu

    def follow(self, _: object = None) -> None:
        """Show which view is in force, and what can be pressed."""
        chosen = self.captures.chosen()
        if chosen is None:
            return
        reading = chosen[1]
        still = abs(reading.turn) < 1e-6 and abs(reading.tilt) < 1e-6 and not reading.roll_out
        if self.is_large:
            turned = "" if still else ", turned"
            self.views.setText("Rolled out ▾" if reading.roll_out else f"{NAMES[reading.view]}{turned} ▾")
        else:
            for view in STRAIGHT:
                self.buttons[f"capture-{view}"].setChecked(still and reading.view == view)
        self.buttons["capture-zero"].setChecked(self.captures.picking)
        near = self.captures.straight_words()[1]
        self.buttons["capture-snap"].setEnabled(near)
        self.buttons["capture-level"].setEnabled(not reading.roll_out)
