"""The falloff on the plate: its outline and where the fade ends, with grips; or outlines drawn by hand."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from engraver.core.params import Stroke
from engraver.core.recipe import Step
from engraver.core.steps.falloff import BOXES, HOLE, Falloff

from ..ui import Ui
from .stroke_hand import StrokeHand

GRAB = 11.0
# A new place of a drawn outline lies at least so far from the last, in shares of the plate.
_CLOSE = 0.006
_TURNS = ("oval", "polygon", *BOXES)
# What a stroke says its brush is; outlines have none.
_THIN = 0.001
# How much of an outline goes with the place that is pulled.
_PULLS = 0.08
# An outline is a light line, by two that overlap, between dark ones; dashes and gaps in pixels.
_ROUND = (QPointF(-1.2, 0), QPointF(1.2, 0), QPointF(0, -1.2), QPointF(0, 1.2))
_ALONG = (QPointF(-0.25, -0.25), QPointF(0.25, 0.25))
_DASHES = (7.0, 4.0)
Size = tuple[float, float]


def half_sizes(params: Falloff, size: Size, inset: float) -> tuple[float, float]:
    """Half width and height of the outline, ``inset`` pixels inside."""
    short = min(size)
    full = params.outline == "oval" or (params.fill and params.outline in BOXES)
    wide, tall = size if full else (short, short)
    return max(0.0, wide / 2 - inset), max(0.0, tall / 2 - inset)


def lean_of(params: Falloff) -> float:
    """How deep a polygon's sides lie, of its corners' reach; 1 for other outlines."""
    return math.cos(math.pi / params.corners) if params.outline == "polygon" else 1.0


def _below(params: Falloff) -> tuple[float, float]:
    """What lies straight below: how far the outline is there, of its reach, and how much of a step that is depth."""
    if params.outline == "polygon" and params.corners % 2 == 0:
        return 1.0, lean_of(params)  # a corner
    return lean_of(params), 1.0


def outline_path(params: Falloff, size: Size, deep: float = 0.0) -> QPainterPath:
    """The line ``deep`` pixels inside the outline, about the origin, not turned; sides that are off stay out."""
    inset = params.margin * min(size) + deep / lean_of(params)
    hx, hy = half_sizes(params, size, inset)
    path = QPainterPath()
    if params.outline in ("circle", "oval"):
        path.addEllipse(QRectF(-hx, -hy, 2 * hx, 2 * hy))
    elif params.outline == "polygon":
        angles = [2 * math.pi * k / params.corners for k in range(params.corners + 1)]
        path.addPolygon(QPolygonF([QPointF(hx * math.sin(a), -hx * math.cos(a)) for a in angles]))
    else:
        wide, tall = half_sizes(params, size, 0.0)
        left, top = hx if params.left else wide, hy if params.top else tall
        right, bottom = hx if params.right else wide, hy if params.bottom else tall
        radius = min(hx, hy) * params.corner if params.outline == "rounded" else 0.0
        path.addRoundedRect(QRectF(-left, -top, left + right, top + bottom), radius, radius)
    return path


class OutlineHandles:
    """Grips: margin at the outline, fade at its inner end, corner, turn and centre; sides are pressed on and off."""

    def __init__(self, ui: Ui, strokes: StrokeHand) -> None:
        self._ui, self._strokes = ui, strokes
        self._start: tuple[str, QPointF, Falloff, Size] | None = None
        self._step: Step | None = None
        self._drawn: list[tuple[float, float]] = []
        self._pulled: tuple[int, int] | None = None
        self.more = False  # what is drawn next is a hole

    @staticmethod
    def works_on(step: Step) -> bool:
        return isinstance(step.params, Falloff) and step.params.outline != "own"

    # -- geometry --------------------------------------------------------------------

    @staticmethod
    def _frame(params: Falloff, size: Size) -> QTransform:
        """From about the origin to full-size pixels of the plate."""
        turn = params.turn if params.outline in _TURNS else 0.0
        return QTransform().translate(params.x * size[0], params.y * size[1]).rotate(turn)

    @staticmethod
    def _inset(params: Falloff, size: Size) -> float:
        return params.margin * min(size)

    def _grips(self, params: Falloff, size: Size, scale: float) -> dict[str, QPointF]:
        """Where the grips lie, about the origin."""
        inset, fade = self._inset(params, size), params.fade * min(size)
        hx, hy = half_sizes(params, size, inset)
        side, corner = _below(params)
        low = hy * side
        inner = max(6 / scale, low - fade / corner)
        grips = {"centre": QPointF(0, 0), "margin": QPointF(0, low), "fade": QPointF(0, inner)}
        if params.outline == "rounded":
            radius = min(hx, hy) * params.corner * (1 - math.sqrt(0.5))
            grips["corner"] = QPointF(hx - radius, -hy + radius)
        if params.outline in _TURNS:
            grips["turn"] = QPointF(0, -max(0.55 * hy, hy - 26 / scale))
        if params.outline in BOXES:
            grips |= {"left": QPointF(-hx, 0), "right": QPointF(hx, 0), "top": QPointF(0, -hy),
                      "bottom": QPointF(hx * 0.5, hy)}  # fmt: skip
        return grips

    # -- gestures --------------------------------------------------------------------

    def grip_at(self, step: Step, share: QPointF, size: Size, scale: float) -> str:
        """The grip under a place; "draw" on the plate where outlines are drawn."""
        params = step.params
        assert isinstance(params, Falloff)
        if params.outline == "free":
            if self.nearest(step, share, size, scale) is not None:
                return "pull"
            return "draw" if -0.05 <= share.x() <= 1.05 and -0.05 <= share.y() <= 1.05 else ""
        frame, point = self._frame(params, size), QPointF(share.x() * size[0], share.y() * size[1])
        grips = self._grips(params, size, scale)
        away = {name: frame.map(place) - point for name, place in grips.items()}
        near = {name: math.hypot(a.x(), a.y()) * scale for name, a in away.items()}
        best = min(near, key=lambda name: near[name])
        return best if near[best] <= GRAB else ""

    def start(self, step: Step, grip: str, share: QPointF, size: Size) -> None:
        params = step.params
        assert isinstance(params, Falloff)
        self._start, self._step, self._drawn = (grip, share, params, size), step, []
        self._pulled = self.nearest(step, share, size) if grip == "pull" else None
        if grip == "draw":
            self._drawn = [(share.x(), share.y())]

    def moved(self, share: QPointF) -> dict[str, Any]:
        """The parameters for the pointer at ``share``."""
        if self._start is None:
            return {}
        grip, begin, params, size = self._start
        if grip == "draw":
            last = self._drawn[-1]
            if math.hypot(share.x() - last[0], share.y() - last[1]) > _CLOSE:
                self._drawn.append((share.x(), share.y()))
            return {}
        if grip == "pull":
            return self._pull(begin, share, params)
        back, _ = self._frame(params, size).inverted()
        place = back.map(QPointF(share.x() * size[0], share.y() * size[1]))
        short = min(size)
        side, corner = _below(params)
        _, hy = half_sizes(params, size, 0.0)
        if grip == "centre":
            by = share - begin
            middle = params.x + by.x(), params.y + by.y()
            x, y = (0.5 if abs(v - 0.5) < 0.012 else min(1.0, max(0.0, v)) for v in middle)
            return {"x": round(x, 4), "y": round(y, 4)}
        if grip == "margin":
            return {"margin": round(min(0.45, max(0.0, (hy - place.y() / side) / short)), 4)}
        if grip == "fade":
            reach = (hy - self._inset(params, size)) * side
            return {"fade": round(min(0.5, max(0.0, (reach - place.y()) * corner / short)), 4)}
        if grip == "corner":
            hx, hy = half_sizes(params, size, self._inset(params, size))
            radius = ((hx - place.x()) + (hy + place.y())) / 2 / (1 - math.sqrt(0.5))
            return {"corner": round(min(1.0, max(0.0, radius / max(1.0, min(hx, hy)))), 3)}
        if grip == "turn":
            away = QPointF((share.x() - params.x) * size[0], (share.y() - params.y) * size[1])
            turn = math.degrees(math.atan2(away.x(), -away.y()))
            return {"turn": 0.0 if abs(turn) < 2 else round(turn, 1)}
        return {}

    def nearest(self, step: Step, share: QPointF, size: Size, scale: float = 1.0) -> tuple[int, int] | None:
        """The drawn outline under a place, and the number of its nearest point; None where there is none."""
        best, found = GRAB / scale, None
        for n, stroke in enumerate(getattr(step.params, "strokes", ())):
            shown = self._strokes.map.shown(step, stroke.points[:, :2])
            if shown is not None:
                away = np.hypot(*((shown - (share.x(), share.y())) * size).T)
                k = int(np.argmin(away))
                if away[k] < best:
                    best, found = float(away[k]), (n, k)
        return found

    def _pull(self, begin: QPointF, share: QPointF, params: Falloff) -> dict[str, Any]:
        """The outline with the place under the hand moved, and what lies beside it less and less."""
        if self._step is None or self._pulled is None:
            return {}
        ends = self._strokes.map.sources(self._step, np.array([(p.x(), p.y()) for p in (begin, share)]))
        if ends is None:
            return {}
        (n, k), strokes = self._pulled, list(params.strokes)
        places = strokes[n].points[:, :2].astype(np.float64)
        legs = np.hypot(*np.diff(places, axis=0, append=places[:1]).T)
        away = np.abs(np.cumsum(legs) - np.cumsum(legs)[k])
        whole = float(legs.sum())
        follows = np.exp(-((np.minimum(away, whole - away) / (_PULLS * whole)) ** 2))
        strokes[n] = strokes[n].but(data=Stroke.packed(places + follows[:, None] * (ends[1] - ends[0])))
        return {"strokes": tuple(strokes)}

    def menu_at(self, step: Step, share: QPointF, size: Size, scale: float) -> dict[str, dict[str, Any]]:
        """What can be done with the drawn outline under a place, in words, and what that changes."""
        found = self.nearest(step, share, size, scale)
        if found is None:
            return {}
        strokes = list(step.params.strokes)  # type: ignore[attr-defined]
        one = strokes[found[0]]
        turned = one.tagged("outline" if one.tag == HOLE else HOLE)
        words = "Make it a part" if one.tag == HOLE else "Make it a hole"
        left = tuple(s for s in strokes if s is not one)
        # What is a hole takes from all that was drawn before it.
        return {words: {"strokes": (*left, turned)}, "Remove this outline": {"strokes": left}}

    def finished(self) -> dict[str, Any]:
        """The outline just drawn, or a side that was pressed."""
        start, step, drawn = self._start, self._step, self._drawn
        self._start, self._drawn = None, []
        if start is None or step is None:
            return {}
        grip, _, params, _ = start
        if grip in ("left", "top", "right", "bottom"):
            return {grip: not getattr(params, grip)}
        if grip != "draw" or len(drawn) < 3:
            return {}
        found = self._strokes.map.sources(step, np.array(drawn))
        tag = HOLE if self.more else "outline"
        return {} if found is None else {"strokes": (*params.strokes, Stroke.through(found.tolist(), _THIN, tag))}

    @staticmethod
    def cursor(grip: str) -> Qt.CursorShape:
        return {
            "centre": Qt.CursorShape.SizeAllCursor, "margin": Qt.CursorShape.SizeVerCursor,
            "fade": Qt.CursorShape.SizeVerCursor, "corner": Qt.CursorShape.SizeBDiagCursor,
            "draw": Qt.CursorShape.CrossCursor, "": Qt.CursorShape.ArrowCursor,
        }.get(grip, Qt.CursorShape.PointingHandCursor)  # fmt: skip

    # -- paint -----------------------------------------------------------------------

    def paint(self, painter: QPainter, step: Step, size: Size, target: QRectF) -> None:
        params, scale = step.params, target.width() / size[0]
        assert isinstance(params, Falloff)
        to_screen = QTransform().translate(target.left(), target.top()).scale(scale, scale)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if params.outline == "free":
            self._paint_drawn(painter, step, params, target)
            return
        frame = self._frame(params, size) * to_screen
        self._line(painter, frame.map(outline_path(params, size, params.fade * min(size))), Qt.PenStyle.DashLine)
        self._line(painter, frame.map(outline_path(params, size)), Qt.PenStyle.SolidLine)
        accent = self._ui.colour("accent")
        for name, place in self._grips(params, size, scale).items():
            at = frame.map(place)
            on = name not in ("left", "top", "right", "bottom") or getattr(params, name)
            painter.setPen(QPen(accent, 1.8))
            painter.setBrush(QColor(255, 255, 255) if on else QColor(60, 60, 58))
            if name == "centre":
                painter.drawLine(at - QPointF(6, 0), at + QPointF(6, 0))
                painter.drawLine(at - QPointF(0, 6), at + QPointF(0, 6))
            elif name in ("margin", "fade", "corner", "turn"):
                painter.drawEllipse(at, 5, 5)
            else:  # a tick through the side: white fades, dark stays open
                painter.drawRect(QRectF(at.x() - 4.5, at.y() - 4.5, 9, 9))

    def _paint_drawn(self, painter: QPainter, step: Step, params: Falloff, target: QRectF) -> None:
        for stroke in params.strokes:
            places = self._strokes.map.shown(step, stroke.points[:, :2])
            style = Qt.PenStyle.DashLine if stroke.tag == HOLE else Qt.PenStyle.SolidLine
            self._closed(painter, [] if places is None else places.tolist(), target, style)
        if self._drawn:
            self._closed(painter, self._drawn, target, Qt.PenStyle.DashLine if self.more else Qt.PenStyle.SolidLine)

    def _closed(
        self, painter: QPainter, places: Sequence[Sequence[float]], target: QRectF, style: Qt.PenStyle
    ) -> None:
        if len(places) < 2:
            return
        spots = [QPointF(target.left() + x * target.width(), target.top() + y * target.height()) for x, y in places]
        path = QPainterPath()
        path.addPolygon(QPolygonF(spots))
        path.closeSubpath()
        self._line(painter, path, style)

    @staticmethod
    def _line(painter: QPainter, path: QPainterPath, style: Qt.PenStyle) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        # One pixel wide: a wider line takes Qt ten times as long, and this is drawn under the hand.
        pens = QPen(QColor(20, 20, 18, 150), 1.0), QPen(QColor(255, 255, 255), 1.0)
        if style == Qt.PenStyle.DashLine:
            pens[1].setDashPattern(_DASHES)
        for pen, shifts in zip(pens, (_ROUND, _ALONG), strict=True):
            painter.setPen(pen)
            for shift in shifts:
                painter.drawPath(path.translated(shift))
