"""The sheet splitter: the boxes of a page's drawings, found and corrected by hand."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from engraver.core.engine import Result
from engraver.core.numeric import parts, tone
from engraver.core.numeric.parts import Search
from engraver.core.recipe.many import Box

from ..editors.slider import Slider
from ..painting import picture_of
from ..screen import to_screen
from ..ui import Ui, named
from .sheet import Sheet

GRAB = 9.0
LEAST = 0.01


@dataclass(frozen=True, slots=True)
class SplitWish:
    """The boxes in order, the free ground round each, and whether the page stays a plate too."""

    boxes: tuple[Box, ...]
    margin: float
    keep: bool


class BoxCanvas(QWidget):
    """The page with its numbered boxes. Drag a box, a corner or a side; drag on free ground for a new one."""

    changed = Signal()

    def __init__(self, ui: Ui, result: Result) -> None:
        super().__init__()
        self.ui = ui
        self.image = picture_of(to_screen(result.raster))
        self.boxes: list[Box] = []
        self.margin = 0.0
        self.chosen = -1
        self._drag: tuple[str, QPointF, Box] | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(ui.px(520), ui.px(300))
        self.setAccessibleName("The page and its boxes")

    def target(self) -> QRectF:
        """Where the page is drawn."""
        scale = min((self.width() - 16) / self.image.width(), (self.height() - 16) / self.image.height())
        rect = QRectF(0, 0, self.image.width() * scale, self.image.height() * scale)
        rect.moveCenter(QRectF(self.rect()).center())
        return rect

    def rect_of(self, box: Box) -> QRectF:
        """A box on the screen."""
        t = self.target()
        left, top, right, bottom = box
        return QRectF(
            QPointF(t.left() + left * t.width(), t.top() + top * t.height()),
            QPointF(t.left() + right * t.width(), t.top() + bottom * t.height()),
        )

    def _share(self, place: QPointF) -> QPointF:
        t = self.target()
        x, y = (place.x() - t.left()) / t.width(), (place.y() - t.top()) / t.height()
        return QPointF(min(1.0, max(0.0, x)), min(1.0, max(0.0, y)))

    def _grip(self, place: QPointF) -> tuple[int, str]:
        """Which box is under a place, and by which of its sides ("nw", "e", "move")."""
        order = (
            [self.chosen, *range(len(self.boxes))] if 0 <= self.chosen < len(self.boxes) else range(len(self.boxes))
        )
        for n in order:
            r = self.rect_of(self.boxes[n])
            if not r.adjusted(-GRAB, -GRAB, GRAB, GRAB).contains(place):
                continue
            tall = "n" if abs(place.y() - r.top()) <= GRAB else "s" if abs(place.y() - r.bottom()) <= GRAB else ""
            wide = "w" if abs(place.x() - r.left()) <= GRAB else "e" if abs(place.x() - r.right()) <= GRAB else ""
            return n, (tall + wide) or "move"
        return -1, ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        place = event.position()
        n, grip = self._grip(place)
        if n < 0:
            at = self._share(place)
            self.boxes.append((at.x(), at.y(), at.x(), at.y()))
            n, grip = len(self.boxes) - 1, "se"
        self.chosen = n
        self._drag = (grip, self._share(place), self.boxes[n])
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            grip = self._grip(event.position())[1]
            shapes = {"": Qt.CursorShape.CrossCursor, "move": Qt.CursorShape.SizeAllCursor}
            diagonal = {"nw": Qt.CursorShape.SizeFDiagCursor, "se": Qt.CursorShape.SizeFDiagCursor,
                        "ne": Qt.CursorShape.SizeBDiagCursor, "sw": Qt.CursorShape.SizeBDiagCursor}  # fmt: skip
            straight = Qt.CursorShape.SizeVerCursor if grip in ("n", "s") else Qt.CursorShape.SizeHorCursor
            self.setCursor(shapes.get(grip) or diagonal.get(grip) or straight)
            return
        grip, begin, (left, top, right, bottom) = self._drag
        here = self._share(event.position())
        by = here - begin
        if grip == "move":
            dx = min(1 - right, max(-left, by.x()))
            dy = min(1 - bottom, max(-top, by.y()))
            left, top, right, bottom = left + dx, top + dy, right + dx, bottom + dy
        else:
            left, right = (here.x() if "w" in grip else left), (here.x() if "e" in grip else right)
            top, bottom = (here.y() if "n" in grip else top), (here.y() if "s" in grip else bottom)
        self.boxes[self.chosen] = (min(left, right), min(top, bottom), max(left, right), max(top, bottom))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None
        if 0 <= self.chosen < len(self.boxes):
            left, top, right, bottom = self.boxes[self.chosen]
            if right - left < LEAST or bottom - top < LEAST:
                del self.boxes[self.chosen]
                self.chosen = -1
        self.changed.emit()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and 0 <= self.chosen < len(self.boxes):
            del self.boxes[self.chosen]
            self.chosen = min(self.chosen, len(self.boxes) - 1)
            self.changed.emit()
            self.update()
            return
        if event.key() == Qt.Key.Key_Tab and self.boxes:
            self.chosen = (self.chosen + 1) % len(self.boxes)
            self.update()
            return
        super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), ui.colour("surround"))
        target = self.target()
        painter.drawImage(target, self.image)
        dim = QPainterPath()
        dim.addRect(target)
        for box in self.boxes:
            hole = QPainterPath()
            hole.addRect(self.rect_of(box))
            dim = dim.subtracted(hole)
        painter.fillPath(dim, QColor(20, 20, 18, 110))
        painter.setFont(ui.font(12, 600))
        for n, box in enumerate(self.boxes):
            rect, mine = self.rect_of(box), n == self.chosen
            painter.setBrush(Qt.BrushStyle.NoBrush)
            edge = ui.colour("accent") if mine else QColor("#FFFFFF")
            for colour, width in ((QColor(20, 20, 18, 190), 3.6), (edge, 1.8)):
                painter.setPen(QPen(colour, width))
                painter.drawRect(rect)
            if self.margin > 0:
                room = self.margin * max(rect.width(), rect.height())
                painter.setPen(QPen(QColor(255, 255, 255, 150), 1, Qt.PenStyle.DashLine))
                painter.drawRect(rect.adjusted(-room, -room, room, room))
            tag = QRectF(rect.left(), rect.top(), ui.px(24), ui.px(20))
            painter.fillRect(tag, ui.colour("accent") if mine else QColor("#F7F5F0"))
            painter.setPen(ui.colour("on_accent") if mine else QColor("#1F2430"))
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, str(n + 1))


class Splitter(Sheet):
    """Finds the boxes, lets them be corrected, and says what will become of them."""

    def __init__(self, ui: Ui, parent: QWidget, result: Result) -> None:
        super().__init__(ui, parent)
        self._grey = tone.luma(result.raster.flat())
        self.setWindowTitle("Split a sheet")
        self.resize(ui.px(980), ui.px(690))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(14), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(8))
        box.addWidget(named(QLabel("Split a sheet"), "title"))
        words = (
            "Each box becomes a plate with this recipe. Drag boxes and their sides; "
            "drag on free ground for a new one; Delete takes one out."
        )
        box.addWidget(named(QLabel(words), "second"))
        self.canvas = BoxCanvas(ui, result)
        box.addWidget(self.canvas, 1)
        row = QHBoxLayout()
        row.setSpacing(ui.px(10))
        self.sliders: dict[str, Slider] = {}
        for name, label, lo, hi, value, help_ in (
            ("gap", "Join over", 0.005, 0.15, 0.03, "How far the strokes of one drawing may lie apart."),
            ("ink", "Ink from", 0.3, 1.7, 1.0, "Lower finds fainter drawings, higher passes over stains."),
            ("smallest", "At least", 0.02, 0.4, 0.05, "Smaller things than this are none."),
            ("margin", "Margin", 0.0, 0.3, 0.06, "Free ground left round each box."),
        ):
            slider = Slider(ui, lo, hi, 0.005)
            slider.show_value(value)
            slider.setToolTip(help_)
            slider.setAccessibleName(label)
            caption = QLabel(label)
            caption.setToolTip(help_)
            row.addWidget(caption)
            row.addWidget(slider, 1)
            self.sliders[name] = slider
            (slider.moved.connect(self._margin) if name == "margin" else slider.released.connect(self.look_for))
        box.addLayout(row)
        foot = QHBoxLayout()
        self.keep = QCheckBox("Keep the page as a plate too")
        self.words = named(QLabel(), "second")
        foot.addWidget(self.keep)
        foot.addSpacing(ui.px(16))
        foot.addWidget(self.words, 1)
        again = QPushButton("Find again")
        again.clicked.connect(self.look_for)
        cancel = QPushButton("Cancel")
        cancel.clicked.connect(self.reject)
        self.go = named(QPushButton(), "main")
        self.go.setDefault(True)
        self.go.clicked.connect(self.accept)
        for button in (again, cancel, self.go):
            foot.addWidget(button)
        box.addLayout(foot)
        self.canvas.changed.connect(self._follow)
        self._margin()
        self.look_for()

    def look_for(self) -> None:
        """Look for the drawings with the present settings."""
        s = self.sliders
        search = Search(s["gap"].value, s["smallest"].value, s["ink"].value)
        self.canvas.boxes = parts.find(self._grey, search)
        self.canvas.chosen = -1
        self._follow()
        self.canvas.update()

    def _margin(self, _: float = 0.0) -> None:
        self.canvas.margin = self.sliders["margin"].value
        self.canvas.update()

    def _follow(self) -> None:
        count = len(self.canvas.boxes)
        self.go.setEnabled(count > 0)
        self.go.setText(f"Make {count} plates" if count != 1 else "Make 1 plate")
        self.words.setText("" if count else "Nothing was found on this sheet. Draw a box round each drawing.")

    def wish(self) -> SplitWish:
        """What was agreed on."""
        return SplitWish(tuple(self.canvas.boxes), self.sliders["margin"].value, self.keep.isChecked())
