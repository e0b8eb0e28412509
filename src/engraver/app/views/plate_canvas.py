"""The plate itself: zoom, pan, overlays, the section line, and handles on the picture."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from engraver.core.raster import ZERO_LEVEL
from engraver.core.steps.frame import Crop

from ..editors.crop_handles import CropHandles
from ..pictures import Look
from ..ui import Ui, named
from .painting import picture_of

GRAB = 12.0
INSET = 8


@dataclass(frozen=True, slots=True)
class Overlays:
    """What is drawn over the plate."""

    clipping: bool = False
    below: bool = False
    border: bool = False
    guides: bool = False
    section: bool = True


class PlateCanvas(QWidget):
    """Draws the picture of a :class:`Look`. Places are in shares of the picture, 0..1."""

    section_moved = Signal()
    pointed = Signal(object)
    zoomed = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self.look: Look | None = None
        self.overlays = Overlays()
        self.section = (QPointF(0.0, 0.47), QPointF(1.0, 0.47))
        self.zoom: float | None = None
        self._pan = QPointF(0, 0)
        self._image: QImage | None = None
        self._over: QImage | None = None
        self._drag: tuple[str, QPointF] | None = None
        self.crop = CropHandles(ui)
        self.setMouseTracking(True)
        self.setAcceptDrops(False)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMinimumSize(160, 160)
        self._show_empty()

    # -- what is shown -------------------------------------------------------------

    def show_look(self, look: Look | None) -> None:
        self.look = look
        self._image = picture_of(look.screen) if look is not None else None
        self._make_overlay()
        self._show_empty()
        self.update()

    def _empty_state(self) -> None:
        """What to do when nothing is open: a sentence and the first two actions."""
        ui, box = self.ui, QVBoxLayout(self)
        box.setSpacing(ui.px(10))
        box.addStretch(1)
        words = QLabel("Drop a photo here. It becomes a plate\nwith a line of steps and a proof in plaster.")
        words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        words.setStyleSheet(f"color: {ui.theme.on_bar}; font-size: {ui.px(14)}px;")
        box.addWidget(words)
        for text, name, id in (("Open a photo…", "main", "open"), ("Try it on Saltmarrow Quay", "", "demo")):
            button = named(QPushButton(text), name)
            button.setFixedWidth(ui.px(210))
            button.clicked.connect(partial(self._do, id))
            box.addWidget(button, 0, Qt.AlignmentFlag.AlignHCenter)
        box.addStretch(1)

    def _do(self, id: str) -> None:
        self.ui.commands[id].run()

    def _show_empty(self) -> None:
        empty = self.ui.studio.plate is None
        layout = self.layout()
        if empty and layout is None:
            self._empty_state()
        for child in self.findChildren(QWidget):
            child.setVisible(empty)

    def set_overlays(self, overlays: Overlays) -> None:
        self.overlays = overlays
        self._make_overlay()
        self.update()

    def _make_overlay(self) -> None:
        self._over = None
        look = self.look
        if look is None or look.result.raster.channels != 1 or not (self.overlays.clipping or self.overlays.below):
            return
        raster = look.result.raster
        values = raster.flat()
        rows, columns = values.shape
        rgba = np.zeros((rows, columns, 4), np.uint8)
        stripes = (np.add.outer(np.arange(rows), np.arange(columns)) // 3) % 2 == 0
        if self.overlays.clipping:
            rgba[(values > 1.0) & stripes] = self._rgba("fault")
            rgba[(values < 0.0) & stripes] = (60, 110, 190, 235)
        if self.overlays.below:
            level = ZERO_LEVEL[raster.zero]
            rgba[(values < level - 1e-4) & ~stripes] = self._rgba("zone")
        self._over = QImage(rgba.data, columns, rows, 4 * columns, QImage.Format.Format_RGBA8888).copy()

    def _rgba(self, token: str) -> tuple[int, int, int, int]:
        colour: QColor = self.ui.colour(token)
        return colour.red(), colour.green(), colour.blue(), 235

    # -- geometry ------------------------------------------------------------------

    def _full_size(self) -> tuple[float, float]:
        if self.look is None:
            return 1.0, 1.0
        return float(self.look.result.facts.width), float(self.look.result.facts.height)

    def fit_zoom(self) -> float:
        width, height = self._full_size()
        return max(1e-4, min((self.width() - 2 * INSET) / width, (self.height() - 2 * INSET) / height))

    @property
    def scale(self) -> float:
        """Screen pixels per full-size pixel."""
        return self.fit_zoom() if self.zoom is None else self.zoom

    def target(self) -> QRectF:
        """Where the picture is drawn."""
        width, height = self._full_size()
        rect = QRectF(0, 0, width * self.scale, height * self.scale)
        rect.moveCenter(QRectF(self.rect()).center() + (self._pan if self.zoom is not None else QPointF(0, 0)))
        return rect

    def to_screen(self, share: QPointF) -> QPointF:
        rect = self.target()
        return QPointF(rect.left() + share.x() * rect.width(), rect.top() + share.y() * rect.height())

    def to_share(self, place: QPointF) -> QPointF:
        rect = self.target()
        return QPointF((place.x() - rect.left()) / rect.width(), (place.y() - rect.top()) / rect.height())

    def set_zoom(self, zoom: float | None, at: QPointF | None = None) -> None:
        """Zoom to a scale about a place on screen; None fits."""
        if zoom is None:
            self.zoom, self._pan = None, QPointF(0, 0)
        else:
            at = at or QRectF(self.rect()).center()
            share = self.to_share(at)
            self.zoom = min(32.0, max(0.02, zoom))
            moved = self.to_screen(share)
            self._pan += at - moved
        self.zoomed.emit()
        self.update()

    # -- hands ---------------------------------------------------------------------

    def _crop_facts(self) -> tuple[float, float] | None:
        step = self.ui.studio.step
        look = self.look
        if step is None or look is None or not look.before or not isinstance(step.params, Crop):
            return None
        return self._full_size()

    def _section_grip(self, place: QPointF) -> str:
        if not self.overlays.section or self._crop_facts() is not None:
            return ""
        a, b = (self.to_screen(p) for p in self.section)
        for name, end in (("a", a), ("b", b)):
            if (end - place).manhattanLength() <= GRAB:
                return name
        along = b - a
        length2 = along.x() ** 2 + along.y() ** 2
        if length2 < 1:
            return ""
        t = ((place.x() - a.x()) * along.x() + (place.y() - a.y()) * along.y()) / length2
        away = place - (a + along * min(1.0, max(0.0, t)))
        return "line" if 0 <= t <= 1 and (away.x() ** 2 + away.y() ** 2) ** 0.5 <= 5 else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._drag = ("pan", place)
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        facts = self._crop_facts()
        step = self.ui.studio.step
        if facts is not None and step is not None:
            grip = self.crop.grip_at(step, self.to_share(place), facts, self.scale)
            if grip:
                self._drag = (f"crop {grip}", place)
                self.crop.start(step, grip, self.to_share(place), facts)
                return
        grip = self._section_grip(place)
        self._drag = (f"section {grip}", place) if grip else ("pan", place)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = event.position()
        self.pointed.emit(self.to_share(place))
        if self._drag is None:
            self._point_cursor(place)
            return
        what, last = self._drag
        if what == "pan":
            if self.zoom is None:
                self.zoom = self.fit_zoom()
            self._pan += place - last
            self._drag = (what, place)
            self.zoomed.emit()
        elif what.startswith("crop"):
            changes = self.crop.moved(self.to_share(place))
            step = self.ui.studio.step
            if step is not None and changes:
                studio = self.ui.studio
                studio.attempt(lambda: studio.set_params(step.uid, "Crop", f"{step.uid}.crop", **changes))
        else:
            self._move_section(what.split()[1], place, last)
            self._drag = (what, place)
        self.update()

    def _move_section(self, grip: str, place: QPointF, last: QPointF) -> None:
        share = self.to_share(place)
        clamped = QPointF(min(1.0, max(0.0, share.x())), min(1.0, max(0.0, share.y())))
        a, b = self.section
        if grip == "a":
            a = clamped
        elif grip == "b":
            b = clamped
        else:
            by = self.to_share(place) - self.to_share(last)
            moved = [a + by, b + by]
            if all(-1e-6 <= p.x() <= 1 + 1e-6 and -1e-6 <= p.y() <= 1 + 1e-6 for p in moved):
                a, b = moved
        self.section = (a, b)
        self.section_moved.emit()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None and self._drag[0].startswith("crop"):
            self.ui.studio.seal()
        self._drag = None
        self._point_cursor(event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.set_zoom(None)

    def leaveEvent(self, event: QEvent) -> None:
        self.pointed.emit(None)

    def wheelEvent(self, event: QWheelEvent) -> None:
        factor = 1.2 ** (event.angleDelta().y() / 120)
        self.set_zoom(self.scale * factor, event.position())

    def _point_cursor(self, place: QPointF) -> None:
        facts, step = self._crop_facts(), self.ui.studio.step
        if facts is not None and step is not None:
            self.setCursor(self.crop.cursor(self.crop.grip_at(step, self.to_share(place), facts, self.scale)))
        elif self._section_grip(place):
            self.setCursor(Qt.CursorShape.SizeAllCursor)
        else:
            self.setCursor(
                Qt.CursorShape.CrossCursor if self.target().contains(place) else Qt.CursorShape.ArrowCursor
            )

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.zoomed.emit()

    # -- paint ---------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.ui.colour("surround"))
        if self._image is None or self.look is None:
            return
        target = self.target()
        # Enlarged beyond 200 % pixels stay square, so that single values can be judged.
        smooth = self.scale <= 2.0
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        painter.drawImage(target, self._image)
        if self._over is not None:
            painter.drawImage(target, self._over)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.overlays.border:
            self._paint_border(painter, target)
        if self.overlays.guides:
            self._paint_guides(painter, target)
        step, facts = self.ui.studio.step, self._crop_facts()
        if facts is not None and step is not None:
            self.crop.paint(painter, step, facts, target)
        elif self.overlays.section:
            self._paint_section(painter)
        if self.look.before and step is not None and not self.ui.studio.finished:
            self._paint_tag(painter, f"before {step.title.lower()}")

    def _paint_border(self, painter: QPainter, target: QRectF) -> None:
        assert self.look is not None
        raster = self.look.result.raster
        if raster.channels != 1:
            return
        values = np.abs(raster.flat() - np.float32(ZERO_LEVEL[raster.zero]))
        ring = max(float(part.max()) for part in (values[0], values[-1], values[:, 0], values[:, -1]))
        clean = ring <= 0.5 / 65535
        colour = self.ui.colour("good" if clean else "fault")
        style = Qt.PenStyle.SolidLine if clean else Qt.PenStyle.DashLine
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 3, style))
        painter.drawRect(target.adjusted(1.5, 1.5, -1.5, -1.5))
        words = "border is zero" if clean else f"border is up to {ring:.1%} off zero"
        painter.setFont(self.ui.font(11, 600))
        box = QRectF(target.left() + 3, target.top() + 3, painter.fontMetrics().horizontalAdvance(words) + 14, 20)
        painter.fillRect(box, colour)
        painter.setPen(self.ui.colour("card" if self.ui.theme.id == "day" else "well"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_tag(self, painter: QPainter, words: str) -> None:
        painter.setFont(self.ui.font(11))
        width = painter.fontMetrics().horizontalAdvance(words) + 16
        box = QRectF(self.width() - width - 8, 6, width, 20)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.ui.colour("bar"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(self.ui.colour("on_bar"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_guides(self, painter: QPainter, target: QRectF) -> None:
        painter.setPen(QPen(QColor(255, 255, 255, 150), 1, Qt.PenStyle.DashLine))
        centre = target.center()
        painter.drawLine(QPointF(centre.x(), target.top()), QPointF(centre.x(), target.bottom()))
        painter.drawLine(QPointF(target.left(), centre.y()), QPointF(target.right(), centre.y()))
        side = min(target.width(), target.height())
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, side / 2, side / 2)

    def _paint_section(self, painter: QPainter) -> None:
        a, b = (self.to_screen(p) for p in self.section)
        painter.setPen(QPen(QColor(20, 20, 20, 170), 3.2))
        painter.drawLine(a, b)
        painter.setPen(QPen(QColor(255, 255, 255), 1.6))
        painter.drawLine(a, b)
        painter.setPen(QPen(QColor(30, 30, 30), 1.4))
        painter.setBrush(QColor(255, 255, 255))
        for end in (a, b):
            painter.drawEllipse(end, 4.6, 4.6)
