"""Painting strokes on the plate: they are kept in source shares, shown where they lie now."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QVariantAnimation
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from engraver.core.params import Stroke, Strokes, laid
from engraver.core.recipe import Step
from engraver.standins.pen import PracticePen

from ..editor_kinds import EditorKind, Paint, editor_of, is_painted
from ..ui import Ui
from .key_moves import ARROWS, FAR, REMOVES
from .source_map import Places, SourceMap

_CLOSE = 0.3
# The hand's strokes follow the pointer more closely.
_REFINED = 24
# Strokes stay plain for this share of the time after the hand lets go, and are this faint in the end.
_FADING_MS, _STAYS, _FADED = 1500, 0.5, 0.45


def _refined(places: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """A short stroke with places enough for the pressure to come and go."""
    if len(places) < 2 or len(places) >= _REFINED:
        return places
    at, now = np.linspace(0, len(places) - 1, _REFINED), np.arange(len(places))
    x, y = (np.interp(at, now, [p[k] for p in places]) for k in (0, 1))
    return [(float(a), float(b)) for a, b in zip(x, y, strict=True)]


class StrokeHand:
    """One stroke a gesture. The stroke being painted is not in the project until the hand lets go."""

    def __init__(self, ui: Ui) -> None:
        self._ui, self.map = ui, SourceMap(ui)
        self.pointer: QPointF | None = None
        self.straight = False
        self._places: list[tuple[float, float]] = []
        self._pressure: list[float] = []
        self._before: Strokes = ()
        self._held: tuple[Stroke, tuple[float, float]] | None = None
        # How plainly the strokes are seen: they fade a while after the hand lets go.
        self.fading = QVariantAnimation(startValue=1.0, endValue=_FADED, duration=_FADING_MS)
        self.fading.setKeyValueAt(_STAYS, 1.0)
        self._step: Step | None = None

    def works_on(self, step: Step) -> bool:
        """Whether the step is edited by strokes, with its present settings."""
        return is_painted(step)

    @property
    def plain(self) -> float:
        """How plainly strokes are seen now, 0..1."""
        value = self.fading.currentValue()
        return 1.0 if value is None else float(value)

    @property
    def still(self) -> bool:
        """Whether strokes are seen as they stay."""
        return self.fading.state() != QVariantAnimation.State.Running

    # -- gestures ------------------------------------------------------------------

    def _paint(self, step: Step) -> Paint | None:
        return self._ui.hand.paint_for(step.declared.editor)

    def grip_at(self, step: Step, share: QPointF, size: tuple[float, float], scale: float) -> str:
        inside = -0.05 <= share.x() <= 1.05 and -0.05 <= share.y() <= 1.05
        return "paint" if inside else ""

    def pick(self, step: Step, share: QPointF) -> bool:
        """Choose the place from which the next strokes take, or the stroke there; True where that can be moved."""
        if not any(p.picks for p in editor_of(step).paints):
            return self._choose(step, share)
        place = self.map.source(step, share)
        tag = next(p.tag for p in editor_of(step).paints if p.picks)
        self._ui.hand.set(tag=tag, anchor=place)
        return False

    def _choose(self, step: Step, share: QPointF) -> bool:
        """The uppermost stroke under a place is the one that the settings change, and that can be moved; False
        where there is none."""
        place = self.map.source(step, share)
        line = self._ui.studio.line()
        if place is None or line is None:
            return False
        source = line.facts[0]
        size = np.array([source.width, source.height]) / source.shorter
        found = None
        for stroke in reversed(getattr(step.params, "strokes", ())):
            away = np.hypot(*((stroke.points[:, :2] - place) * size).T)
            if float(away.min()) <= stroke.radius:
                found = stroke
                break
        self._ui.hand.set(chosen=found.digest if found is not None else "")
        self._step, self._held = step, (found, place) if found is not None else None
        self._before = getattr(step.params, "strokes", ())
        return found is not None

    # -- the chosen stroke ---------------------------------------------------------

    def _chosen(self, step: Step) -> Stroke | None:
        chosen = self._ui.hand.brush.chosen
        return next((s for s in reversed(getattr(step.params, "strokes", ())) if s.digest == chosen), None)

    def _shifted(self, strokes: Strokes, held: Stroke, by: tuple[float, float]) -> dict[str, Any]:
        """The strokes with one moved by so much in source shares, its arms with it."""
        line = self._ui.studio.line()
        assert line is not None
        size = (float(line.facts[0].width), float(line.facts[0].height))
        new, now = laid.moved(strokes, laid.laid_with(strokes, held.digest), held, by, size)
        self._ui.hand.set(chosen=now.digest)
        return {"strokes": new}

    def wants(self, step: Step, key: int, size: tuple[float, float]) -> bool:
        """Whether a key means something to the chosen stroke."""
        return self._chosen(step) is not None and (key in ARROWS or key in REMOVES)

    def key(self, step: Step, key: int, size: tuple[float, float], far: bool) -> dict[str, Any]:
        """Move the chosen stroke by a pixel of the picture shown, or ten; or take it out."""
        held, strokes = self._chosen(step), getattr(step.params, "strokes", ())
        if held is None:
            return {}
        if key in REMOVES:
            self._ui.hand.set(chosen="")
            return {"strokes": laid.without(strokes, laid.laid_with(strokes, held.digest))}
        old = held.points[:1, :2]
        there = self.map.shown(step, old)
        if there is None:
            return {}
        new = self.map.sources(step, there + np.array(ARROWS[Qt.Key(key)]) * (FAR if far else 1) / size)
        assert new is not None
        x, y = (new - old)[0].tolist()
        return self._shifted(strokes, held, (x, y))

    # -- painting ------------------------------------------------------------------

    def start(self, step: Step, grip: str, share: QPointF, size: tuple[float, float]) -> None:
        self.fading.stop()
        self._held = None
        place = self.map.source(step, share)
        self._step, self._places = step, [place] if place is not None else []
        self._pressure = [self._ui.hand.brush.pressure] * len(self._places)
        self._before = getattr(step.params, "strokes", ())
        self._ui.hand.set(chosen="")

    def moved(self, share: QPointF) -> dict[str, Any]:
        """Add a place to the stroke; only the hand's own strokes act before it lets go. A held one is moved."""
        if self._step is not None and self._held is not None:
            held, begun = self._held
            place = self.map.source(self._step, share)
            if place is None:
                return {}
            return self._shifted(self._before, held, (place[0] - begun[0], place[1] - begun[1]))
        if self._step is None or not self._places:
            return {}
        place = self.map.source(self._step, share)
        if place is not None:
            last = self._places[-1]
            near = _CLOSE * self._ui.hand.brush.radius
            if max(abs(place[0] - last[0]), abs(place[1] - last[1])) > near:
                self._places.append(place)
                self._pressure.append(self._ui.hand.brush.pressure)
                if editor_of(self._step).tips:
                    return {"strokes": (*self._before, *self._strokes())}
        return {}

    def _strokes(self) -> Strokes:
        """The hand's present stroke, with its arms and mirror images, about the middle of the source."""
        assert self._step is not None
        brush, paint, line = self._ui.hand.brush, self._paint(self._step), self._ui.studio.line()
        assert paint is not None and line is not None
        places, pressure = list(self._places), list(self._pressure)
        if self.straight:
            places, pressure = [places[0], places[-1]], [pressure[0], pressure[-1]]
        if brush.practice:
            places = _refined(places)
            pressure = PracticePen().pressures(places)
        tip: dict[str, Any] = {}
        if brush.tipped and paint.tag not in ("smooth", "smudge"):
            tip = {
                "tip": brush.tip,
                "tip_plate": brush.tip_plate,
                "spacing": brush.spacing,
                "turn": brush.turn,
                "vary": brush.vary,
            }
        drawn = Stroke.through(places, brush.radius, paint.tag, strength=brush.strength, soft=brush.soft,
                               pressure=pressure, **tip)  # fmt: skip
        return laid.arms_of(drawn, (line.facts[0].width, line.facts[0].height), brush.arms, brush.mirror)

    def finished(self) -> dict[str, Any]:
        """The step's strokes with the one just painted; what was moved is where it is."""
        self.fading.start()
        self._held = None
        step, places = self._step, self._places
        if step is not None and places and editor_of(step).tips:
            made = self._strokes()
            self._step, self._places = None, []
            return {"strokes": (*self._before, *made)}
        self._step, self._places = None, []
        if step is None or not places:
            return {}
        paint, brush = self._paint(step), self._ui.hand.brush
        assert paint is not None
        shift = None
        if paint.picks:
            if brush.anchor is None:
                self._ui.studio.told.emit("Pick a piece first: the right button on the plate, or H over it.", "look")
                return {}
            shift = (brush.anchor[0] - places[0][0], brush.anchor[1] - places[0][1])
            if brush.flipped:  # the piece under the pointer goes to the picked place
                places = [(x + shift[0], y + shift[1]) for x, y in places]
                shift = (-shift[0], -shift[1])
        strokes = getattr(step.params, "strokes", ())
        return {"strokes": (*strokes, Stroke.through(places, brush.radius, paint.tag, shift))}

    @staticmethod
    def cursor(grip: str) -> Qt.CursorShape:
        return Qt.CursorShape.CrossCursor if grip else Qt.CursorShape.ArrowCursor

    # -- paint ---------------------------------------------------------------------

    def _colour(self, editor: EditorKind, tag: str) -> QColor:
        paint = next((p for p in editor.paints if p.tag == tag.removesuffix("-only")), None)
        return QColor(self._ui.colour(paint.tone if paint is not None else "accent"))

    def paint(self, painter: QPainter, step: Step, size: tuple[float, float], target: QRectF) -> None:
        # How long the source's shorter side is on the screen: by the area of a small square at the middle.
        near = self.map.shown(step, np.array([(0.5, 0.5), (0.51, 0.5), (0.5, 0.51)]))
        if near is None:
            return
        editor, brush = editor_of(step), self._ui.hand.brush

        def placed(places: Places) -> list[QPointF]:
            found = self.map.shown(step, places)
            assert found is not None
            return [target.topLeft() + QPointF(x * target.width(), y * target.height()) for x, y in found.tolist()]

        line = self._ui.studio.line()
        assert line is not None
        source = line.facts[0]
        spots = [QPointF(x * target.width(), y * target.height()) for x, y in near.tolist()]
        a, b = spots[1] - spots[0], spots[2] - spots[0]
        area = abs(a.x() * b.y() - a.y() * b.x()) * 1e4 / (source.width * source.height)
        unit = area**0.5 * source.shorter
        by_hand = not editor.strokes_shown  # its strokes are seen by what they do; only the chosen one is drawn
        hidden = by_hand or not self._ui.looks.bench.overlays.strokes
        plain = 1.0 if self._places else self.plain
        strokes = getattr(step.params, "strokes", ())
        group = laid.laid_with(strokes, brush.chosen)
        for stroke in strokes:
            chosen = stroke in group
            if hidden and not chosen:
                continue
            painter.setOpacity(1.0 if chosen else plain)
            path = placed(stroke.points[:, :2])
            grows = not stroke.tag.endswith("-only")
            self._draw(painter, path, stroke.radius * unit, self._colour(editor, stroke.tag), grows)
            if stroke.shift is not None:
                self._arrow(painter, placed(stroke.points[:1, :2] + stroke.shift)[0], path[0])
        painter.setOpacity(1.0)
        paint = self._paint(step)
        if paint is None:
            return
        if self._places and not by_hand:
            path = placed(np.array(self._places))
            self._draw(painter, path, brush.radius * unit, self._colour(editor, paint.tag), True, fill=True)
        if self.pointer is not None:
            here = QPointF(
                target.left() + self.pointer.x() * target.width(), target.top() + self.pointer.y() * target.height()
            )
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for colour, width in ((QColor(20, 20, 18, 190), 2.6), (QColor(255, 255, 255), 1.2)):
                painter.setPen(QPen(colour, width))
                painter.drawEllipse(here, brush.radius * unit, brush.radius * unit)
            if by_hand and brush.words:
                self._say(painter, here, brush.radius * unit + 6, target, brush.words)
            if paint.picks and brush.anchor is not None and not self._places:
                (anchor,) = placed(np.array([brush.anchor]))
                self._arrow(painter, here, anchor) if brush.flipped else self._arrow(painter, anchor, here)

    def _say(self, painter: QPainter, here: QPointF, aside: float, target: QRectF, words: str) -> None:
        """Words beside the pointer, on the side where there is room."""
        painter.setFont(self._ui.font(11, 600))
        wide = painter.fontMetrics().horizontalAdvance(words)
        at = here + QPointF(aside if here.x() + aside + wide < target.right() else -aside - wide, 4)
        for shift, colour in ((QPointF(1, 1), QColor(20, 20, 18, 220)), (QPointF(0, 0), QColor(255, 255, 255))):
            painter.setPen(colour)
            painter.drawText(at + shift, words)

    def _draw(
        self,
        painter: QPainter,
        path: list[QPointF],
        radius: float,
        colour: QColor,
        grows: bool,
        *,
        fill: bool = False,
    ) -> None:
        outline = QPainterPath(path[0])
        for spot in path[1:] or [path[0] + QPointF(0.01, 0)]:
            outline.lineTo(spot)
        soft = QColor(colour)
        soft.setAlpha(120 if fill else 60)
        cap, join = Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin
        painter.setPen(QPen(soft, max(2.0, 2 * radius), Qt.PenStyle.SolidLine, cap, join))
        painter.drawPath(outline)
        style = Qt.PenStyle.SolidLine if grows else Qt.PenStyle.DotLine
        for tone, width in ((QColor(20, 20, 18, 200), 3.6), (colour.lighter(125), 2.0)):
            painter.setPen(QPen(tone, width, style, cap, join))
            painter.drawPath(outline)

    def _arrow(self, painter: QPainter, start: QPointF, end: QPointF) -> None:
        along = end - start
        length = max(1.0, (along.x() ** 2 + along.y() ** 2) ** 0.5)
        unit = along / length
        aside = QPointF(-unit.y(), unit.x())
        for colour, width in ((QColor(20, 20, 18, 190), 3.2), (QColor(255, 255, 255), 1.4)):
            painter.setPen(QPen(colour, width))
            painter.drawLine(start, end)
            painter.drawLine(end, end - unit * 9 + aside * 4.5)
            painter.drawLine(end, end - unit * 9 - aside * 4.5)
            painter.drawEllipse(start, 3.0, 3.0)
