"""The stroke settings in groups, each with a strip that shows what it does."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from engraver.core.errors import Watch
from engraver.core.params import specs
from engraver.core.pressing.gesture import KEEPS, GestureKind
from engraver.core.pressing.relief import Tip
from engraver.core.pressing.settings import GROUPS, Group, StrokeSettings, group_is_off
from engraver.core.proof.settings_strip import only, strip_of
from engraver.core.raster import Facts

from ..editors.curve_box import CurveBox
from ..editors.row import Row
from ..editors.rows import row_for
from ..painting import picture_of
from ..ui import Ui, named, scrolled
from .brush_row import BrushRow

WIDTH = 278
_STRIP = (248, 40)
_USUAL = StrokeSettings()


class Strip(QWidget):
    """A little stroke; pale while its group does nothing. A press opens or closes the group."""

    def __init__(self, ui: Ui, box: GroupBox) -> None:
        super().__init__()
        self.ui, self._box = ui, box
        self.image: QImage | None = None
        self.setFixedHeight(ui.px(_STRIP[1]))
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._box.open(not self._box.opened)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        room = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        path = QPainterPath()
        path.addRoundedRect(room, 5, 5)
        painter.setClipPath(path)
        painter.fillRect(room, self.ui.colour("surround"))
        if self.image is not None:
            painter.setOpacity(0.62 if self._box.off else 1.0)
            painter.drawImage(room, self.image)
            painter.setOpacity(1.0)
        painter.setClipping(False)
        painter.setPen(QPen(self.ui.colour("line"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(room, 5, 5)


class GroupBox(QWidget):
    """One group: its name, whether it does anything, its strip, and its rows when it is open."""

    def __init__(self, ui: Ui, panel: StrokePanel, group: Group, *, opened: bool) -> None:
        super().__init__()
        self.ui, self.group, self.opened, self.off = ui, group, opened, True
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, ui.px(10), 0)
        box.setSpacing(ui.px(6))
        head = QHBoxLayout()
        head.setSpacing(ui.px(4))
        self.title = named(QPushButton(), "tab")
        self.title.setCheckable(False)
        self.title.clicked.connect(lambda: self.open(not self.opened))
        self.reset = named(QPushButton("Reset"), "link")
        self.reset.setToolTip(f"Everything of {group.name.lower()} as it is at first")
        self.reset.clicked.connect(lambda: panel.reset(group))
        head.addWidget(self.title)
        head.addStretch(1)
        head.addWidget(self.reset)
        box.addLayout(head)
        self.strip = Strip(ui, self)
        box.addWidget(self.strip)
        self.inside = QWidget()
        rows = QVBoxLayout(self.inside)
        rows.setContentsMargins(0, 0, 0, ui.px(6))
        rows.setSpacing(ui.px(8))
        self.rows: dict[str, Row] = {}
        self.curves: dict[str, tuple[QLabel, CurveBox]] = {}
        fields = specs(StrokeSettings)
        for name in group.fields:
            spec = fields[name]
            if not spec.kind.row:
                box_of, words = CurveBox(ui), named(QLabel(spec.label), "second")
                box_of.setAccessibleName(spec.label)
                box_of.setToolTip(spec.help)
                box_of.edited.connect(lambda points, n=name: panel.edit(n, points))
                rows.addWidget(words)
                rows.addWidget(box_of)
                self.curves[name] = words, box_of
                continue
            row = self.rows[name] = row_for(ui, spec)
            row.edited.connect(lambda value, n=name: panel.edit(n, value))
            row.finished.connect(ui.studio.seal)
            row.refused.connect(lambda words: ui.studio.told.emit(words, "look"))
            rows.addWidget(row)
        box.addWidget(self.inside)
        self.open(opened)

    def open(self, on: bool) -> None:
        """Show or hide the rows."""
        self.opened = on
        self.inside.setVisible(on)
        self.title.setText(f"{'▾' if on else '▸'} {self.group.name}")

    def follow(self, settings: StrokeSettings, facts: Facts, kind: GestureKind) -> None:
        """Show the settings in force, those that a kind of gesture asks for."""
        values, fields = settings.values(), specs(StrokeSettings)
        for name, row in self.rows.items():
            row.setVisible(fields[name].applies(values) and kind.takes(name, settings.made))
            row.follow(self.ui.studio)
            row.show_value(values[name], facts)
        for name, (words, box) in self.curves.items():
            shown = fields[name].applies(values) and kind.takes(name, settings.made)
            words.setVisible(shown and self.group.curve)
            box.setVisible(shown)
            box.show_points(values[name])
        self.off = group_is_off(self.group, settings)
        self.reset.setVisible(not self.off and kind.plate)
        self.strip.setVisible(kind.plate and not kind.curve)
        self.strip.update()


class StrokePanel(QWidget):
    """Shows the settings of the chosen gesture, or of the next one."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        named(self, "paper")
        self.setFixedWidth(ui.px(WIDTH))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(ui.px(14), ui.px(10), ui.px(4), ui.px(6))
        outer.setSpacing(ui.px(4))
        head = QHBoxLayout()
        head.setContentsMargins(0, 0, ui.px(10), 0)
        self.title = named(QLabel(), "title")
        self.neutral = QPushButton("Neutral")
        self.neutral.setCheckable(True)
        self.neutral.setToolTip("The plate alone, without all that varies it; pressed again, it is back (N)")
        self.neutral.clicked.connect(lambda: ui.trials.neutral())
        head.addWidget(self.title, 1)
        head.addWidget(self.neutral)
        outer.addLayout(head)
        self.help = named(QLabel(), "second")
        self.help.setWordWrap(True)
        self.help.setContentsMargins(0, 0, ui.px(10), 0)
        outer.addWidget(self.help)
        self.words = named(QLabel(), "second")
        self.words.setWordWrap(True)
        self.words.setContentsMargins(0, 0, ui.px(10), 0)
        outer.addWidget(self.words)
        self.notes = named(QLabel(), "look")
        self.notes.setWordWrap(True)
        self.notes.setTextFormat(Qt.TextFormat.PlainText)
        self.notes.setContentsMargins(0, 0, ui.px(10), 0)
        outer.addWidget(self.notes)
        self.brush = BrushRow(ui)
        outer.addWidget(self.brush)
        inside = QWidget()
        self._box = QVBoxLayout(inside)
        self._box.setContentsMargins(0, ui.px(4), 0, ui.px(6))
        self._box.setSpacing(ui.px(10))
        self.keeps = {id: self._keep(id, words) for id, words in KEEPS.items()}
        self.keep_row = QWidget()
        keep = QVBoxLayout(self.keep_row)
        keep.setContentsMargins(0, 0, ui.px(10), 0)
        for button in self.keeps.values():
            keep.addWidget(button)
        self._box.addWidget(self.keep_row)
        self.groups = {g.id: GroupBox(ui, self, g, opened=not n or g.id == "along") for n, g in enumerate(GROUPS)}
        for group in self.groups.values():
            self._box.addWidget(group)
        self._box.addStretch(1)
        area = scrolled(inside)
        outer.addWidget(area, 1)
        self._soon = QTimer(self, singleShot=True, interval=60)
        self._soon.timeout.connect(self._ask)
        self._drawn: tuple[Any, ...] = ()
        ui.trials.changed.connect(self.follow)
        ui.studio.project_changed.connect(self.brush.follow)
        ui.trials.drawing.drawn.connect(self._told)
        ui.pictures.measured.connect(self._again)
        self.follow()

    def _keep(self, id: str, words: str) -> QPushButton:
        button = named(QPushButton(words), "profile")
        button.setCheckable(True)
        button.clicked.connect(lambda: self._set_keeps(id))
        return button

    def _set_keeps(self, id: str) -> None:
        active = self.ui.trials
        if active.gesture is not None:
            active.set_gesture("Change what a smoothing keeps", keeps=id)
        else:
            active.set(keeps=id)
        self.follow()

    def open_only(self, id: str) -> None:
        """Open one group and close the others; "" leaves them as they are."""
        if id in self.groups:
            for group in self.groups.values():
                group.open(group.group.id == id)

    def edit(self, name: str, value: Any) -> None:
        """What was set in a row."""
        self.ui.studio.attempt(lambda: self.ui.trials.set_settings(merge=f"stroke {name}", **{name: value}))

    def reset(self, group: Group) -> None:
        """Everything of a group as it is at first."""
        values = {name: getattr(_USUAL, name) for name in group.fields}
        self.ui.studio.attempt(lambda: self.ui.trials.set_settings(f"{group.name} as at first", **values))

    def follow(self) -> None:
        """Show the settings in force."""
        active = self.ui.trials
        gesture, settings = active.gesture, active.settings
        kind = gesture.declared if gesture is not None else active.kind
        self.title.setText(kind.name if gesture is None else f"{kind.name}, chosen")
        self.help.setText(kind.help if gesture is None else kind.chosen_words)
        self.neutral.setVisible(gesture is None and kind.plate)
        self.brush.setVisible(kind.plate)
        self.brush.follow()
        self.neutral.setChecked(active.state.put_aside is not None)
        side = max(2, round(2 / active.density.edge)) if active.density.edge else 1000
        facts = Facts(side, side)
        for group in self.groups.values():
            group.setVisible(kind.points and any(kind.takes(name, settings.made) for name in group.group.fields))
            group.follow(settings, facts, kind)
        self.keep_row.setVisible(kind.id == "smooth")
        keeps = gesture.keeps if gesture is not None else active.state.keeps
        for id, button in self.keeps.items():
            button.setChecked(id == keeps)
        self._told()
        self._soon.start()

    def _told(self, *_: object) -> None:
        active = self.ui.trials
        kind = active.gesture.declared if active.gesture is not None else active.kind
        words = active.density.words(active.settings.size) if kind.plate and not kind.curve else ""
        seen = active.drawing.curve if kind.curve else None
        words = words or (seen.words if seen is not None else "")
        self.words.setText(words[:1].upper() + words[1:] + "." if words else "")
        self.words.setVisible(bool(words))
        told = seen.notes if seen is not None else ()
        self.notes.setText("\n".join(note.words for note in told))
        self.notes.setVisible(bool(told))

    def _again(self, _: object) -> None:
        self._soon.start()

    def _ask(self) -> None:
        """Draw the strips of the groups."""
        ui, full = self.ui, self.ui.pictures.full
        if not self.isVisible() or full is None or not ui.pictures.kernels_ready:
            return
        settings, ratio = ui.trials.settings, self.devicePixelRatioF()
        drawn = (settings, full.line.keys[-1] if full.line.keys else "")
        if drawn == self._drawn:
            return
        self._drawn = drawn
        tip = Tip(_square(full.height))
        width, rows = (round(ui.px(v) * ratio) for v in _STRIP)

        def work(check: Watch) -> dict[str, NDArray[np.uint8]]:
            found = {}
            for group in GROUPS:
                check()
                found[group.id] = strip_of(only(group.id, settings), tip, width, rows)
            return found

        def done(found: dict[str, NDArray[np.uint8]]) -> None:
            for id, array in found.items():
                self.groups[id].strip.image = picture_of(array)
                self.groups[id].strip.update()

        ui.pictures.lane("strips").submit(work, done, lambda error: None)


def _square(height: NDArray[np.float32]) -> NDArray[np.float32]:
    from engraver.core.numeric import resample
    from engraver.core.pressing.tip import squared

    return squared(resample.at_most(height, 128))
