"""The bench's parts in their places: tray, plate, proof and settings; readiness; the line of steps."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QMenu, QPushButton, QSplitter, QVBoxLayout, QWidget

from engraver.core.recipe.first import READ_AS

from ...export_actions import ExportActions
from ...host import Host
from ...plate_actions import PlateActions
from ...ui import named
from ...views.add_step import AddStep
from ...views.capture_view import CaptureView
from ...views.line_view import LineView
from ...views.plate_item import rename_plate
from ...views.plate_view import PlateView
from ...views.proof_view import ProofView
from ...views.readiness_row import ReadinessRow
from ...views.settings_panel import SettingsPanel
from ...views.tray import Tray

# The two views in turn.
_SHOWN = ("both", "plate", "proof")
# Less room than this for both, and one is shown at a time.
_ROOM_FOR_BOTH = 500
_OF_A_PLATE = (
    "duplicate", "from-source", "family", "replace-source", "split", "share", "cabinet-keep", "pack-add-plate",
    "icon", "what-arrives", "remove-plate",
)  # fmt: skip
_OF_SEVERAL = (
    ("export-together", "Export {} plates together…"), ("duplicate", "Duplicate {} plates"),
    ("share", "Use one line on {} plates…"), ("pack-add-plate", "Put {} plates into the pack"),
    ("plate-up", "Move {} plates up"), ("plate-down", "Move {} plates down"), ("remove-plate", "Remove {} plates"),
)  # fmt: skip


class Bench(QWidget):
    """Holds no truth: what it shows is the studio's, how it shows it lies in the looks."""

    def __init__(self, host: Host, parent: QWidget) -> None:
        super().__init__(parent)
        self.host, self.ui = host, host.ui
        ui, studio = host.ui, host.studio
        self.plates, self.deliveries = PlateActions(host), ExportActions(host)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.tray = Tray(ui)
        self.plate_view = PlateView(ui)
        self.proof_view = ProofView(ui)
        self.capture_view = CaptureView(ui, host.captures, large=True)
        self.views = QSplitter(Qt.Orientation.Horizontal)
        self.views.setHandleWidth(2)
        self.views.setChildrenCollapsible(False)
        for view in (self.capture_view, self.plate_view, self.proof_view):
            self.views.addWidget(view)
        self.views.setSizes(list(host.looks.bench.split))
        self.swaps = [
            self._swap(self.plate_view, "Proof ▸", "proof"), self._swap(self.capture_view, "Proof ▸", "proof"),
            self._swap(self.proof_view, "◂ Plate", "plate"),
        ]  # fmt: skip
        self.views.splitterMoved.connect(self._split)
        self.settings = SettingsPanel(ui)
        middle.addWidget(self.tray)
        middle.addWidget(self.views, 1)
        middle.addWidget(self.settings)
        column.addLayout(middle, 1)
        self.readiness = ReadinessRow(ui)
        self.line = LineView(ui)
        column.addWidget(self.readiness)
        column.addWidget(self.line)
        self.settings.find_again.connect(self.plates.find_again)
        self.tray.new_plate.connect(lambda: host.commands["new"].run())
        self.tray.menu_for.connect(self._plate_menu)
        self.tray.removing.connect(self.plates.remove)
        self.tray.moved.connect(self.plates.move_to)
        self.readiness.export.connect(self.deliveries.export)
        self.line.add_step.connect(self.add_step)
        self.line.use_on_more.connect(self.plates.share)
        self.line.only_here.connect(self.plates.only_here)
        self.line.read_as.connect(self.plates.read_as)
        host.captures.large_changed.connect(self.follow)
        host.looks.changed.connect(self.follow)
        studio.destinations_changed.connect(self.readiness.update)
        self.follow()

    @property
    def busy(self) -> bool:
        """Whether parts of it are still to come."""
        return self.settings.filling

    @property
    def still(self) -> bool:
        """Whether nothing on it moves by itself."""
        return self.plate_view.canvas.hands.strokes.still

    def follow(self, _: object = None) -> None:
        """Show and fold what the looks say."""
        looks, large, shown = self.host.looks.bench, self.host.captures.large, self.shown
        views, focus = (self.capture_view, self.plate_view, self.proof_view), QApplication.focusWidget()
        held = next((view for view in views if focus is not None and view.isAncestorOf(focus)), None)
        self.capture_view.setVisible(large and shown != "proof")
        self.plate_view.setVisible(not large and shown != "proof")
        self.proof_view.setVisible(shown != "plate")
        if held is not None and held.isHidden():  # what takes its place has the keys, not what comes next in the row
            next(view for view in views if not view.isHidden()).canvas.setFocus()
        for swap in self.swaps:
            swap.setVisible(self.narrow)
        self.tray.setVisible(looks.tray)
        self.settings.setVisible(looks.settings)

    @property
    def narrow(self) -> bool:
        """Whether there is no room for both views beside each other."""
        looks = self.host.looks.bench
        beside = (self.tray.width() if looks.tray else 0) + (self.settings.width() if looks.settings else 0)
        return self.width() - beside < self.ui.px(_ROOM_FOR_BOTH)

    @property
    def shown(self) -> str:
        """Which views are seen: as the looks say, or the plate alone where both have no room."""
        wanted = self.host.looks.bench.shown
        return "plate" if wanted == "both" and self.narrow else wanted

    def _swap(self, view: PlateView | ProofView | CaptureView, words: str, shown: str) -> QPushButton:
        """A button in a view's header that shows the other one; seen only where both have no room."""
        button = named(QPushButton(words), "bar")
        button.setToolTip("There is no room for both: show the other view (V)")
        button.clicked.connect(lambda: self.host.looks.set(shown=shown))
        button.hide()
        view.head.insertWidget(0, button)
        return button

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.follow()

    def _split(self, _: int, __: int) -> None:
        sizes = self.views.sizes()
        if all(sizes[1:]):  # both are seen: a view that is hidden is no choice of widths
            self.host.looks.set(split=tuple(sizes))

    def next_view(self) -> None:
        """Both views, plate only, proof only, in turn."""
        turns = _SHOWN[1:] if self.narrow else _SHOWN
        self.host.looks.set(shown=turns[(turns.index(self.shown) + 1) % len(turns)])

    def choose_beside(self, by: int) -> None:
        """Choose the step before or after the chosen one."""
        studio = self.host.studio
        uids = ["", *(s.uid for s in studio.steps)]
        place = uids.index(studio.step_uid) + by
        if 0 <= place < len(uids):
            studio.choose_step(uids[place])

    def add_step(self) -> None:
        """Ask for a step and where it goes."""
        sheet = AddStep(self.ui, self.host.widget)
        wanted, place = (sheet.taken(), sheet.place) if sheet.exec() else ("", 0)
        sheet.deleteLater()
        if wanted:
            self.host.studio.attempt(lambda: self.host.studio.add_step_at(wanted, place))

    def share_at(self, spot: QPoint) -> tuple[float, float] | None:
        """Where on the chosen plate a place of the window lies, as shares; its middle for its line, else None."""
        canvas = self.plate_view.canvas
        over_plate = canvas.isVisible() and canvas.rect().contains(canvas.mapFrom(self.host.widget, spot))
        over_line = self.line.isVisible() and self.line.rect().contains(self.line.mapFrom(self.host.widget, spot))
        if self.host.studio.plate is None or not (over_plate or over_line):
            return None
        share = canvas.to_share(QPointF(canvas.mapFrom(self.host.widget, spot))) if over_plate else QPointF(0.5, 0.5)
        return min(1.0, max(0.0, share.x())), min(1.0, max(0.0, share.y()))

    def put_on(self, plate_id: str, spot: QPoint) -> bool:
        """Put a plate of the tray on the chosen one where it was dropped; whether that was over it or its line."""
        studio, share = self.host.studio, self.share_at(spot)
        if share is None or studio.plate_id == plate_id:
            return False
        x, y = (round(v, 4) for v in share)
        studio.attempt(lambda: studio.add_step("place", plate=plate_id, x=x, y=y))
        return True

    def plate_menu(self, plate_id: str) -> QMenu:
        """What can be done with a plate of the tray, or with all that are chosen; another one is chosen first."""
        host, studio = self.host, self.host.studio
        if plate_id not in host.besides.all:
            host.besides.clear()
            studio.choose_plate(plate_id)
        menu, several = QMenu(self), len(host.besides.all)
        if several > 1:
            for id, words in _OF_SEVERAL:
                menu.addAction(words.format(several), partial(host.run, host.commands[id]))
            return menu
        menu.addAction("Rename…", partial(rename_plate, self, studio, plate_id))
        for id in _OF_A_PLATE:
            menu.addAction(host.commands[id].name, partial(host.run, host.commands[id]))
        if studio.plate is not None and studio.source(studio.plate)[1].referable:
            recipes = menu.addMenu("Follow a recipe that ships")
            for kind, words in READ_AS.items():
                recipes.addAction(words, partial(self.plates.follow_shipped, kind))
        return menu

    def _plate_menu(self, plate_id: str, place: QPoint) -> None:
        self.plate_menu(plate_id).exec(place)
