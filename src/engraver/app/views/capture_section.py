"""The section of a mesh under its view: heights along the frame's middle, with two handles for the depth range."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from engraver.core.mesh.capture import AutoFrame

from ..captures import Captures
from ..painting import polyline
from ..ui import Ui
from .capture_canvas import CaptureCanvas

HEIGHT = 96
GRAB = 7.0
_ROOM = 0.12


class CaptureSection(QWidget):
    """Drag the upper and lower line: what lies beyond is cut flat. Up and down keys move the one last held."""

    def __init__(self, ui: Ui, captures: Captures, canvas: CaptureCanvas) -> None:
        super().__init__()
        self.ui, self.captures, self.canvas = ui, captures, canvas
        self._held = "hi"
        self._dragging: tuple[float, float] | None = None
        self._span = (0.0, 1.0)
        self.setFixedHeight(ui.px(HEIGHT))
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Section and depth range")
        self.setToolTip("Heights along the middle of the frame. Drag the two lines: what lies beyond is cut flat.")
        canvas.viewed.connect(self.update)
        ui.pictures.looked.connect(self.update)
        ui.studio.project_changed.connect(self.update)

    # -- scale ---------------------------------------------------------------------

    def _area(self) -> QRectF:
        return QRectF(0, self.ui.px(22), self.width(), self.height() - self.ui.px(28))

    def _heights(self) -> np.ndarray | None:
        """Heights along the middle row of the frame, over the whole width of the view; NaN where nothing is."""
        drawn, box = self.canvas.drawn, self.canvas.box()
        if drawn is None or box.isEmpty():
            return None
        rows = drawn.seen.heights.shape[0]
        row = min(rows - 1, max(0, int(box.center().y() / max(1, self.canvas.height()) * rows)))
        line: np.ndarray = drawn.seen.heights[row]
        return line

    def _measure(self, found: AutoFrame) -> None:
        """The span of the vertical scale: all that is seen, and the range; it stays while a line is dragged."""
        if self._dragging is not None or self.canvas.drawn is None:
            return
        seen = self.canvas.drawn.seen.heights
        values = [found.lo, found.hi, found.zero]
        if np.isfinite(seen).any():
            values += [float(np.nanmin(seen)), float(np.nanmax(seen))]
        lo, hi = min(values), max(values)
        room = max(hi - lo, 1e-9) * _ROOM
        self._span = lo - room, hi + room

    def y_of(self, height: float) -> float:
        """Where a height lies on the widget."""
        area, (lo, hi) = self._area(), self._span
        return area.bottom() - (height - lo) / (hi - lo) * area.height()

    def _height_at(self, y: float) -> float:
        area, (lo, hi) = self._area(), self._span
        return lo + (area.bottom() - y) / area.height() * (hi - lo)

    # -- gestures ------------------------------------------------------------------

    def _line_at(self, y: float) -> str:
        found = self.captures.found()
        if found is None:
            return ""
        away = {"hi": abs(self.y_of(found.hi) - y), "lo": abs(self.y_of(found.lo) - y)}
        name = min(away, key=lambda n: away[n])
        return name if away[name] <= GRAB else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        found, name = self.captures.found(), self._line_at(event.position().y())
        if found is not None and name:
            self._held, self._dragging = name, (found.lo, found.hi)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging is None:
            near = bool(self._line_at(event.position().y()))
            self.setCursor(Qt.CursorShape.SizeVerCursor if near else Qt.CursorShape.ArrowCursor)
            return
        lo, hi = self._dragging
        self._set(lo, hi, self._height_at(event.position().y()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging is not None:
            self._dragging = None
            self.ui.studio.seal()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        found = self.captures.found()
        ways = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}
        way = ways.get(Qt.Key(event.key()))
        if way is None or found is None:
            super().keyPressEvent(event)
            return
        now = found.hi if self._held == "hi" else found.lo
        self._set(found.lo, found.hi, now + way * 0.01 * (self._span[1] - self._span[0]))

    def _set(self, lo: float, hi: float, height: float) -> None:
        least = 1e-4 * (self._span[1] - self._span[0])
        if self._held == "hi":
            hi = max(height, lo + least)
        else:
            lo = min(height, hi - least)
        self.captures.change("Depth range", depth="set", lo=float(f"{lo:.6g}"), hi=float(f"{hi:.6g}"))

    # -- paint ---------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), ui.colour("bar"))
        chosen, found, line = self.captures.chosen(), self.captures.found(), self._heights()
        if chosen is None or found is None or line is None:
            return
        self._measure(found)
        painter.setFont(ui.font(11))
        painter.setPen(ui.colour("on_bar"))
        words = "It is flat: no relief over a millionth of its size"
        if not found.flat:
            words = f"white is {chosen[1].facts().but(units=found.units).height_words()} above zero"
        top = QRectF(ui.px(8), ui.px(3), self.width() - ui.px(16), ui.px(16))
        painter.drawText(top, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
        painter.save()
        painter.setClipRect(self._area().adjusted(0, -2, 0, 2))
        self._paint_profile(painter, line, found)
        painter.restore()
        for name, height in (("hi", found.hi), ("lo", found.lo)):
            held = name == self._held and self.hasFocus()
            words = f"{height - found.zero:+.3g}"
            self._paint_line(painter, self.y_of(height), words, held=held, above=name == "hi")
        painter.setPen(QPen(ui.colour("on_bar_2"), 1, Qt.PenStyle.DashLine))
        zero = self.y_of(found.zero)
        painter.drawLine(QPointF(0, zero), QPointF(self.width(), zero))

    def _paint_profile(self, painter: QPainter, line: np.ndarray, found: AutoFrame) -> None:
        ui, count = self.ui, len(line)
        step = max(1, count // 600)
        at = np.arange(0, count, step)
        values = line[at].astype(float)
        x = (at + 0.5) / count * self.width()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        gaps = np.flatnonzero(np.diff(np.isnan(values).astype(np.int8))) + 1
        runs = [run for run in np.split(np.arange(len(values)), gaps) if len(run) and not np.isnan(values[run[0]])]
        dotted = QPen(QColor(ui.colour("on_bar_2")), 1, Qt.PenStyle.DotLine)
        shown = np.clip(values, found.lo, found.hi)
        area, (lo, hi) = self._area(), self._span
        bottom, scale = area.bottom(), area.height() / (hi - lo)
        for pen, heights in ((dotted, values), (QPen(ui.colour("on_bar"), 1.4), shown)):
            painter.setPen(pen)
            for run in runs:
                painter.drawPolyline(polyline(x[run], bottom - (heights[run] - lo) * scale))

    def _paint_line(self, painter: QPainter, y: float, words: str, *, held: bool, above: bool) -> None:
        ui = self.ui
        painter.setPen(QPen(ui.colour("accent_soft") if not held else ui.colour("on_bar"), 1.2))
        painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
        painter.setFont(ui.font(10))
        width = painter.fontMetrics().horizontalAdvance(words) + 10
        tall = ui.px(14)
        box = QRectF(self.width() - width - 4, y - tall / 2, width, tall)
        box.moveTop(min(self.height() - tall - 1, max(ui.px(18), box.top() + (-tall / 2 if above else tall / 2))))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ui.colour("accent"))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(ui.colour("on_accent"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
