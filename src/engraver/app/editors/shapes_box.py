"""The settings of shapes: what can be added, the list in the order it is laid, the numbers of the chosen."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import QSize, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid

from engraver.core.files.read import read_bytes
from engraver.core.params import shown_value, specs
from engraver.core.raster import Facts
from engraver.core.recipe import Step
from engraver.core.shapes.kinds import SHAPES
from engraver.core.shapes.model import Shape, Shapes
from engraver.core.shapes.svg import Drawn, read_svg
from engraver.core.steps.shapes import ShapeList

from ..ui import Ui, named
from .align_box import AlignBox
from .framed import FRAMED, Ground
from .item_rows import ItemRows
from .row import Row
from .rows import Switch
from .seen import Seen
from .shape_palette import ShapePalette, shape_icon

_STEP = 0.04
_NONE_WORDS = "No shape yet. Press one above, then move and size it on the plate."
_WAY_WORDS = "A double press adds a place. The right button on a place removes it, or gives it handles."


class ShapesBox(QWidget):
    """Edits the list of a :class:`ShapeList`."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui, self.items = ui, ui.items
        self.shapes: Shapes = ()
        self._filling, self._uid = False, ""
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(ui.px(8))
        self.palette_ = ShapePalette(ui)
        self.palette_.wanted.connect(self.add)
        box.addWidget(self.palette_)
        self.list = QListWidget()
        self.list.setAccessibleName("Shapes, in the order in which they are laid")
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.list.setIconSize(QSize(ui.px(18), ui.px(18)))
        self.list.setContentsMargins(0, 0, 0, 0)
        self.list.itemSelectionChanged.connect(self._picked)
        self.list.model().rowsMoved.connect(lambda *_: QTimer.singleShot(0, self._reordered))
        inset = QHBoxLayout()
        inset.setContentsMargins(ui.px(12), 0, 0, 0)
        inset.addWidget(self.list)
        box.addLayout(inset)
        self.none = named(QLabel(_NONE_WORDS), "second")
        self.none.setWordWrap(True)
        self.none.setContentsMargins(ui.px(12), 0, 0, 0)
        box.addWidget(self.none)
        box.addLayout(self._buttons())
        self.words = named(QLabel(_WAY_WORDS), "second")
        self.words.setWordWrap(True)
        self.words.setContentsMargins(ui.px(12), 0, 0, 0)
        box.addWidget(self.words)
        trace = QHBoxLayout()
        trace.setContentsMargins(ui.px(12), 0, 0, 0)
        trace.addWidget(QLabel("Trace the source"), 1)
        self.trace = Switch(ui)
        self.trace.setAccessibleName("Trace the source")
        self.trace.setToolTip("The source shines through faintly, to be drawn over. (;)")
        self.trace.clicked.connect(lambda on: ui.studio.trace(bool(on)))
        trace.addWidget(self.trace)
        box.addLayout(trace)
        self.align = AlignBox(ui)
        self.align.moved.connect(self._aligned)
        box.addWidget(self.align)
        self.numbers = ItemRows(ui, Shape, _ORDER, hidden=("kind",))
        self.numbers.edited.connect(self._set)
        self.numbers.finished.connect(self.finished)
        box.addWidget(self.numbers)
        self.items.changed.connect(self._follow_chosen)
        self._show_list()

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(self.ui.px(12), 0, 0, 0)
        row.setSpacing(self.ui.px(4))
        self.svg = QPushButton("From SVG…")
        self.svg.setToolTip("Outlines from an SVG file: what it fills and strokes, as one shape")
        self.svg.clicked.connect(self._ask_svg)
        self.copy = QPushButton("Double")
        self.copy.setToolTip("The chosen shapes again, beside themselves")
        self.copy.clicked.connect(self._double)
        self.remove = QPushButton("Remove")
        self.remove.setToolTip("Remove the chosen shapes (Del on the plate)")
        self.remove.clicked.connect(self._remove)
        for button in (self.svg, self.copy, self.remove):
            named(button, "profile")
            button.setFixedHeight(self.ui.px(26))
            row.addWidget(button, 1)
        return row

    @property
    def rows(self) -> dict[str, Row]:
        """The rows of the chosen shape's numbers."""
        return self.numbers.rows

    def _show_rows(self) -> None:
        chosen = self.chosen()
        self.numbers.show_item(self.shapes[chosen[-1]] if chosen else None, self._facts())

    def _facts(self) -> Facts:
        line, uid = self.ui.studio.attempt(self.ui.studio.line), self.ui.studio.step_uid
        return line.facts[line.place_before(uid)] if line is not None else Facts(1, 1)

    # -- what is shown -----------------------------------------------------------------

    def chosen(self) -> tuple[int, ...]:
        """Places of the chosen shapes, the last pressed at the end."""
        return self.items.among(len(self.shapes))

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model."""
        assert isinstance(step.params, ShapeList)
        self.trace.setChecked(self.ui.studio.tracing)
        fresh, self._uid = step.uid != self._uid, step.uid
        if step.params.items is not self.shapes:
            self.shapes = step.params.items
            self._fill_list()
        if fresh and self.shapes and not self.chosen():
            self.items.choose(len(self.shapes) - 1)  # its numbers and handles show what can be done
        self._follow_chosen()

    def _fill_list(self) -> None:
        self._filling = True
        facts = self._facts()
        while self.list.count() > len(self.shapes):
            self.list.takeItem(self.list.count() - 1)
        for n, shape in enumerate(self.shapes):
            item = self.list.item(n) or QListWidgetItem(self.list)
            item.setData(Qt.ItemDataRole.UserRole, n)
            kind = SHAPES[shape.kind]
            words = f"{kind.name}  {shown_value(getattr(shape, kind.told), specs(Shape)[kind.told], facts)}"
            if item.text() != words or item.data(Qt.ItemDataRole.UserRole + 1) is not shape:
                item.setText(words)
                item.setIcon(shape_icon(self.ui, shape))
                item.setData(Qt.ItemDataRole.UserRole + 1, shape)
        self._show_list()
        self._filling = False

    def _show_list(self) -> None:
        self.list.setFixedHeight(self.ui.px(30) * max(1, min(5, len(self.shapes))) + 4)
        self.list.setVisible(bool(self.shapes))
        self.none.setVisible(not self.shapes)

    def _follow_chosen(self) -> None:
        chosen = self.chosen()
        self._filling = True
        for n in range(self.list.count()):
            self.list.item(n).setSelected(n in chosen)
        self._filling = False
        self.copy.setVisible(bool(chosen))
        self.words.setVisible(len(chosen) == 1 and SHAPES[self.shapes[chosen[0]].kind].drawn)
        self.remove.setVisible(bool(chosen))
        facts = self._facts()
        on = Ground((float(facts.width), float(facts.height)))
        params = ShapeList.model_construct(items=self.shapes)
        self.align.show_frames({n: FRAMED["shapes"].frame(params, n, on) for n in chosen} if len(chosen) > 1 else {})
        self._show_rows()

    # -- edits -------------------------------------------------------------------------

    def _tell(self, shapes: Shapes, *, done: bool = True) -> None:
        self.edited.emit({"items": shapes})
        if done:
            self.finished.emit()

    def add(self, shape: Shape) -> None:
        """Lay one more shape, beside the last where that lies in the middle too, and choose it."""
        taken = {(s.x, s.y) for s in self.shapes}
        while (shape.x, shape.y) in taken and shape.x < 0.9:
            shape = shape.but(x=shape.x + _STEP, y=shape.y + _STEP)
        count = len(self.shapes)
        self._tell((*self.shapes, shape))
        self.items.choose(count)

    def _set(self, name: str, value: Any) -> None:
        chosen = self.chosen()
        try:
            changed = tuple(s.but(**{name: value}) if n in chosen else s for n, s in enumerate(self.shapes))
        except ValidationError as error:
            self.ui.studio.told.emit(str(error.errors()[0]["msg"]).removeprefix("Value error, "), "look")
            return
        self._tell(changed, done=False)

    def _picked(self) -> None:
        if not self._filling:
            self.items.choose(*sorted(self.list.row(item) for item in self.list.selectedItems()))

    def _reordered(self) -> None:
        order = [self.list.item(n).data(Qt.ItemDataRole.UserRole) for n in range(self.list.count())]
        if order != sorted(order):
            moved = [n for n, place in enumerate(order) if place in self.chosen()]
            self._tell(tuple(self.shapes[n] for n in order))
            self.items.choose(*moved)

    def _double(self) -> None:
        chosen, count = sorted(self.chosen()), len(self.shapes)
        more = tuple(self.shapes[n].but(x=self.shapes[n].x + _STEP, y=self.shapes[n].y + _STEP) for n in chosen)
        self._tell((*self.shapes, *more))
        self.items.choose(*range(count, count + len(more)))

    def _remove(self) -> None:
        chosen = self.chosen()
        self.items.choose()
        self._tell(tuple(s for n, s in enumerate(self.shapes) if n not in chosen))

    def _aligned(self, frames: Any) -> None:
        facts = self._facts()
        params = ShapeList.model_construct(items=self.shapes)
        changes = FRAMED["shapes"].changed(params, frames, Ground((float(facts.width), float(facts.height))))
        self._tell(changes["items"])

    def _ask_svg(self) -> None:
        path = self.ui.files.open(self, "Outlines from an SVG file", "outline", "SVG (*.svg)")
        if path is not None:
            self.bring_in(path)

    def bring_in(self, path: Path) -> None:
        """Add an SVG file's outline, read off the window's thread; it keeps its proportions."""

        def done(drawn: Drawn) -> None:
            if not isValid(self):
                return
            size = 0.6 / max(drawn.width, drawn.height)
            self.add(Shape(
                kind="outline", outline=drawn.data, even_odd=drawn.even_odd,
                width=max(0.0005, drawn.width * size), height=max(0.0005, drawn.height * size),
            ))  # fmt: skip

        self.ui.pictures.ask("", lambda check: read_svg(read_bytes(path), path.name, check), done)


# Place and size first, then what the kind has of its own, then how it stands.
_ORDER = (
    "x", "y", "width", "height", "turn", "corner", "each", "corner_2", "corner_3", "corner_4", "sides", "inner",
    "start", "sweep", "thick", "smooth", "closed", "filled", "ends", "joins", "taper_start", "taper_end", "even_odd",
    "level", "top", "lean", "border", "border_width", "border_side", "meets",
)  # fmt: skip
