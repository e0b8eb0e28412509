"""The proof view: the plate pressed into plaster, turned and lit by hand, and a strip of marks."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from engraver.core.proof.surfaces import SURFACES, surface
from engraver.core.proof.view import Lamp
from engraver.core.raster import Wrap

from ..editors.slider import Slider
from ..painting import picture_of
from ..state import EYE_ZOOMS
from ..ui import Ui, named
from .paper_bar import PaperBar

STRIP_HEIGHT = 84
DENSITIES = ((250_000, "¼ M points"), (500_000, "½ M points"), (1_000_000, "1 M points"))


REPEATS = (0, 2, 3, 4, 6, 8)


def _cover_words(repeats: int, wrap: Wrap) -> str:
    if not repeats:
        return "one mark"
    return f"{repeats} in a row" if wrap[0] != wrap[1] else f"{repeats} × {repeats} tiles"


class ProofCanvas(QWidget):
    """Left drag turns, right drag moves the light, wheel zooms, double-click resets."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self._image: QImage | None = None
        self._drag: tuple[Qt.MouseButton, QPointF] | None = None
        self.setMinimumSize(160, 160)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip("Drag to turn · right drag moves the light · wheel zooms · double-click resets")
        ui.pictures.proofed.connect(self._proofed)
        ui.pictures.looked.connect(self._looked)

    def _looked(self, look: object) -> None:
        if look is None:
            self._proofed(None)

    def _proofed(self, array: np.ndarray | None) -> None:
        self._image = None if array is None else picture_of(array)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag = (event.button(), event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        button, last = self._drag
        by = event.position() - last
        self._drag = (button, event.position())
        if button == Qt.MouseButton.RightButton:
            self._light(by)
        else:
            self._turn(by)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None

    def _turn(self, by: QPointF) -> None:
        pictures = self.ui.pictures
        eye = self.ui.looks.bench.eye(self.ui.studio.proof.surface)
        low, high = surface(self.ui.studio.proof.surface).tilts
        tilt = min(high, max(low, eye.tilt - by.y() * 0.4))
        pictures.turn(replace(eye, tilt=tilt, turn=eye.turn + by.x() * 0.4))

    def _light(self, by: QPointF) -> None:
        lamp = self.ui.studio.proof.lamp
        height = min(85.0, max(8.0, lamp.height - by.y() * 0.4))
        self.ui.studio.set_proof(lamp=Lamp((lamp.azimuth + by.x() * 0.7) % 360, height))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.reset()

    def reset(self) -> None:
        """The first eye and the first light."""
        self.ui.pictures.turn(surface(self.ui.studio.proof.surface).eye)
        self.ui.studio.set_proof(lamp=Lamp())

    def wheelEvent(self, event: QWheelEvent) -> None:
        pictures = self.ui.pictures
        eye = self.ui.looks.bench.eye(self.ui.studio.proof.surface)
        low, high = EYE_ZOOMS
        zoom = min(high, max(low, eye.zoom * 1.15 ** (event.angleDelta().y() / 120)))
        pictures.turn(replace(eye, zoom=zoom))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        ways = {
            Qt.Key.Key_Left: (-12, 0),
            Qt.Key.Key_Right: (12, 0),
            Qt.Key.Key_Up: (0, -12),
            Qt.Key.Key_Down: (0, 12),
        }
        way = ways.get(Qt.Key(event.key()))
        if way is None:
            super().keyPressEvent(event)
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._light(QPointF(*way))
        else:
            self._turn(QPointF(*way))

    def resizeEvent(self, event: QResizeEvent) -> None:
        ratio = self.devicePixelRatioF()
        self.ui.pictures.proof_size = (max(2, round(self.width() * ratio)), max(2, round(self.height() * ratio)))
        self.ui.pictures.draw_proof(moving=True)
        self.ui.pictures.settle()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.ui.colour("surround"))
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self.rect()), self._image)
        else:
            painter.setPen(self.ui.colour("on_bar"))
            painter.setFont(self.ui.font(13))
            ready = self.ui.pictures.kernels_ready
            words = "" if ready else "Getting the proof ready…"
            if ready and self.ui.studio.plate is None:
                words = "The plate is tried here, pressed into plaster."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)
        if self.hasFocus():
            painter.setPen(QPen(self.ui.colour("accent"), 2))
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))


class Strip(QWidget):
    """A short stroke of marks."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self._image: QImage | None = None
        self.setFixedHeight(ui.px(STRIP_HEIGHT))
        self.setToolTip("A short stroke of marks")
        ui.pictures.stripped.connect(self._drawn)
        ui.pictures.looked.connect(self._looked)

    def _looked(self, look: object) -> None:
        if look is None:
            self._drawn(None)

    def _drawn(self, array: np.ndarray | None) -> None:
        self._image = None if array is None else picture_of(array)
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        ratio = self.devicePixelRatioF()
        self.ui.pictures.strip_size = (max(2, round(self.width() * ratio)), max(2, round(self.height() * ratio)))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.ui.colour("surround"))
        if self._image is not None:
            painter.drawImage(QRectF(self.rect()), self._image)
        painter.setPen(self.ui.colour("bar"))
        painter.drawLine(0, 0, self.width(), 0)


class LightDial(QWidget):
    """A small dial: the dot is where the light stands, seen from above."""

    turned = Signal(object)

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self.setFixedSize(ui.px(30), ui.px(30))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Light")
        self.setToolTip("Drag to move the light; in the middle it stands above. Double-click resets.")
        ui.studio.proof_changed.connect(self._redraw)

    def _redraw(self) -> None:
        self.update()

    def _radius(self) -> float:
        return self.width() / 2 - 3

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._to(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._to(event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.ui.studio.set_proof(lamp=Lamp())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        lamp = self.ui.studio.proof.lamp
        turn = {Qt.Key.Key_Left: (-10, 0), Qt.Key.Key_Right: (10, 0), Qt.Key.Key_Up: (0, 5), Qt.Key.Key_Down: (0, -5)}
        by = turn.get(Qt.Key(event.key()))
        if by is None:
            super().keyPressEvent(event)
            return
        height = min(85.0, max(8.0, lamp.height + by[1]))
        self.ui.studio.set_proof(lamp=Lamp((lamp.azimuth + by[0]) % 360, height))

    def _to(self, place: QPointF) -> None:
        away = place - QPointF(self.width() / 2, self.height() / 2)
        share = min(1.0, math.hypot(away.x(), away.y()) / self._radius())
        azimuth = math.degrees(math.atan2(away.x(), -away.y())) % 360
        height = max(8.0, math.degrees(math.acos(share)))
        self.ui.studio.set_proof(lamp=Lamp(azimuth, min(85.0, height)))

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        centre, radius = QPointF(self.width() / 2, self.height() / 2), self._radius()
        painter.setPen(QPen(ui.colour("accent") if self.hasFocus() else ui.colour("on_bar"), 1.4))
        painter.drawEllipse(centre, radius, radius)
        lamp = ui.studio.proof.lamp
        share = math.cos(math.radians(lamp.height)) * radius
        a = math.radians(lamp.azimuth)
        painter.setBrush(ui.colour("on_bar"))
        painter.drawEllipse(centre + QPointF(math.sin(a) * share, -math.cos(a) * share), 3.4, 3.4)


class ProofView(QWidget):
    """Header, canvas, strip and footer."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self._header())
        self.canvas = ProofCanvas(ui)
        box.addWidget(self.canvas, 1)
        self.strip = Strip(ui)
        box.addWidget(self.strip)
        self.plaster_bar, self.paper_bar = self._footer(), PaperBar(ui)
        box.addWidget(self.plaster_bar)
        box.addWidget(self.paper_bar)
        ui.studio.proof_changed.connect(self.follow)
        ui.pictures.looked.connect(self.follow)
        ui.pictures.proofed.connect(self.follow)
        self.follow()

    def _bar(self, height: int) -> tuple[QWidget, QHBoxLayout]:
        bar = named(QWidget(), "picturebar")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(self.ui.px(height))
        row = QHBoxLayout(bar)
        row.setContentsMargins(self.ui.px(8), 0, self.ui.px(6), 0)
        row.setSizeConstraint(QHBoxLayout.SizeConstraint.SetNoConstraint)
        bar.setMinimumWidth(self.ui.px(200))
        row.setSpacing(self.ui.px(4))
        return bar, row

    def _label(self, text: str, *, strong: bool = False) -> QLabel:
        label = QLabel(text)
        label.setStyleSheet("font-weight: 600;" if strong else "")
        return label

    def _pills(self, row: QHBoxLayout, names: tuple[tuple[str, str], ...], tip: str) -> dict[str, QPushButton]:
        group, buttons = QButtonGroup(self), {}
        for value, text in names:
            button = named(QPushButton(text), "pill")
            button.setCheckable(True)
            button.setToolTip(tip)
            group.addButton(button)
            row.addWidget(button)
            buttons[value] = button
        return buttons

    def _header(self) -> QWidget:
        bar, row = self._bar(30)
        self.title = self._label("Proof", strong=True)
        row.addWidget(self.title)
        self.surfaces = self._pills(
            row, tuple((kind.id, kind.name) for kind in SURFACES.values()), "What the plate is tried on"
        )
        for value, button in self.surfaces.items():
            button.clicked.connect(lambda _=False, v=value: self.ui.studio.set_proof(surface=v))
        row.addStretch(1)
        self.cover = named(QPushButton(), "bar")
        self.cover.setToolTip("One mark, or the surface covered with the plate as a tile")
        self.cover.clicked.connect(
            lambda: self.cover_menu().exec(self.cover.mapToGlobal(self.cover.rect().bottomLeft()))
        )
        row.addWidget(self.cover)
        self.density = named(QPushButton(), "bar")
        self.density.setToolTip("How many points the surface has, as a mesh of that density would")
        self.density.clicked.connect(
            lambda: self.density_menu().exec(self.density.mapToGlobal(self.density.rect().bottomLeft()))
        )
        row.addWidget(self.density)
        return bar

    def cover_menu(self) -> QMenu:
        menu = QMenu(self)
        for repeats in REPEATS:
            menu.addAction(
                _cover_words(repeats, self.ui.pictures.wrap), partial(self.ui.studio.set_proof, repeats=repeats)
            )
        return menu

    def density_menu(self) -> QMenu:
        menu = QMenu(self)
        for points, words in DENSITIES:
            menu.addAction(words, partial(self.ui.studio.set_proof, points=points))
        return menu

    def _footer(self) -> QWidget:
        bar, row = self._bar(46)
        self.ways = self._pills(row, (("raise", "Raise"), ("cut", "Cut")), "Whether the plate is pressed out or in")
        for value, button in self.ways.items():
            button.clicked.connect(lambda _=False, v=value: self.ui.studio.set_proof(cut=v == "cut"))
        row.addSpacing(self.ui.px(8))
        label = self.strength_name = self._label("Strength")
        label.setToolTip("Height of white in per cent of the mark's width. Double-click: automatic.")
        label.mouseDoubleClickEvent = lambda event: self.ui.studio.set_proof(strength=None)  # type: ignore[method-assign]
        row.addWidget(label)
        self.strength = Slider(self.ui, 0.0, 0.12, 0.001, on_bar=True)
        self.strength.setAccessibleName("Strength")
        self.strength.moved.connect(lambda value: self.ui.studio.set_proof(strength=value))
        row.addWidget(self.strength, 1)
        self.amount = named(QPushButton(), "bar")
        self.amount.setToolTip("Press to go back to the automatic strength")
        self.amount.setMinimumWidth(self.ui.px(58))
        self.amount.clicked.connect(lambda: self.ui.studio.set_proof(strength=None))
        row.addWidget(self.amount)
        self.light_name = self._label("Light")
        row.addWidget(self.light_name)
        self.dial = LightDial(self.ui)
        row.addWidget(self.dial)
        return bar

    def resizeEvent(self, event: QResizeEvent) -> None:
        # Where room is short names go first, then the title: what can be pressed stays whole.
        self.light_name.setVisible(self.width() >= self.ui.px(415))
        self.strength_name.setVisible(self.width() >= self.ui.px(350))
        self.title.setVisible(self.width() >= self.ui.px(300))
        self.follow()

    def follow(self, _: object = None) -> None:
        """Show the settings in force."""
        settings, strength = self.ui.studio.proof, self.ui.pictures.strength
        self.surfaces[settings.surface].setChecked(True)
        self.ways["cut" if settings.cut else "raise"].setChecked(True)
        word = "surface " if self.width() >= self.ui.px(480) else ""
        paper = surface(settings.surface).foot == "paper"
        self.plaster_bar.setVisible(not paper)
        self.paper_bar.setVisible(paper)
        self.strip.setVisible(not paper)
        self.cover.setVisible(not paper)
        self.density.setVisible(not paper)
        self.paper_bar.follow()
        self.cover.setText(f"{_cover_words(settings.repeats, self.ui.pictures.wrap)} ▾")
        self.density.setText(f"{word}{dict(DENSITIES).get(settings.points, '')} ▾")
        self.strength.show_value(strength)
        wide = self.width() >= self.ui.px(300)
        auto = "auto " if settings.strength is None and wide else ""
        self.amount.setText(f"{auto}{strength * 100:.1f} %")
