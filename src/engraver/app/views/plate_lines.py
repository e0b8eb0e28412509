"""Lines over the plate that are pulled: the section line, and the line that parts two places of the work."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from .overlays import paint_line, paint_section, paint_tag, tag_box
from .plate_frame import PlateFrame

GRAB = 12.0
_NEAR = 5.0
_KNOB = 9.0
# How far an arrow key pulls the line that parts, as a share of the plate.
_KEY_STEP = 0.02
# From the line, and from the upper border, to what tells the sides apart.
_BESIDE = 6


class PlateLine(Protocol):
    """Grips are named; "" is none. Places are on the screen."""

    cursor: Qt.CursorShape

    def grip_at(self, place: QPointF) -> str: ...
    def move(self, grip: str, place: QPointF, last: QPointF) -> None: ...


class SectionLine:
    """The line whose heights are drawn below; its ends and itself can be pulled."""

    cursor = Qt.CursorShape.SizeAllCursor

    def __init__(self, frame: PlateFrame) -> None:
        self._frame = frame

    def grip_at(self, place: QPointF) -> str:
        """An end, "line", or "" elsewhere."""
        frame = self._frame
        if not frame.overlays.section:
            return ""
        a, b = (frame.to_screen(p) for p in frame.section)
        for name, end in (("a", a), ("b", b)):
            if (end - place).manhattanLength() <= GRAB:
                return name
        along = b - a
        length2 = along.x() ** 2 + along.y() ** 2
        if length2 < 1:
            return ""
        t = ((place.x() - a.x()) * along.x() + (place.y() - a.y()) * along.y()) / length2
        away = place - (a + along * min(1.0, max(0.0, t)))
        return "line" if 0 <= t <= 1 and (away.x() ** 2 + away.y() ** 2) ** 0.5 <= _NEAR else ""

    def move(self, grip: str, place: QPointF, last: QPointF) -> None:
        """Pull an end to a place, within the plate, or the line along."""
        frame = self._frame
        share = frame.to_share(place)
        clamped = QPointF(min(1.0, max(0.0, share.x())), min(1.0, max(0.0, share.y())))
        a, b = frame.section
        if grip == "a":
            a = clamped
        elif grip == "b":
            b = clamped
        else:
            by = share - frame.to_share(last)
            moved = [a + by, b + by]
            if all(-1e-6 <= p.x() <= 1 + 1e-6 and -1e-6 <= p.y() <= 1 + 1e-6 for p in moved):
                a, b = moved
        frame.ui.looks.set(section=((a.x(), a.y()), (b.x(), b.y())))

    def paint(self, painter: QPainter) -> None:
        """With its grips."""
        paint_section(painter, *(self._frame.to_screen(p) for p in self._frame.section))


class PartingLine:
    """Left of it another place of the line of steps is seen; its knob can be pulled anywhere, as can itself."""

    cursor = Qt.CursorShape.SplitHCursor

    def __init__(self, frame: PlateFrame) -> None:
        self._frame, self._parting = frame, frame.ui.pictures.parting

    @property
    def there(self) -> bool:
        """Whether two places are seen."""
        look = self._frame.look
        return look is not None and look.beside is not None and self._parting.with_ is not None

    def _knob(self) -> QPointF:
        """Upon the line, in the part of the plate that is in view, below its middle, where the section lies."""
        target = self._frame.target()
        seen = target.intersected(QRectF(self._frame.rect()))
        return QPointF(target.left() + self._parting.share * target.width(), seen.top() + 0.75 * seen.height())

    def left_of(self) -> QRectF:
        """The part of the view in which the other place is seen."""
        target = self._frame.target()
        return QRectF(target.left(), target.top(), self._parting.share * target.width(), target.height())

    def shows_other(self, share: float) -> bool:
        """Whether the other place is seen at a share of the plate's width."""
        return self.there and share < self._parting.share

    def on_knob(self, place: QPointF) -> bool:
        """Whether a place is on the knob, which comes before everything else on the plate."""
        return self.there and (place - self._knob()).manhattanLength() <= GRAB

    def grip_at(self, place: QPointF) -> str:
        """ "parting" on the line, or ""."""
        inside = self._frame.target().top() <= place.y() <= self._frame.target().bottom()
        return "parting" if self.there and inside and abs(place.x() - self._knob().x()) <= _NEAR else ""

    def move(self, grip: str, place: QPointF, last: QPointF) -> None:
        """Pull it to a place, within the plate."""
        self._parting.share = min(1.0, max(0.0, self._frame.to_share(place).x()))

    def key(self, way: tuple[float, float]) -> bool:
        """Pull it to the left or the right by an arrow key; whether it is there and goes that way."""
        if not self.there or not way[0]:
            return False
        self._parting.share = min(1.0, max(0.0, self._parting.share + _KEY_STEP * way[0]))
        return True

    def paint(self, painter: QPainter) -> None:
        """The line, its knob, and at its upper end what lies on either side."""
        ui, look, knob = self._frame.ui, self._frame.look, self._knob()
        target = self._frame.target()
        place = self._parting.other(look.line, look.uid, look.before) if look is not None else None
        if look is None or place is None:
            return
        seen = target.intersected(QRectF(self._frame.rect()))
        top, bottom = QPointF(knob.x(), seen.top()), QPointF(knob.x(), seen.bottom())
        paint_line(painter, top, bottom)
        painter.setPen(QPen(QColor(20, 20, 18), 1.2))
        painter.setBrush(QColor(255, 255, 255))
        painter.drawEllipse(knob, _KNOB, _KNOB)
        for side in (-1, 1):  # two small arrows: it goes both ways
            tip = knob + QPointF(side * 5.5, 0)
            painter.drawPolyline([tip + QPointF(-side * 2.5, -3), tip, tip + QPointF(-side * 2.5, 3)])
        here = self._parting.words(look.line, (look.uid, look.before))
        for words, left in ((self._parting.words(look.line, place), True), (here, False)):
            x = knob.x() + (-_BESIDE if left else _BESIDE)
            box = tag_box(painter, ui, words, x, seen.top() + _BESIDE, leftwards=left)
            if QRectF(self._frame.rect()).contains(box):  # else next to nothing is seen of that side
                paint_tag(painter, ui, box, words)
