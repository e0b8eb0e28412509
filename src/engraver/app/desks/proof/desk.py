"""The proof desk's parts in their places: tray, the trial with its bars, stroke settings; the string."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QMenu, QSplitter, QVBoxLayout, QWidget

from ...host import Host
from ...plate_actions import PlateActions
from ...trial_actions import TrialActions
from ...views.plate_item import rename_plate
from ...views.string_view import StringView
from ...views.stroke_panel import StrokePanel
from ...views.surface_bar import SurfaceBar, ToolBar
from ...views.tray import Tray
from ...views.trial_canvas import TrialCanvas


class ProofDesk(QWidget):
    """Holds no truth: what it shows lies in the project, how it shows it in the desk's state."""

    def __init__(self, host: Host, parent: QWidget) -> None:
        super().__init__(parent)
        self.host, self.ui = host, host.ui
        ui = host.ui
        self.trial_actions = TrialActions(host)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.tray = Tray(ui)
        plates = PlateActions(host)
        self.tray.removing.connect(plates.remove)
        self.tray.moved.connect(plates.move_to)
        self.surfaces, self.tools = SurfaceBar(ui), ToolBar(ui)
        self.canvas, self.second = TrialCanvas(ui), TrialCanvas(ui, 1)
        self.views = QSplitter()
        self.views.setHandleWidth(2)
        self.views.setChildrenCollapsible(False)
        self.views.addWidget(self.canvas)
        self.views.addWidget(self.second)
        work = QVBoxLayout()
        work.setSpacing(0)
        work.addWidget(self.surfaces)
        work.addWidget(self.views, 1)
        work.addWidget(self.tools)
        self.panel = StrokePanel(ui)
        middle.addWidget(self.tray)
        middle.addLayout(work, 1)
        middle.addWidget(self.panel)
        column.addLayout(middle, 1)
        self.string = StringView(ui)
        column.addWidget(self.string)
        self.tray.new_plate.connect(lambda: host.commands["new"].run())
        self.tray.menu_for.connect(self._plate_menu)
        self.tray.picked.connect(ui.trials.curve.take_plate)
        self.surfaces.choose_mesh.connect(self.trial_actions.choose_mesh)
        self.surfaces.dense_wanted.connect(self.trial_actions.set_points)
        self.string.make_plate.connect(self.trial_actions.ask_make_plate)
        self.string.export.connect(self.trial_actions.ask_save)
        ui.trials.changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Show and fold what the state says."""
        state = self.host.trials.state
        self.second.setVisible(bool(state.second))
        self.panel.setVisible(state.panel)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.host.trials.come()
        self.canvas.setFocus()

    def hideEvent(self, event: QHideEvent) -> None:
        self.host.trials.go()
        super().hideEvent(event)

    def _plate_menu(self, plate_id: str, place: QPoint) -> None:
        studio = self.host.studio
        studio.choose_plate(plate_id)
        menu = QMenu(self)
        menu.addAction("Work on it at the bench", lambda: self.host.go_to("bench"))
        menu.addAction("Rename…", partial(rename_plate, self, studio, plate_id))
        menu.exec(place)
