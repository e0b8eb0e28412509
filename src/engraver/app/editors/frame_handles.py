"""Items on the plate: dragged, sized and turned by handles, held at lines, nudged by the arrow keys."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF, QTransform

from engraver.core.engine.line import step_seed
from engraver.core.recipe import Step
from engraver.core.shapes import ways
from engraver.core.shapes.frames import Frame
from engraver.core.shapes.ways import Part

from ..active_items import ActiveItems
from ..editor_kinds import editor_of
from ..ui import Ui
from .framed import FRAMED, Framed, Ground, Size, WayChange
from .grips import CORNERS, CURSORS, GRAB, SIDES, turned
from .key_moves import ARROWS, FAR, REMOVES
from .snapping import Line, lines_of, snap

# A place of a way is met so near, before anything else.
_PLACE = 8.0
# A frame holds at a line that is so many pixels of the screen away.
_NEAR = 6.0
# So many others are held at.
_BESIDE = 60
# Places are kept to half a pixel of the plate, so that borders lie on whole ones.
_GRID = 2.0
_LEAST = 0.5


def _kept(value: float) -> float:
    return round(value * _GRID) / _GRID


class FrameHandles:
    """Places are shares of what enters the step; lengths in its full-size pixels."""

    def __init__(self, ui: Ui) -> None:
        self._ui = ui
        self._grip = ""
        self._begin = QPointF()
        self._params: Any = None
        self._framed: Framed = FRAMED["shapes"]
        self._frames: dict[int, Frame] = {}
        self._on = Ground((1.0, 1.0))
        self._scale = 1.0
        self.more = False
        self._lines: tuple[Line, ...] = ()
        self.held: tuple[Line, ...] = ()

    @property
    def active(self) -> ActiveItems:
        """What is chosen."""
        return self._ui.items

    @staticmethod
    def works_on(step: Step) -> bool:
        """Whether a step has items with frames."""
        return editor_of(step).id in FRAMED

    def _ground(self, step: Step, size: Size) -> Ground:
        """What the step's items lie on."""
        studio = self._ui.studio
        line = studio.attempt(studio.line)
        if line is None:
            return Ground(size)
        return Ground(size, step_seed(line.seed, step.uid), line.facts[line.place_before(step.uid)].wrap)

    def _chosen(self, step: Step, on: Ground) -> tuple[int, ...]:
        """The chosen items; what a step has one of is always chosen."""
        framed = FRAMED[editor_of(step).id]
        count = len(framed.names(step.params, on))
        return tuple(range(count)) if framed.single else self.active.among(count)

    # -- grips -----------------------------------------------------------------------

    @staticmethod
    def _grips(frame: Frame, scale: float) -> dict[str, QPointF]:
        """Where the grips of a frame lie, in pixels of the plate."""
        sides = {} if frame.even else SIDES
        found = {}
        for name, (sx, sy) in {**CORNERS, **sides}.items():
            found[name] = QPointF(frame.x, frame.y) + turned(
                sx * frame.half_width, sy * frame.half_height, frame.turn
            )
        found["turn"] = QPointF(frame.x, frame.y) + turned(0, -frame.half_height - 20 / scale, frame.turn)
        return found

    def _item_at(self, step: Step, point: QPointF, on: Ground, scale: float) -> int | None:
        """The item under a place, the one laid last first; small ones are met beside their outline too."""
        framed, params = FRAMED[editor_of(step).id], step.params
        near = 4 / scale
        for n in reversed(range(len(framed.names(params, on)))):
            left, top, right, bottom = framed.box(params, n, on)
            inside = left - near <= point.x() <= right + near and top - near <= point.y() <= bottom + near
            if not inside:
                continue
            if max(right - left, bottom - top) * scale < 16 or framed.path(params, n, on).contains(point):
                return n
            rim = QRectF(point.x() - near, point.y() - near, 2 * near, 2 * near)
            if framed.path(params, n, on).intersects(rim):
                return n
        return None

    def grip_at(self, step: Step, share: QPointF, size: Size, scale: float) -> str:
        """A handle of the chosen item, "item N" on one, "none" beside them all."""
        point = QPointF(share.x() * size[0], share.y() * size[1])
        on = self._ground(step, size)
        chosen = self._chosen(step, on)
        self._scale = scale
        if len(chosen) == 1:
            framed = FRAMED[editor_of(step).id]
            way = framed.way(step.params, chosen[0], on)
            grips = {f"{part} {n}": QPointF(*spot) for (part, n), spot in way.items()}
            # The places of a way lie over the frame's own grips.
            if framed.sized:
                grips = {**self._grips(framed.frame(step.params, chosen[0], on), scale), **grips}
            away = {name: (place - point) * scale for name, place in grips.items()}
            near = {name: math.hypot(a.x(), a.y()) for name, a in away.items()}
            best = min(near, default="", key=lambda name: (" " not in name or near[name] > _PLACE, near[name]))
            if best and near[best] <= GRAB:
                return best
        found = self._item_at(step, point, on, scale)
        if found is not None:
            return f"item {found}"
        return "none" if chosen else ""

    # -- gestures --------------------------------------------------------------------

    def start(self, step: Step, grip: str, share: QPointF, size: Size) -> None:
        """A press: chooses what lies there, beside others when ``more``, and begins to move it."""
        if grip == "none":
            self.active.choose()
            self._grip = ""
            return
        on = self._ground(step, size)
        if grip.startswith("item"):
            item = int(grip.split()[1])
            if self.more:
                self.active.toggle(item)
            elif item not in self._chosen(step, on):
                self.active.choose(item)
        self._framed, self._params, self._on = FRAMED[editor_of(step).id], step.params, on
        chosen = self._chosen(step, on)
        self._frames = {n: self._framed.frame(step.params, n, on) for n in chosen}
        self._begin, self._grip = QPointF(share.x() * size[0], share.y() * size[1]), grip
        names = self._framed.names(step.params, on)
        beside = [] if self._framed.quiet else [n for n in range(min(len(names), _BESIDE)) if n not in chosen]
        others = [(names[n], self._framed.box(step.params, n, on)) for n in beside]
        self._lines, self.held = lines_of(size, others), ()

    def moved(self, share: QPointF) -> dict[str, Any]:
        """The parameters for the pointer at ``share``."""
        if not self._grip or not self._frames:
            return {}
        point = QPointF(share.x() * self._on.size[0], share.y() * self._on.size[1])
        if self._grip.startswith("item"):
            frames = self._dragged(point - self._begin)
        elif " " in self._grip:
            return self._way_moved(point)
        else:
            ((item, frame),) = self._frames.items()
            frames = {item: self._turned(frame, point) if self._grip == "turn" else self._sized(frame, point)}
        try:
            return self._framed.changed(self._params, frames, self._on)
        except ValidationError:  # out of range: the hand goes on, the item stays
            return {}

    def _way_moved(self, point: QPointF) -> dict[str, Any]:
        """A place of a drawn way, or one of its handles, at the pointer; places hold at lines."""
        part, n = self._grip.split()
        (item,) = self._frames
        box = (point.x(), point.y(), point.x(), point.y())
        x, y, self.held = snap(box, self._lines, _NEAR / self._scale) if part == "place" else (0.0, 0.0, ())
        spot = (point.x() + x, point.y() + y)
        return self._framed.with_way(
            self._params, item,
            lambda shape, rows, columns: ways.moved(shape, part, int(n), spot, rows, columns),  # type: ignore[arg-type]
            self._on,
        )  # fmt: skip

    def menu_at(self, step: Step, share: QPointF, size: Size, scale: float) -> dict[str, dict[str, Any]]:
        """What can be done with the place of the chosen drawn way under the pointer, and what that changes."""
        grip = self.grip_at(step, share, size, scale)
        if not grip.startswith("place "):
            return {}
        n = int(grip.split()[1])
        return {
            "Remove this place": self.change_way(step, lambda shape, *_: ways.removed(shape, n), size),
            "With handles, or without": self.change_way(step, lambda shape, *_: ways.handed(shape, n), size),
        }

    def change_way(self, step: Step, change: WayChange, size: Size) -> dict[str, Any]:
        """What becomes of the parameters when the chosen way is changed; nothing when it is none."""
        on = self._ground(step, size)
        framed, chosen = FRAMED[editor_of(step).id], self._chosen(step, on)
        if len(chosen) != 1 or not framed.way(step.params, chosen[0], on):
            return {}
        return framed.with_way(step.params, chosen[0], change, on)

    def _dragged(self, by: QPointF) -> dict[int, Frame]:
        boxes = [replace(f, x=f.x + by.x(), y=f.y + by.y()).box() for f in self._frames.values()]
        low, high = (min(b[k] for b in boxes) for k in (0, 1)), (max(b[k] for b in boxes) for k in (2, 3))
        x, y, self.held = snap((*low, *high), self._lines, _NEAR / self._scale)  # type: ignore[arg-type]
        free_x, free_y = (not any(line.upright == way for line in self.held) for way in (True, False))
        return {
            n: replace(
                f, x=_kept(f.x + by.x()) if free_x else f.x + by.x() + x,
                y=_kept(f.y + by.y()) if free_y else f.y + by.y() + y,
            )
            for n, f in self._frames.items()
        }  # fmt: skip

    @staticmethod
    def _turned(frame: Frame, point: QPointF) -> Frame:
        turn = math.degrees(math.atan2(point.x() - frame.x, -(point.y() - frame.y)))
        straight = round(turn / 45) * 45
        return replace(frame, turn=float(straight) if abs(turn - straight) < 2 else round(turn, 1))

    def _sized(self, frame: Frame, point: QPointF) -> Frame:
        """The side or corner across from the grip stays."""
        sx, sy = {**CORNERS, **SIDES}[self._grip]
        fixed = QPointF(frame.x, frame.y) - turned(sx * frame.half_width, sy * frame.half_height, frame.turn)
        self.held = ()
        if frame.turn % 90 == 0:
            box = (point.x(), point.y(), point.x(), point.y())
            x, y, held = snap(box, self._lines, _NEAR / self._scale)
            point = point + QPointF(x, y)
            self.held = held
        reach = turned((point - fixed).x(), (point - fixed).y(), -frame.turn)
        wide, tall = (max(_LEAST, _kept(v * way / 2)) for v, way in ((reach.x(), sx or 1), (reach.y(), sy or 1)))
        half_width, half_height = wide if sx else frame.half_width, tall if sy else frame.half_height
        if frame.even:
            half_width = half_height = max(half_width, half_height)
        middle = fixed + turned(sx * half_width, sy * half_height, frame.turn)
        return replace(frame, x=middle.x(), y=middle.y(), half_width=half_width, half_height=half_height)

    def finished(self) -> dict[str, Any]:
        """The hand lets go."""
        self._grip, self._frames, self.held = "", {}, ()
        return {}

    def wants(self, step: Step, key: int, size: Size) -> bool:
        """Whether a key means something to what is chosen."""
        on = self._ground(step, size)
        chosen = self._chosen(step, on)
        if not chosen or key in ARROWS:
            return bool(chosen)
        return key in REMOVES and bool(FRAMED[editor_of(step).id].without(step.params, chosen, on))

    def key(self, step: Step, key: int, size: Size, far: bool) -> dict[str, Any]:
        """What an arrow key or Del changes; an arrow moves by a pixel, by ten when ``far``."""
        on = self._ground(step, size)
        framed, chosen = FRAMED[editor_of(step).id], self._chosen(step, on)
        if key not in ARROWS:
            self.active.choose()
            return framed.without(step.params, chosen, on)
        dx, dy = (v * (FAR if far else 1) for v in ARROWS[Qt.Key(key)])
        frames = {n: framed.frame(step.params, n, on) for n in chosen}
        moved = {n: replace(f, x=f.x + dx, y=f.y + dy) for n, f in frames.items()}
        try:
            return framed.changed(step.params, moved, on)
        except ValidationError:
            return {}

    @staticmethod
    def cursor(grip: str) -> Qt.CursorShape:
        if grip in ("", "none"):
            return Qt.CursorShape.CrossCursor
        return CURSORS.get(grip, Qt.CursorShape.SizeAllCursor)

    # -- paint -----------------------------------------------------------------------

    def paint(self, painter: QPainter, step: Step, size: Size, target: QRectF) -> None:
        scale = target.width() / size[0]
        to_screen = QTransform().translate(target.left(), target.top()).scale(scale, scale)
        on = self._ground(step, size)
        framed, chosen = FRAMED[editor_of(step).id], self._chosen(step, on)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        accent = self._ui.colour("accent")
        for n in chosen if framed.quiet else range(len(framed.names(step.params, on))):
            path = to_screen.map(framed.path(step.params, n, on))
            painter.setPen(QPen(QColor(20, 20, 18, 150), 3.0 if n in chosen else 2.0))
            painter.drawPath(path)
            painter.setPen(QPen(accent if n in chosen else QColor(255, 255, 255, 200), 1.6 if n in chosen else 1.0))
            painter.drawPath(path)
        if len(chosen) == 1 and framed.sized:
            self._paint_frame(painter, framed.frame(step.params, chosen[0], on), to_screen, scale)
            self._paint_way(painter, framed.way(step.params, chosen[0], on), to_screen)
        self._paint_lines(painter, to_screen, size)

    def _paint_frame(self, painter: QPainter, frame: Frame, to_screen: QTransform, scale: float) -> None:
        grips = {name: to_screen.map(place) for name, place in self._grips(frame, scale).items()}
        corners = QPolygonF([grips[name] for name in CORNERS])
        top = (grips["nw"] + grips["ne"]) / 2
        for colour, width in ((QColor(20, 20, 18, 150), 2.4), (QColor(255, 255, 255, 230), 1.0)):
            painter.setPen(QPen(colour, width, Qt.PenStyle.DashLine if width == 1.0 else Qt.PenStyle.SolidLine))
            painter.drawPolygon(corners)
            painter.drawLine(top, grips["turn"])
        painter.setBrush(QColor(255, 255, 255))
        painter.setPen(QPen(self._ui.colour("accent"), 1.8))
        for name, place in grips.items():
            if name == "turn":
                painter.drawEllipse(place, 5.0, 5.0)
            else:
                painter.drawRect(QRectF(place.x() - 4, place.y() - 4, 8, 8))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_way(self, painter: QPainter, way: Mapping[tuple[Part, int], Size], to_screen: QTransform) -> None:
        """Places as discs, handles as small squares on a line from them."""
        accent = self._ui.colour("accent")
        for (part, n), spot in way.items():
            here = to_screen.map(QPointF(*spot))
            painter.setPen(QPen(accent, 1.6))
            painter.setBrush(accent if part == "place" else QColor(255, 255, 255))
            if part == "place":
                painter.drawEllipse(here, 4.5, 4.5)
                continue
            painter.drawLine(to_screen.map(QPointF(*way["place", n])), here)
            painter.drawRect(QRectF(here.x() - 3, here.y() - 3, 6, 6))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_lines(self, painter: QPainter, to_screen: QTransform, size: Size) -> None:
        """The lines at which what is moved holds, each with its word."""
        painter.setFont(self._ui.font(10))
        for line in self.held:
            ends = (QPointF(line.at, 0), QPointF(line.at, size[1])) if line.upright else (
                QPointF(0, line.at), QPointF(size[0], line.at)
            )  # fmt: skip
            a, b = (to_screen.map(end) for end in ends)
            for colour, width in ((QColor(20, 20, 18, 110), 2.4), (self._ui.colour("look"), 1.0)):
                painter.setPen(QPen(colour, width))
                painter.drawLine(a, b)
            words = line.words.lower()
            wide = painter.fontMetrics().horizontalAdvance(words) + self._ui.px(10)
            place = QRectF(a.x() + 4, a.y() + 4, wide, self._ui.px(16))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(20, 20, 18, 190))
            painter.drawRoundedRect(place, 4, 4)
            painter.setPen(QColor(255, 255, 255))
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, words)
            painter.setBrush(Qt.BrushStyle.NoBrush)
