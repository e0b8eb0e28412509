"""Export: for which destinations, where to, under which name; each with its readiness before it is written."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid

from engraver.core.errors import EngraverError, Watch
from engraver.core.files.names import is_folder, is_there, typed_path
from engraver.core.readiness import Destination, Gauge, Measured, summary
from engraver.core.readiness.deliver import fitting_side
from engraver.core.readiness.export import Order, delivered, free_stem, orders_for
from engraver.core.readiness.gauge import VERDICTS
from engraver.core.readiness.measure import gauges

from ..exporting import Exports, ExportWish
from ..measuring import MeasuredPlate
from ..ui import Ui, named
from .dialog_foot import dialog_foot
from .sheet import Sheet

SHOWN_AT_ONCE = 7
# Fewer where the window is low; the height of a line of the list, and of all else in the sheet.
_FEWEST, _LINE, _BESIDE = 3, 44, 294


class Line(QWidget):
    """One destination: a tick, what it will be, its readiness."""

    ticked = Signal()

    def __init__(self, ui: Ui, to: Destination, side: int, now: int) -> None:
        super().__init__()
        self.ui, self.to, self.ready, self.refused = ui, to, False, False
        grid = QGridLayout(self)
        grid.setContentsMargins(ui.px(10), ui.px(5), ui.px(10), ui.px(5))
        grid.setHorizontalSpacing(ui.px(10))
        grid.setVerticalSpacing(0)
        self.tick = QCheckBox(to.name)
        self.tick.setToolTip(to.purpose)
        self.tick.toggled.connect(lambda _: self.ticked.emit())
        size = f"{side}" if side == now else f"brought to {side}"
        self.words = named(QLabel(f"{size} · {to.file_words()} · {to.polarity()}"), "second")
        self.verdict = QLabel()
        self.verdict.setTextFormat(Qt.TextFormat.RichText)
        self.verdict.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.says = named(QLabel(), "second")
        self.says.setWordWrap(True)
        self.says.hide()
        grid.addWidget(self.tick, 0, 0)
        grid.addWidget(self.verdict, 0, 1)
        self.words.setIndent(ui.px(23))
        self.says.setIndent(ui.px(23))
        grid.addWidget(self.words, 1, 0, 1, 2)
        grid.addWidget(self.says, 2, 0, 1, 2)
        grid.setColumnStretch(0, 1)

    def show_measuring(self) -> None:
        self.verdict.setText(f'<span style="color:{self.ui.theme.ink_2}">measuring…</span>')

    def show_gauges(self, found: list[Gauge]) -> None:
        """The verdict counted, and in words what is not good."""
        counts, t = summary(found), self.ui.theme
        colours = {"good": t.good, "look": t.look, "fault": t.fault, "unsure": t.ink_2}
        self.verdict.setText(" &nbsp; ".join(
            f'<span style="color:{colours[v]}; font-weight:600">{mark} {counts[v]} {text}</span>'
            for v, text, mark in VERDICTS if counts[v]
        ))  # fmt: skip
        bad = [g for g in found if g.verdict in ("look", "fault")]
        self.says.setText(" ".join(f"{g.name}: {g.says}" for g in bad))
        self.says.setVisible(bool(bad))

    def show_trouble(self, error: EngraverError) -> None:
        """It cannot be delivered for this destination."""
        self.refused = True
        self.verdict.setText(f'<span style="color:{self.ui.theme.fault}; font-weight:600">✕ cannot be</span>')
        self.says.setText(error.sentence())
        self.says.show()


class ExportSheet(Sheet):
    """What is there already is not replaced unasked."""

    edit_destinations = Signal()

    def __init__(self, ui: Ui, parent: QWidget, folder: Path, full: MeasuredPlate, exports: Exports) -> None:
        super().__init__(ui, parent)
        self.full, self.exports = full, exports
        studio = ui.studio
        plate = studio.plate
        assert plate is not None
        self.setWindowTitle("Export")
        self.resize(ui.px(640), ui.px(_BESIDE + _LINE * SHOWN_AT_ONCE))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(9))
        head = QHBoxLayout()
        head.addWidget(named(QLabel(f"Export {plate.name}"), "title"), 1)
        edit = named(QPushButton("Edit destinations…"), "link")
        edit.clicked.connect(self._edit)
        head.addWidget(edit)
        box.addLayout(head)
        self.lines: dict[str, Line] = {}
        self._waiting: list[Line] = []
        box.addWidget(self._list(), 1)
        self.name = QLineEdit(exports.first_stem(plate.name))
        self.folder = QLineEdit(str(folder))
        self.author = QLineEdit(exports.author)
        box.addLayout(self._fields())
        self.both = QCheckBox("Both polarities: a second file with white and black turned round")
        strength = f"{ui.pictures.strength * 100:.1f} %"
        self.normals = QCheckBox(f"A normal map too: slopes for white {strength} of the side high, green up")
        self.dated = QCheckBox("Today's date inside the files, where the format has room for it")
        self.replace = QCheckBox("Replace what is there")
        for tick in (self.both, self.normals, self.dated, self.replace):
            box.addWidget(tick)
            tick.toggled.connect(self._follow)
        row = QHBoxLayout()
        self.words = named(QLabel(), "second")
        self.words.setWordWrap(True)
        self.words.setMinimumHeight(ui.px(32))  # two lines: the sheet keeps its size while names change
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.other = named(QPushButton("Use a free name"), "link")
        self.other.clicked.connect(self._use_free_name)
        row.addWidget(self.words, 1)
        row.addWidget(self.other, 0, Qt.AlignmentFlag.AlignTop)
        box.addLayout(row)
        foot, self.go = dialog_foot(self, "Export")
        box.addLayout(foot)
        for field in (self.name, self.folder):
            field.textChanged.connect(self._follow)
        self.lines[studio.destination.id].tick.setChecked(True)
        self._follow()
        if not self.go.isEnabled():  # Enter does what helps, not what happens to stand first
            (self.other if self.other.isVisibleTo(self) else self.name).setFocus()

    # -- building ----------------------------------------------------------------------

    def _list(self) -> QWidget:
        ui, raster = self.ui, self.full.result.raster
        inside = named(QWidget(), "card")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, ui.px(4), 0, ui.px(4))
        column.setSpacing(0)
        now = max(raster.width, raster.height)
        chosen = ui.studio.destination.id
        offered = sorted(ui.studio.destinations.values(), key=lambda d: d.id != chosen)
        for to in offered:
            line = Line(ui, to, fitting_side(raster, to) or now, now)
            line.ticked.connect(partial(self._ticked, line))
            column.addWidget(line)
            self.lines[to.id] = line
        area = named(QScrollArea(), "framed")
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inside)
        area.setMinimumHeight(ui.px(_LINE) * _FEWEST)
        return area

    def _fields(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(self.ui.px(10))
        browse = QPushButton("Choose…")
        browse.clicked.connect(self._browse)
        self.author.setPlaceholderText("left out")
        for n, (words, field) in enumerate((("Name", self.name), ("Folder", self.folder), ("Author", self.author))):
            grid.addWidget(QLabel(words), n, 0)
            grid.addWidget(field, n, 1)
            field.setAccessibleName(words)
        grid.addWidget(browse, 1, 2)
        return grid

    # -- following ---------------------------------------------------------------------

    def _edit(self) -> None:
        self.reject()
        self.edit_destinations.emit()

    def _browse(self) -> None:
        folder = self.ui.files.folder(self, "Folder", "finished", typed_path(self.folder.text()))
        if folder is not None:
            self.folder.setText(str(folder))

    def _ticked(self, line: Line) -> None:
        """Measure what would be delivered, once, when a destination is first wanted."""
        self._follow()
        if not line.tick.isChecked() or line.ready:
            return
        line.ready = True
        if line.to == self.ui.studio.destination and self.full.trouble is None and self._as_it_is(line.to):
            line.show_gauges(list(self.full.gauges))
            return
        line.show_measuring()
        self._waiting.append(line)
        if len(self._waiting) == 1:
            self._measure_next()

    def _measure_next(self) -> None:
        """One destination after the other; the newest request does not push an older one out."""
        line, raster = self._waiting[0], self.full.result.raster

        def work(check: Watch) -> list[Gauge] | EngraverError:
            try:
                return gauges(Measured.delivered(delivered(raster, Order(line.to, Path(), ""))), check)
            except EngraverError as error:
                return error

        def done(found: list[Gauge] | EngraverError) -> None:
            if not isValid(self):
                return
            line.show_trouble(found) if isinstance(found, EngraverError) else line.show_gauges(found)
            self._follow()
            self._waiting.pop(0)
            if self._waiting:
                self._measure_next()

        self.ui.pictures.ask("", work, self.while_open(done))

    def _as_it_is(self, to: Destination) -> bool:
        """Whether the plate is delivered as it was measured, brought to no other side and refused for none."""
        now = self.full.result.raster
        return fitting_side(now, to) is None and to.takes_shape(now.width, now.height)

    def _orders(self, stem: str) -> tuple[Order, ...]:
        folder, now = typed_path(self.folder.text()), self.full.result.raster
        wanted = [line.to for line in self.lines.values() if line.tick.isChecked()]
        return orders_for(
            wanted, stem, (now.width, now.height), lambda to: self.exports.folder_for(to.id) or folder,
            both=self.both.isChecked(),
        )  # fmt: skip

    def wish(self) -> ExportWish:
        stem = self.name.text().strip()
        orders = self._orders(stem)
        folder = typed_path(self.folder.text())
        normals = folder / f"{stem}-normals.png" if self.normals.isChecked() else None
        return ExportWish(
            orders, self.replace.isChecked(), normals, self.author.text().strip(), self.dated.isChecked()
        )

    def _use_free_name(self) -> None:
        self.name.setText(free_stem(self._orders, self.name.text().strip()))
        self.go.setFocus()

    def _follow(self, _: object = None) -> None:
        wish, name = self.wish(), self.name.text().strip()
        written = wish.paths()
        there = [path.name for path in written if is_there(path)]
        wrong = ""
        refused = next((line for line in self.lines.values() if line.refused and line.tick.isChecked()), None)
        gone = next((p.parent for p in written if not is_folder(p.parent)), None)
        if not name or "/" in name or name in (".", ".."):
            wrong, there = "Give the file a name without “/”.", []
        elif not wish.orders:
            wrong = "Tick at least one destination."
        elif refused is not None:
            wrong = f"This plate cannot be written as {refused.to.name}: untick it, or put the plate right."
        elif gone is not None or not is_folder(typed_path(self.folder.text())):
            wrong = "That folder is not there."
        elif there and not wish.replace:
            some = " and ".join(there[:3]) + (f" and {len(there) - 3} more" if len(there) > 3 else "")
            verb = "is" if len(there) == 1 else "are"
            wrong = f"{some} {verb} there already: tick “Replace what is there” or choose another name."
        self.replace.setVisible(bool(there))
        self.other.setVisible(bool(there) and not wish.replace)
        self.go.setEnabled(not wrong)
        names = [path.name for path in written]
        listed = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
        self.words.setText(wrong or f"Writes {listed}.")
        self.words.setStyleSheet(f"color: {self.ui.theme.fault};" if wrong else "")
