"""The ready mixes compared on this very picture, and the two colours of *fade out*."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget
from shiboken6 import isValid

from engraver.core.engine import Request
from engraver.core.engine.line import Line, assemble
from engraver.core.errors import EngraverError, Watch
from engraver.core.params import specs
from engraver.core.recipe import Step
from engraver.core.steps.grey import Grey

from ..painting import picture_of
from ..screen import to_screen
from ..ui import Ui, named
from .seen import Seen

THUMB = 44
COLUMNS = 5
SHORT = {"luma-709": "Luma 709", "luma-601": "Luma 601", "fade": "Fade out", "hues": "Six hues"}


class MixStrip(QWidget):
    """A small picture a mix; press one to take it."""

    chosen = Signal(str)

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self.mixes = [value for value, _ in specs(Grey)["mix"].choices if value != "weights"]
        self.names = dict(specs(Grey)["mix"].choices)
        self.pictures: dict[str, QPixmap] = {}
        self.now = ""
        rows = -(-len(self.mixes) // COLUMNS)
        self.setFixedHeight(rows * ui.px(THUMB + 18))
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Ready mixes")

    def rect_of(self, n: int) -> QRectF:
        """Where the n-th picture is drawn, its name below it."""
        wide = self.width() / COLUMNS
        return QRectF(n % COLUMNS * wide + 1, n // COLUMNS * self.ui.px(THUMB + 18), wide - 3, self.ui.px(THUMB + 16))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for n, mix in enumerate(self.mixes):
            if self.rect_of(n).contains(event.position()):
                self.chosen.emit(mix)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        under = [m for n, m in enumerate(self.mixes) if self.rect_of(n).contains(event.position())]
        self.setToolTip(self.names[under[0]] if under else "")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: COLUMNS, Qt.Key.Key_Up: -COLUMNS}.get(
            Qt.Key(event.key())
        )
        if by is None:
            super().keyPressEvent(event)
            return
        place = self.mixes.index(self.now) if self.now in self.mixes else 0
        self.chosen.emit(self.mixes[min(len(self.mixes) - 1, max(0, place + by))])

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setFont(ui.font(9))
        for n, mix in enumerate(self.mixes):
            box = self.rect_of(n)
            mine = mix == self.now
            frame = QRectF(box.left(), box.top(), box.width(), ui.px(THUMB))
            painter.fillRect(frame, ui.colour("well"))
            picture = self.pictures.get(mix)
            if picture is not None:
                side = min(picture.width(), picture.height())
                part = QRectF((picture.width() - side) / 2, (picture.height() - side) / 2, side, side)
                painter.drawPixmap(frame, picture, part)
            thick = 2 if mine else 1
            painter.setPen(QPen(ui.colour("accent" if mine or (self.hasFocus() and mine) else "line"), thick))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(frame)
            painter.setPen(ui.colour("accent" if mine else "ink_2"))
            name = SHORT.get(mix, self.names[mix].removesuffix(" only"))
            room = QRectF(box.left(), frame.bottom() + 1, box.width(), ui.px(14))
            short = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(room.width()))
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, short)


class Swatch(QPushButton):
    """A colour; press it, then the plate, to pick another."""

    def __init__(self, ui: Ui, label: str, help: str) -> None:
        super().__init__(label)
        self._ui = ui
        self.colour = QColor(128, 128, 128)
        self.setCheckable(True)
        self.setToolTip(f"{help}\nPress, then press the plate where that colour is.")
        self.setFixedHeight(ui.px(34))
        self.setStyleSheet(f"padding-left: {ui.px(28)}px; text-align: left;")

    def show_colour(self, colour: tuple[float, float, float]) -> None:
        self.colour = QColor.fromRgbF(*(min(1.0, max(0.0, v)) for v in colour))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        side = self._ui.px(18)
        painter.setPen(QPen(self._ui.colour("accent" if self.isChecked() else "ink_2"), 2 if self.isChecked() else 1))
        painter.setBrush(self.colour)
        painter.drawRoundedRect(QRectF(self._ui.px(7), (self.height() - side) / 2, side, side), 3, 3)


class GreyBox(QWidget):
    """The strip of mixes; below it the two colours when one fades out."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self._asked: tuple[str, str] | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(12), 0, 0, 0)
        box.setSpacing(ui.px(8))
        self.strip = MixStrip(ui)
        self.strip.chosen.connect(self._chosen)
        box.addWidget(self.strip)
        fields = specs(Grey)
        self.swatches = {name: Swatch(ui, fields[name].label, fields[name].help) for name in ("line", "paper")}
        self.row = QWidget()
        row = QHBoxLayout(self.row)
        row.setContentsMargins(0, 0, 0, 0)
        for name, swatch in self.swatches.items():
            swatch.clicked.connect(lambda on=False, n=name: self._arm(n, bool(on)))
            row.addWidget(swatch, 1)
        box.addWidget(self.row)
        self.words = named(QLabel("Press a colour, then the plate where it is."), "second")
        self.words.setWordWrap(True)
        box.addWidget(self.words)
        ui.hand.picked.connect(self._picked)
        ui.hand.changed.connect(self._follow_hand)

    def _chosen(self, mix: str) -> None:
        self.edited.emit({"mix": mix})
        self.finished.emit()

    def _arm(self, name: str, on: bool) -> None:
        self.ui.hand.set(picking=name if on else "")

    def _follow_hand(self) -> None:
        for name, swatch in self.swatches.items():
            swatch.setChecked(self.ui.hand.brush.picking == name)

    def _picked(self, name: str, colour: tuple[float, float, float]) -> None:
        if name in self.swatches:
            self.edited.emit({name: colour})
            self.finished.emit()

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model; the little pictures are drawn again when what enters changes."""
        values = step.params
        if not isinstance(values, Grey):
            return
        self.strip.now = values.mix
        self.strip.update()
        for name, swatch in self.swatches.items():
            swatch.show_colour(getattr(values, name))
        self.row.setVisible(values.mix == "fade")
        self.words.setVisible(values.mix == "fade")
        self._ask(step, values)

    def _ask(self, step: Step, values: Grey) -> None:
        studio = self.ui.studio
        line = studio.attempt(studio.line)
        if line is None:
            return
        key = (
            line.keys[line.place_before(step.uid)],
            values.model_copy(update={"mix": "luma-709"}).model_dump_json(),
        )
        if key == self._asked:
            return
        self._asked = key
        engine, steps = studio.engine, studio.steps
        place = next((n for n, s in enumerate(steps) if s.uid == step.uid), None)
        if place is None:
            return

        def work(check: Watch) -> dict[str, np.ndarray]:
            found = {}
            for mix in self.strip.mixes:
                tried = step.with_params(mix=mix)
                other: Line = assemble(
                    line.source, line.reading, (*steps[:place], tried, *steps[place + 1 :]), line.seed,
                    engine.sources, line.others,
                )  # fmt: skip
                try:
                    found[mix] = to_screen(engine.evaluate(other, Request(upto=step.uid, side=96), check).raster)
                except EngraverError:
                    continue
            return found

        def drawn(found: dict[str, np.ndarray]) -> None:
            if not isValid(self):  # another step was chosen meanwhile
                return
            self.strip.pictures = {mix: QPixmap.fromImage(picture_of(array)) for mix, array in found.items()}
            self.strip.update()

        self.ui.pictures.ask("", work, drawn, lambda error: None)
