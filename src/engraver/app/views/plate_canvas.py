"""The plate itself: zoom, pan, overlays, the section line, and handles on the picture."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QTabletEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from engraver.core.shapes import ways

from ..editor_kinds import editor_of
from ..editors.key_moves import ARROWS
from ..editors.plate_handles import Handle, Keyed, PlateHandles
from ..looking import PlateViewPicture
from ..state import ZOOMS, Overlays
from ..ui import Ui, named
from .overlays import paint_border, paint_guides, paint_reached, paint_tag, paint_words, tag_box
from .picking import pick
from .plate_frame import PlateFrame
from .plate_lines import PartingLine, PlateLine, SectionLine
from .plate_painter import PlatePainter
from .start_board import StartBoard


class PlateCanvas(PlateFrame):
    """Draws the picture of a :class:`PlateViewPicture`. Places are in shares of the picture, 0..1."""

    section_moved = Signal()
    pointed = Signal(object)

    def __init__(self, ui: Ui) -> None:
        super().__init__(ui)
        self._painter = PlatePainter(ui)
        self._drag: tuple[str, QPointF] | None = None
        self.hands = PlateHandles(ui)
        self._picking = False
        self.cut, self.parting = SectionLine(self), PartingLine(self)
        self._pulled: tuple[PlateLine, str] | None = None
        self._empty: QWidget | None = None
        ui.hand.changed.connect(self._follow_hand)
        ui.items.changed.connect(self.update)
        # It ends with the canvas, on the window's thread, also when it runs.
        self.hands.strokes.fading.setParent(self)
        self.hands.strokes.fading.valueChanged.connect(self._faded)
        ui.studio.selection_changed.connect(self._fade)
        ui.studio.project_changed.connect(self._show_empty)
        ui.pictures.failed.connect(self.update)
        self.setMouseTracking(True)
        self.setAcceptDrops(False)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Plate")
        self.setMinimumSize(160, 160)
        self._show_empty()

    # -- what is shown -------------------------------------------------------------

    def show_look(self, look: PlateViewPicture | None) -> None:
        self.look = look
        self._show_marks()
        self._show_empty()
        self.update()

    def _empty_state(self) -> QWidget:
        """What to do when nothing is open: a sentence, the first two actions, and the board of starts."""
        ui, empty = self.ui, QWidget()
        box = QVBoxLayout(empty)
        box.setContentsMargins(ui.px(14), ui.px(12), ui.px(14), ui.px(10))
        box.setSpacing(ui.px(8))
        words = QLabel(
            "Drop a photo here: it becomes a plate with a line\nof steps and a proof in plaster. Or start below."
        )
        words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        words.setStyleSheet(f"color: {ui.theme.on_bar}; font-size: {ui.px(13)}px;")
        box.addWidget(words)
        row = QHBoxLayout()
        for text, name, id in (("Open a photo…", "main", "open"), ("Try it on Saltmarrow Quay", "", "demo")):
            button = named(QPushButton(text), name)
            button.setFixedHeight(ui.px(32))
            button.clicked.connect(partial(self._do, id))
            row.addWidget(button)
        box.addLayout(row)
        board = StartBoard(ui)
        board.words.setStyleSheet(f"color: {ui.theme.on_bar};")
        box.addWidget(board, 1)
        return empty

    def _do(self, id: str) -> None:
        self.ui.commands[id].run()

    def _show_empty(self) -> None:
        """The first actions stand here while nothing is open; they are made when they are needed."""
        nothing = self.ui.studio.plate is None
        if nothing and self._empty is None:
            self._empty = self._empty_state()
            layout = QVBoxLayout(self)
            layout.setContentsMargins(0, 0, 0, 0)
            layout.addWidget(self._empty)
        if self._empty is not None:
            self._empty.setVisible(nothing)

    @property
    def words(self) -> str:
        """What stands in place of a picture that is on its way."""
        waits = self.ui.studio.plate is not None and self.ui.pictures.busy
        return "Getting the plate ready…" if waits else ""

    def set_overlays(self, overlays: Overlays) -> None:
        self.ui.looks.set(overlays=overlays)
        self._show_marks()
        self.zoomed.emit()
        self.update()

    def _show_marks(self) -> None:
        """Ask for what the overlays mark, when they are wanted first."""
        wanted, pictures = self.overlays.clipping or self.overlays.below, self.ui.pictures
        self._painter.show(self.look, self.overlays)
        if wanted != pictures.want_marks:
            pictures.want_marks = wanted
            if wanted:
                pictures.refresh()

    # -- hands ---------------------------------------------------------------------

    def _handle(self) -> Handle | None:
        """The handles of the chosen step, when the picture shown is the one they belong to."""
        step, look = self.ui.studio.step, self.look
        if step is None or look is None or look.uid != step.uid or self.ui.studio.finished:
            return None
        if look.before != editor_of(step).over_input:
            return None
        return self.hands.for_step(step)

    def _line_at(self, place: QPointF) -> tuple[PlateLine, str] | None:
        """The line over the plate at a place, with its grip; the section line only where the step has no handles."""
        lines: tuple[PlateLine, ...] = (self.parting,) if self._handle() is not None else (self.parting, self.cut)
        return next(((line, grip) for line in lines if (grip := line.grip_at(place))), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place, self.reached = event.position(), False
        if event.button() == Qt.MouseButton.MiddleButton:
            self._drag = ("pan", place)
            return
        if event.button() == Qt.MouseButton.RightButton:
            if not self._offer(place) and self.pick_here(self.to_share(place)):
                self._drag = ("hand move", place)
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.ui.hand.brush.picking:
            pick(self.ui, self.look, self.to_share(place), self.scale)
            return
        handle, step = self._handle(), self.ui.studio.step
        if self.parting.on_knob(place):
            self._pull(place)
            return
        if handle is not None and step is not None:
            share = self.to_share(place)
            grip = handle.grip_at(step, share, self._full_size(), self.scale)
            if grip:
                self._drag = (f"hand {grip}", place)
                self.hands.with_shift(bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
                handle.start(step, grip, share, self._full_size())
                self.update()
                return
        if editor_of(step).marks_tones:
            self._mark_tone(self.to_share(place))
        self._pull(place)

    def _pull(self, place: QPointF) -> None:
        """Begin to pull a line over the plate, or the plate itself."""
        self._pulled = self._line_at(place)
        self._drag = ("line" if self._pulled is not None else "pan", place)

    def tabletEvent(self, event: QTabletEvent) -> None:
        """A pen's pressure goes with the places that the mouse events tell; one without pressure presses fully."""
        self.ui.hand.brush = replace(self.ui.hand.brush, pressure=event.pressure() or 1.0)
        event.ignore()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = event.position()
        self.pointed.emit(self.to_share(place))
        self.hands.strokes.pointer = self.to_share(place)
        if self._drag is None:
            if self._handle() is self.hands.strokes:
                self.update()
            self._point_cursor(place)
            return
        what, last = self._drag
        if what == "pan":
            if self.zoom is None:
                self.ui.looks.set(zoom=min(ZOOMS[1], max(ZOOMS[0], self.fit_zoom())))
            self._move(place - last)
            self._drag = (what, place)
            self.zoomed.emit()
        elif what.startswith("hand"):
            handle = self.hands.for_step(self.ui.studio.step)
            self._edit(handle.moved(self.to_share(place)) if handle is not None else {})
        elif self._pulled is not None:
            line, grip = self._pulled
            line.move(grip, place, last)
            self._drag = (what, place)
            self.section_moved.emit()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None and self._drag[0].startswith("hand"):
            handle = self.hands.for_step(self.ui.studio.step)
            if handle is not None:
                self._edit(handle.finished())
            self.ui.studio.seal()
        self._drag = None
        self.update()
        self._point_cursor(event.position())

    def pick_here(self, share: QPointF | None = None) -> bool:
        """Choose the place (under the pointer) from which strokes take, where a step has such strokes, or the stroke
        there; True where that can be moved from here on."""
        share = share if share is not None else self.hands.strokes.pointer
        step, strokes = self.ui.studio.step, self.hands.strokes
        return share is not None and step is not None and self._handle() is strokes and strokes.pick(step, share)

    def _fade(self) -> None:
        """The strokes of a step that was just chosen are seen plainly for a while."""
        strokes, step = self.hands.strokes, self.ui.studio.step
        if step is not None and self.hands.for_step(step) is strokes:
            strokes.fading.start()
        else:
            strokes.fading.stop()

    def _faded(self) -> None:
        if self._handle() is self.hands.strokes:
            self.update()

    def event(self, event: QEvent) -> bool:
        """A key that means something to what is chosen on the plate comes before the window's shortcuts."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and self._wanted(event):
            event.accept()
            return True
        return super().event(event)

    def _wanted(self, event: QKeyEvent) -> Keyed | None:
        """The handle whose chosen items a key means something to, if any."""
        step, handle = self.ui.studio.step, self._handle()
        for keyed in self.hands.keyed:
            if step is not None and handle is keyed and keyed.wants(step, event.key(), self._full_size()):
                return keyed
        return None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step, keyed = self.ui.studio.step, self._wanted(event)
        if step is None or keyed is None:
            way = ARROWS.get(Qt.Key(event.key()))
            if way is None or not (self.parting.key(way) or self.look_aside(way)):
                super().keyPressEvent(event)
            self.update()
            return
        far = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._edit(keyed.key(step, event.key(), self._full_size(), far))

    def _follow_hand(self) -> None:
        """While something is picked the plate shows what enters the step."""
        picking = bool(self.ui.hand.brush.picking)
        if picking != self._picking:
            self._picking = picking
            self.ui.studio.peek(picking)
        self.update()

    @staticmethod
    def _tone_at(pixels: np.ndarray, share: QPointF) -> float:
        """The mean tone of the nine pixels about a place."""
        r, c = int(share.y() * pixels.shape[0]), int(share.x() * pixels.shape[1])
        return round(float(pixels[max(0, r - 1) : r + 2, max(0, c - 1) : c + 2].mean()), 4)

    def _mark_tone(self, share: QPointF) -> None:
        """Tell the tone that enters the chosen levels or curve under a place."""
        look = self.look
        inside = 0 <= share.x() < 1 and 0 <= share.y() < 1
        if look is not None and look.entering is not None and look.entering.channels == 1 and inside:
            self.ui.hand.mark_tone(self._tone_at(look.entering.pixels, share))

    def _edit(self, changes: dict[str, Any]) -> None:
        """What a handle asks for, as an edit of the chosen step; a drag is one entry."""
        studio, step = self.ui.studio, self.ui.studio.step
        if step is not None and changes:
            studio.attempt(lambda: studio.set_params(step.uid, step.title, f"{step.uid}.hand", **changes))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        handle = self._handle()
        if handle is self.hands.frames:
            share, size = self.to_share(event.position()), self._full_size()
            spot = (share.x() * size[0], share.y() * size[1])
            step = self.ui.studio.step
            assert step is not None  # it has the handle
            added = self.hands.frames.change_way(step, lambda s, rows, cols: ways.added(s, spot, rows, cols), size)
            self._edit_once(added)
        elif handle is not self.hands.strokes:
            self.set_zoom(None)

    def _offer(self, place: QPointF) -> bool:
        """What can be done with what lies under the pointer, as a menu; whether there is anything."""
        step, handle = self.ui.studio.step, self._handle()
        found = next((h for h in self.hands.offering if h is handle), None)
        if step is None or found is None:
            return False
        menu = QMenu(self)
        for words, changes in found.menu_at(step, self.to_share(place), self._full_size(), self.scale).items():
            menu.addAction(words, partial(self._edit_once, changes))
        if menu.isEmpty():
            return False
        menu.popup(self.mapToGlobal(place.toPoint()))
        return True

    def _edit_once(self, changes: dict[str, Any]) -> None:
        """An edit that is an entry of its own."""
        self._edit(changes)
        self.ui.studio.seal()

    def leaveEvent(self, event: QEvent) -> None:
        self.pointed.emit(None)
        self.hands.strokes.pointer = None
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        factor = 1.2 ** (event.angleDelta().y() / 120)
        self.set_zoom(self.scale * factor, event.position())

    def _point_cursor(self, place: QPointF) -> None:
        handle, step, found = self._handle(), self.ui.studio.step, self._line_at(place)
        if handle is not None and step is not None and not self.parting.on_knob(place):
            grip = handle.grip_at(step, self.to_share(place), self._full_size(), self.scale)
            self.setCursor(handle.cursor(grip) if grip or found is None else found[0].cursor)
        elif found is not None:
            self.setCursor(found[0].cursor)
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
        if self.look is None:
            paint_words(painter, self.ui, self.rect(), self.words)
            return
        target = self.target()
        # Enlarged beyond 200 % pixels stay square, so that single values can be judged.
        smooth = self.scale <= 2.0
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        self._painter.draw(painter, target, QRectF(self.rect()), self.overlays)
        if self.parting.there:
            self._painter.draw_other(painter, target, self.parting.left_of())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.overlays.border:
            paint_border(painter, target, self.ui, self.look.result.raster)
        if self.overlays.guides:
            paint_guides(painter, target)
        step, handle = self.ui.studio.step, self._handle()
        if handle is not None and step is not None:
            handle.paint(painter, step, self._full_size(), target)
        elif self.overlays.section:
            self.cut.paint(painter)
        if self.parting.there:
            self.parting.paint(painter)
        if self.reached:
            paint_reached(painter, self.ui, QRectF(self.rect()))
        said = []
        if step is not None and not self.ui.studio.finished:
            if self.look.revealed:
                said.append(step.declared.revealed)
            elif self.look.before:
                said.append(f"before {step.title.lower()}")
        if self.look.result.draft or self.look.result.provisional:
            said.append("draft")
        if said:
            words = " · ".join(said)
            paint_tag(painter, self.ui, tag_box(painter, self.ui, words, self.width() - 8, 6, leftwards=True), words)
