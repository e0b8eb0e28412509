"""The plate view: header with the polarity in words, the canvas, and the section below."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from engraver.core.engine import Line, Result
from engraver.core.numeric.tone import luma
from engraver.core.proof.strength import FIRST_STRENGTH
from engraver.core.raster import ZERO_LEVEL, Raster
from engraver.core.readiness.destinations import polarity_words
from engraver.core.words import per_cent

from ..looking import PlateViewPicture
from ..painting import polyline
from ..theme.icons import icon
from ..ui import Ui, choice, first_that_fits, named, widgets_of
from .plate_canvas import PlateCanvas

SECTION_HEIGHT = 106
_SAMPLES = 400
_OVERLAYS = (
    ("clipping", "Clipping", "What export cuts off at white or black"),
    ("below", "Below zero", "Where the plate cuts into the surface"),
    ("border", "Border ring", "Whether the outermost ring is at zero"),
    ("repeat", "Repeat", "The plate drawn again all round it, or along its strip"),
    ("guides", "Centre guides", "Middle lines and the largest circle"),
    ("section", "Section line", "The line whose heights are drawn below"),
    ("strokes", "Strokes", "Where the chosen step was painted; they fade when the hand rests"),
)


def sample_line(raster: Raster, start: QPointF, end: QPointF, count: int = _SAMPLES) -> np.ndarray:
    """Flat grey values of a raster along a line given in shares, joined linearly; only they are read."""
    rows, columns = raster.height, raster.width
    t = np.linspace(0, 1, count)
    x = np.clip((start.x() + (end.x() - start.x()) * t) * columns - 0.5, 0, columns - 1)
    y = np.clip((start.y() + (end.y() - start.y()) * t) * rows - 0.5, 0, rows - 1)
    c, r = np.minimum(x.astype(int), columns - 2).clip(0), np.minimum(y.astype(int), rows - 2).clip(0)
    c1, r1 = np.minimum(c + 1, columns - 1), np.minimum(r + 1, rows - 1)
    fx, fy = x - c, y - r
    corners = [raster.flat_points(*at) for at in ((r, c), (r, c1), (r1, c), (r1, c1))]
    a, b, d, e = (v if v.ndim == 1 else luma(v[None])[0] for v in corners)
    upper, lower = a * (1 - fx) + b * fx, d * (1 - fx) + e * fx
    result: np.ndarray = upper * (1 - fy) + lower * fy
    return result


# The section takes at most so much of the view's height.
_SECTION = 0.25


class Section(QWidget):
    """Heights along the section line, drawn to the scale of the proof's strength."""

    def __init__(self, ui: Ui, canvas: PlateCanvas) -> None:
        super().__init__()
        self.ui, self.canvas = ui, canvas
        self.setFixedHeight(ui.px(SECTION_HEIGHT))
        self.readout = ""
        self._pointer: QPointF | None = None
        canvas.section_moved.connect(self._redraw)
        canvas.pointed.connect(self._pointed)
        ui.pictures.looked.connect(self._redraw)
        ui.pictures.proofed.connect(self._redraw)
        ui.studio.proof_changed.connect(self._redraw)

    def _redraw(self, _: object = None) -> None:
        self.update()

    def _heights(self) -> tuple[np.ndarray, float] | None:
        """Values along the line, read where they are needed; and zero."""
        look = self.canvas.look
        if look is None:
            return None
        raster = look.result.raster
        return sample_line(raster, *self.canvas.section), ZERO_LEVEL[raster.zero]

    def _pointed(self, share: QPointF | None) -> None:
        self._pointer = share
        self.read()

    def read(self) -> None:
        """Tell what is seen under the pointer, also where it rests while the picture changes."""
        self.readout = ""
        look, share = self.canvas.look, self._pointer
        if share is not None and look is not None and 0 <= share.x() < 1 and 0 <= share.y() < 1:
            result, x, y = look.result, share.x(), share.y()
            if look.beside is not None and self.canvas.parting.shows_other(x):
                result, (x, y) = look.beside.result, look.beside.under(x, y)
            if 0 <= x < 1 and 0 <= y < 1:
                self.readout = self._reading(result, x, y)
        self.update()

    def _reading(self, result: Result, x: float, y: float) -> str:
        """The full-size pixel at a place in shares, and its tone."""
        raster, facts, plate = result.raster, result.facts, self.ui.studio.plate
        value = float(
            raster.flat_points(np.array([int(y * raster.height)]), np.array([int(x * raster.width)])).mean()
        )
        if plate is not None and plate.raises == "black" and raster.channels == 1:
            value = 1 - value
        level = round(min(1.0, max(0.0, value)) * 65535)
        return f"x {int(x * facts.width)}  y {int(y * facts.height)}  {per_cent(value, 1)}  {level}"

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), ui.colour("bar"))
        found = self._heights()
        if found is None:
            return
        line, zero = found
        strength = ui.pictures.strength
        painter.setFont(ui.font(11))
        painter.setPen(ui.colour("on_bar"))
        top = QRectF(ui.px(8), ui.px(4), self.width() - ui.px(16), ui.px(16))
        words = f"Section · white is {per_cent(strength, 1)} of the width"
        scale = self.ui.captures.height_words()
        words += "".join(f" · {more}" for more in (scale, self.ui.captures.spacing_words()) if more)
        metrics = painter.fontMetrics()
        room = top.width() - (metrics.horizontalAdvance(self.readout) + ui.px(12) if self.readout else 0)
        words = metrics.elidedText(words, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(top, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
        painter.setPen(ui.colour("on_bar_2"))
        painter.drawText(top, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self.readout)
        height = (line - zero) / (1 - zero)
        area = QRectF(0, ui.px(24), self.width(), self.height() - ui.px(30)).adjusted(ui.px(8), 0, -ui.px(8), 0)
        span = 2.0 if zero > 0 else 1.0
        # The full height of the strip stands for the first strength; weaker proofs draw lower.
        tall = area.height() / span * min(1.0, max(0.25, strength / FIRST_STRENGTH))
        base = area.bottom() - (area.height() / 2 if zero > 0 else 0)
        x = area.left() + np.linspace(0, 1, len(height)) * area.width()
        y = base - np.clip(height, -1, 1.05) * tall
        outline = polyline(x, y)
        filled = polyline(np.r_[area.left(), x, area.right()], np.r_[base, y, base])
        fill = QColor(ui.colour("accent"))
        fill.setAlpha(150)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(fill)
        painter.drawPolygon(filled)
        painter.setPen(QPen(ui.colour("on_bar_2"), 1))
        painter.drawLine(QPointF(area.left(), base), QPointF(area.right(), base))
        painter.setPen(QPen(ui.colour("on_bar"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(outline)


class PlateView(QWidget):
    """Header, canvas and section."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self._said = ""
        self._size = (0, 0)  # of the finished plate, at full size
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        bar = named(QWidget(), "picturebar")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(ui.px(30))
        row = QHBoxLayout(bar)
        row.setContentsMargins(ui.px(8), 0, ui.px(4), 0)
        row.setSpacing(ui.px(3))
        # Longer words must not push the views apart.
        row.setSizeConstraint(QHBoxLayout.SizeConstraint.SetNoConstraint)
        bar.setMinimumWidth(ui.px(200))
        self.head = row
        self.title = QLabel("Plate")
        self.title.setStyleSheet("font-weight: 600;")
        row.addWidget(self.title)
        self.polarity = named(QPushButton(), "pill")
        self.polarity.setProperty("said", "yes")
        self.polarity.setIcon(icon("turn-over", "#1F2430", ui.px(14)))
        self.polarity.setStyleSheet(f"font-size: {ui.px(11)}px;")
        self.polarity.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
        self.polarity.clicked.connect(ui.studio.flip_polarity)
        row.addWidget(self.polarity)
        row.addStretch(1)
        self.zoom = named(QPushButton("Fit ▾"), "bar")
        self.zoom.setToolTip("Zoom: F fits, 1 shows 100 %, the wheel goes anywhere")
        self.over = named(QPushButton("Overlays ▾"), "bar")
        for button in (self.zoom, self.over):
            row.addWidget(button)
        box.addWidget(bar)
        self.canvas = PlateCanvas(ui)
        box.addWidget(self.canvas, 1)
        self.section = Section(ui, self.canvas)
        box.addWidget(self.section)
        self.zoom.clicked.connect(lambda: self.zoom_menu().exec(self.zoom.mapToGlobal(self.zoom.rect().bottomLeft())))
        self.over.clicked.connect(
            lambda: self.overlay_menu().exec(self.over.mapToGlobal(self.over.rect().bottomLeft()))
        )
        self.canvas.zoomed.connect(self._zoomed)
        ui.pictures.looked.connect(self._looked)
        ui.studio.project_changed.connect(self._words)
        ui.studio.selection_changed.connect(self._words)
        self._words()

    def show_scale(self, scale: float) -> None:
        """Screen pixels per pixel of the plate."""
        self.canvas.set_zoom(scale / self.devicePixelRatioF())

    def zoom_menu(self) -> QMenu:
        """Fit, and a few plain scales."""
        menu = QMenu(self)
        now = self.ui.looks.bench.zoom
        choice(menu, "Fit", partial(self.canvas.set_zoom, None), now=now is None)
        for scale in (0.5, 1.0, 2.0, 4.0):
            shown = now is not None and math.isclose(now * self.devicePixelRatioF(), scale)
            choice(menu, f"{scale * 100:.0f} %", partial(self.show_scale, scale), now=shown)
        return menu

    def overlay_menu(self) -> QMenu:
        """One tick per overlay."""
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for name, words, help_ in _OVERLAYS:
            action = choice(menu, words, partial(self.toggle_overlay, name), now=getattr(self.canvas.overlays, name))
            action.setToolTip(help_)
        line = self.ui.studio.attempt(self.ui.studio.line)
        if line is not None:
            menu.addSeparator()
            menu.addMenu(self._compare_menu(menu, line))
        return menu

    def _compare_menu(self, menu: QMenu, line: Line) -> QMenu:
        """What is seen left of a line across the plate."""
        parting = self.ui.pictures.parting
        found = QMenu("Compare with", menu)
        for with_, words in ((None, "Nothing"), *parting.choices(line)):
            choice(found, words, partial(parting.compare, with_), now=parting.with_ == with_)
        return found

    def toggle_overlay(self, name: str) -> None:
        now = self.canvas.overlays
        self.canvas.set_overlays(replace(now, **{name: not getattr(now, name)}))

    def _looked(self, look: PlateViewPicture | None) -> None:
        self.canvas.show_look(look)
        self.section.read()
        self._words()
        if look is not None and (size := (look.finished.facts.width, look.finished.facts.height)) != self._size:
            self._size = size
            self._ask_size()

    def _words(self) -> None:
        studio = self.ui.studio
        plate, look = studio.plate, self.canvas.look
        self.polarity.setVisible(plate is not None)
        self.section.setVisible(plate is not None)
        if plate is not None:
            zero = look.finished.facts.zero if look is not None else "black"
            self._said = polarity_words(zero, plate.raises)
        for button in (self.zoom, self.over):
            button.setVisible(plate is not None)
        self._zoom_words()
        self._fit_header()

    def _fit_header(self) -> None:
        """The polarity comes first: where room is short the title goes, then what is zero, then that it raises, which
        the tip tells."""
        px = self.ui.px
        mine = (self.title, self.polarity)
        beside = [w for w in widgets_of(self.head) if w not in mine and not w.isHidden()]
        others = sum(w.sizeHint().width() for w in beside) + px(20)
        metrics = self.polarity.fontMetrics()
        wanted = metrics.horizontalAdvance(self._said) + px(42)
        self.title.setVisible(self.width() >= wanted + others + px(38))
        room = min(wanted, self.width() - others) - px(38)  # a little more than the words, for their last curve
        raises = self._said.partition(" · ")[0]
        ways = (self._said, self._said.rpartition(" · ")[0], raises, raises.partition(" ")[0])
        self.polarity.setText(first_that_fits(metrics, ways, room))
        self.polarity.setAccessibleName(self._said)
        self.polarity.setToolTip(
            f"What white and black mean: {self._said}. Press to turn it round: the relief stays. (P)"
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit_header()
        # Where room is short, as with large text, the plate comes before its section.
        self.section.setFixedHeight(min(self.ui.px(SECTION_HEIGHT), round(_SECTION * self.height())))

    def _zoom_words(self) -> None:
        shown = self.canvas.scale * self.devicePixelRatioF()
        self.zoom.setText("Fit ▾" if self.canvas.look is None else f"{shown * 100:.0f} % ▾")

    def _zoomed(self) -> None:
        self._zoom_words()
        self._ask_size()

    def _ask_size(self) -> None:
        """Ask for pictures of the size in which they are shown."""
        canvas, pictures = self.canvas, self.ui.pictures
        ratio = self.devicePixelRatioF()
        side = min(1600, max(256, canvas.fit_side()))
        look = canvas.look
        longer = max(look.result.facts.width, look.result.facts.height) if look is not None else 0
        # A finer picture is asked for once one preview pixel covers clearly more than one of the screen.
        full = canvas.zoom is not None and longer * canvas.scale * ratio > 1.25 * side and longer > side
        if (side, full) != (pictures.look_side, pictures.want_full):
            pictures.look_side, pictures.want_full = side, full
            pictures.refresh()
