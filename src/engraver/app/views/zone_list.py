"""Which gauges count for a destination, and where each is good: ruled scales whose zones are dragged."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QGridLayout, QLabel, QLineEdit, QSizePolicy, QWidget

from engraver.core.readiness import Destination
from engraver.core.readiness.gauge import zone_of
from engraver.core.readiness.kinds import KINDS, Kind, Zone
from engraver.core.readiness.measure import that_apply

from ..editors.rows import Switch
from ..ui import Ui, named

HEADS = ("Counts", "Gauge", "", "Good", "Worth a look")


def shown(value: float, kind: Kind) -> str:
    """A limit as it is read: in per cent where the gauge tells a share."""
    sign = "≤" if kind.limit == "upper" else "≥"
    return f"{sign} {value * 100:.4g} %" if kind.share else f"{sign} {value:.4g}"


def typed(text: str, kind: Kind) -> float | None:
    """What was typed, or None for what is no number."""
    bare = text.strip().lstrip("≤≥<>= ").rstrip("% ").replace(",", ".")
    try:
        value = float(bare)
    except ValueError:
        return None
    value = value / 100 if kind.share else value
    return value if 0 <= value <= 1000 else None


class ZoneScale(QWidget):
    """A ruled scale: what is good is filled, what is worth a look is hatched; both ends are dragged."""

    moved = Signal(int, float)
    released = Signal()

    def __init__(self, ui: Ui, kind: Kind) -> None:
        super().__init__()
        self._ui, self.kind = ui, kind
        self.ends = [0.0, 0.0]
        self._held: int | None = None
        self._chosen = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(ui.px(24))
        self.setAccessibleName(f"{kind.name}: where it is good, and with Shift where it is worth a look")

    def sizeHint(self) -> QSize:
        return QSize(self._ui.px(180), self._ui.px(24))

    def show_ends(self, good: float, look: float) -> None:
        self.ends = [good, look]
        self.update()

    def _area(self) -> QRectF:
        edge = self._ui.px(8)
        return QRectF(edge, self._ui.px(4), self.width() - 2 * edge, self._ui.px(9))

    def place(self, value: float) -> float:
        """Where a value lies; what is beyond the scale lies at its end."""
        (low, high), area = self.kind.scale, self._area()
        return area.left() + min(1.0, max(0.0, (value - low) / (high - low))) * area.width()

    def _value(self, x: float) -> float:
        (low, high), area = self.kind.scale, self._area()
        share = min(1.0, max(0.0, (x - area.left()) / max(1.0, area.width())))
        step = (high - low) / 100
        return round(low + round(share * 100) * step, 9)

    def _grips(self) -> tuple[int, ...]:
        return (0,) if self.kind.advice else (0, 1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        first, *second = (self.place(self.ends[n]) for n in self._grips())
        which = 0
        if second:
            which = int(abs(x - second[0]) < abs(x - first))
            if abs(first - second[0]) < self._ui.px(4):  # on one spot: what lies outwards is worth a look
                which = int(x > first) if self.kind.limit == "upper" else int(x < first)
        self._held = self._chosen = which
        self._drag(x)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._drag(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._held = None
            self.released.emit()

    def _drag(self, x: float) -> None:
        if self._held is not None:
            self.moved.emit(self._held, self._value(x))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1}.get(
            Qt.Key(event.key())
        )
        if step is None:
            super().keyPressEvent(event)
            return
        which = int(bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)) if len(self._grips()) > 1 else 0
        low, high = self.kind.scale
        self._chosen = which
        self.moved.emit(which, round(min(high, max(low, self.ends[which] + step * (high - low) / 100)), 9))
        self.released.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter, area = self._ui, QPainter(self), self._area()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setOpacity(1.0 if self.isEnabled() else 0.55)
        painter.setPen(Qt.PenStyle.NoPen)
        start = area.left() if self.kind.limit == "upper" else area.right()
        if not self.kind.advice:
            self._hatch(painter, _between(self.place(self.ends[0]), self.place(self.ends[1]), area))
        painter.setBrush(ui.colour("zone"))
        painter.drawRect(_between(start, self.place(self.ends[0]), area))
        painter.setPen(QPen(ui.colour("ink_2"), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        for n in range(11):
            at = area.left() + n / 10 * area.width()
            painter.drawLine(QPointF(at, area.bottom()), QPointF(at, area.bottom() - (5 if n % 5 == 0 else 3)))
        for n in reversed(self._grips()):
            at, low, s = self.place(self.ends[n]), area.bottom() + 1, ui.px(5)
            painter.setBrush(ui.colour("look" if n else "good"))
            held = self.hasFocus() and n == self._chosen
            painter.setPen(QPen(ui.colour("ink"), 1.4) if held else Qt.PenStyle.NoPen)
            painter.drawPolygon(QPolygonF([QPointF(at, low), QPointF(at - s, low + 8), QPointF(at + s, low + 8)]))

    def _hatch(self, painter: QPainter, area: QRectF) -> None:
        """Slanted lines: told from what is filled by more than its colour."""
        painter.save()
        painter.setClipRect(area)
        painter.setPen(QPen(self._ui.colour("look"), 1))
        for n in range(int(area.left()) - int(area.height()), int(area.right()) + 1, self._ui.px(5)):
            painter.drawLine(QPointF(n, area.bottom()), QPointF(n + area.height(), area.top()))
        painter.restore()


def _between(a: float, b: float, area: QRectF) -> QRectF:
    return QRectF(min(a, b), area.top(), abs(b - a), area.height())


class GaugeName(QLabel):
    """A gauge's name; a double-click takes its zones back to the usual ones."""

    reset = Signal()

    def __init__(self, kind: Kind) -> None:
        super().__init__(kind.name)
        self.setToolTip(f"{kind.why}\nDouble-click for its usual zones.")

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.reset.emit()


class ZoneRow:
    """The widgets of one gauge: whether it counts, its name, its scale, its limits as numbers."""

    def __init__(self, ui: Ui, kind: Kind, changed: Callable[[], object]) -> None:
        self.kind, self._changed = kind, changed
        self.zone = kind.usual
        self.counts = Switch(ui)
        self.counts.setAccessibleName(f"{kind.name} counts")
        self.counts.clicked.connect(changed)
        self.name = GaugeName(kind)
        self.name.reset.connect(self._reset)
        self.rule = named(QLabel("by the sides of the file"), "second")
        self.scale = ZoneScale(ui, kind)
        self.scale.moved.connect(self.set_end)
        self.fields = [QLineEdit(), QLineEdit()]
        for n, (field, words) in enumerate(zip(self.fields, HEADS[3:], strict=True)):
            field.setFixedWidth(ui.px(84))
            field.setAlignment(Qt.AlignmentFlag.AlignRight)
            field.setAccessibleName(f"{kind.name}: {words.lower()}")
            field.editingFinished.connect(lambda n=n: self._typed(n))

    @property
    def widgets(self) -> tuple[QWidget, ...]:
        return (self.counts, self.name, self.rule, self.scale, *self.fields)

    def ends(self) -> tuple[float, float]:
        side = 1 if self.kind.limit == "upper" else 0
        assert self.zone is not None
        return self.zone.good[side], self.zone.look[side]

    def set_end(self, which: int, value: float) -> None:
        """Move one limit; the other gives way, so that good lies inside what is worth a look."""
        assert self.zone is not None
        pair = list(self.ends())
        pair[which] = value
        upper = self.kind.limit == "upper"
        if (pair[1] < pair[0]) if upper else (pair[1] > pair[0]):
            pair[1 - which] = value
        other = 0 if upper else 1
        good, look = self.zone.good[other], self.zone.look[other]
        if upper:
            self.zone = Zone(good=(min(good, pair[0]), pair[0]), look=(min(look, good, pair[0]), pair[1]))
        else:
            self.zone = Zone(good=(pair[0], max(good, pair[0])), look=(pair[1], max(look, good, pair[0])))
        self.show()
        self._changed()

    def _typed(self, which: int) -> None:
        value = typed(self.fields[which].text(), self.kind)
        if value is not None and value != self.ends()[which] and not self.fields[which].isReadOnly():
            self.set_end(which, value)
        self.show()

    def _reset(self) -> None:
        if self.scale.isEnabled() and self.zone != self.kind.usual:
            self.zone = self.kind.usual
            self.show()
            self._changed()

    def show(self) -> None:
        """The scale and the numbers follow the zone."""
        for widget in (self.scale, *self.fields):
            widget.setVisible(self.zone is not None)
        self.rule.setVisible(self.zone is None)
        if self.zone is None:
            return
        self.scale.show_ends(*self.ends())
        for n, field in enumerate(self.fields):
            field.setText(shown(self.ends()[n], self.kind))
        self.fields[1].setVisible(not self.kind.advice)
        self.name.setStyleSheet("" if self.zone == self.kind.usual else "font-weight: 600;")


class ZoneList(QWidget):
    """One row for each gauge that applies."""

    changed = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.rows: dict[str, ZoneRow] = {}
        self._own = False
        self._left_out: tuple[str, ...] = ()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(ui.px(12))
        grid.setVerticalSpacing(ui.px(7))
        grid.setColumnStretch(2, 1)
        grid.setColumnMinimumWidth(1, ui.px(84))
        for n, words in enumerate(HEADS):
            grid.addWidget(named(QLabel(words), "second"), 0, n)
        for n, kind in enumerate(KINDS.values(), 1):
            row = self.rows[kind.id] = ZoneRow(ui, kind, self.changed.emit)
            for widget, column in zip(row.widgets, (0, 1, 2, 2, 3, 4), strict=True):
                grid.addWidget(widget, n, column)
        grid.setRowStretch(len(KINDS) + 1, 1)

    def show_destination(self, to: Destination, own: bool) -> None:
        """Its own zones, and the usual ones of the others."""
        self._own, self._left_out = own, to.left_out
        for id, row in self.rows.items():
            row.zone = zone_of(id, to) if row.kind.usual else None
            row.counts.setChecked(id not in to.left_out)
        self.show_applying(to)

    def show_applying(self, to: Destination) -> None:
        """Only the gauges that say something by the rules as they stand."""
        here = that_apply(to.model_copy(update={"left_out": ()}))
        for id, row in self.rows.items():
            row.show()
            for widget in row.widgets:
                widget.setEnabled(self._own and (widget is row.counts or row.counts.isChecked()))
                if id not in here:
                    widget.hide()
                elif widget in (row.counts, row.name):
                    widget.show()

    def values(self) -> dict[str, object]:
        """The zones that differ from the usual ones, and the gauges that do not count."""
        out = [id for id, row in self.rows.items() if not row.counts.isChecked()]
        zones = {id: row.zone.model_dump() for id, row in self.rows.items()
                 if row.zone is not None and row.zone != row.kind.usual}  # fmt: skip
        return {"zones": zones, "left_out": sorted(out, key=lambda id: (self._left_out + tuple(self.rows)).index(id))}
