"""The row of readiness: where the plate goes, its gauges, and Export."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from engraver.core.files.names import file_stem
from engraver.core.readiness import Destination, Gauge, summary
from engraver.core.readiness.deliver import CannotCut
from engraver.core.readiness.fixes import label_of
from engraver.core.readiness.gauge import VERDICTS

from ..editors.rows import Choice
from ..measuring import MeasuredPlate
from ..ui import Ui, first_that_fits, literal, named, take_out

HEIGHT = 62
# The least room of a gauge, and what stands beside its name where there is a fix; the gap between these.
NARROW, _FIX, _GAP = 84, "Fix…", 8
# The width of Export and of the file's name below it.
EXPORT = 168
# A row so narrow, as with large text in a small window, has room for less, and for one gauge beside it.
_NARROW, _EXPORT_NARROW = 690, 116
_MARKS = {str(v): mark for v, _, mark in VERDICTS}
# Lines of verdicts that have room.
_LINES = 3
# What cannot be told is drawn pale.
_COLOURS = {"good": "good", "look": "look", "fault": "fault", "unsure": "ink_2"}


class GaugeView(QWidget):
    """A name, a value, a ruled scale with its good zone, and a notch."""

    pressed = Signal(object)

    def __init__(self, ui: Ui, gauge: Gauge) -> None:
        super().__init__()
        self.ui, self.gauge, self.pale = ui, gauge, False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(ui.px(52))
        self.show_gauge(gauge)

    def show_gauge(self, gauge: Gauge) -> None:
        self.gauge, self.pale = gauge, False
        ui = self.ui
        wide = QFontMetrics(ui.font(13, 600)).horizontalAdvance(gauge.value)
        name = QFontMetrics(ui.font(11)).horizontalAdvance(f"{gauge.name} {_MARKS[gauge.verdict]}")
        if gauge.fix:
            name += ui.px(_GAP) + QFontMetrics(ui.font(10.5, 600)).horizontalAdvance(_FIX)
        least = max(ui.px(NARROW), wide + 2 * ui.px(4), name + 2 * ui.px(4))
        self.setMinimumWidth(least)
        self.setMaximumWidth(max(self.ui.px(120), least))
        words = "look at this" if gauge.verdict == "look" else {v: text for v, text, _ in VERDICTS}[gauge.verdict]
        self.setToolTip(f"{gauge.says}\n{gauge.why}")
        self.setAccessibleName(f"{gauge.name}: {gauge.value}, {words}")
        self.update()

    def set_pale(self, pale: bool) -> None:
        if pale != self.pale:
            self.pale = pale
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.pressed.emit(self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.pressed.emit(self)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, g, painter = self.ui, self.gauge, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setOpacity(0.45 if self.pale else 0.7 if g.verdict == "unsure" else 1.0)
        if self.hasFocus():
            painter.setPen(ui.colour("accent"))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        left = ui.px(4)
        verdict, colour = g.verdict, _COLOURS[g.verdict]
        painter.setFont(ui.font(11))
        painter.setPen(ui.colour("ink_2" if verdict == "good" else colour))
        painter.drawText(QPointF(left, ui.px(12)), f"{g.name} {_MARKS[verdict]}")
        if g.fix:
            painter.setFont(ui.font(10.5, 600))
            painter.setPen(ui.colour("accent"))
            room = QRectF(0, ui.px(1), self.width() - left, ui.px(15))
            painter.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _FIX)
        painter.setFont(ui.font(13, 600))
        painter.setPen(ui.colour("ink" if verdict == "good" else colour))
        painter.drawText(QPointF(left, ui.px(28)), g.value)
        area = QRectF(left, ui.px(35), self.width() - 2 * left, ui.px(6))
        lo, hi = g.scale

        def x(value: float) -> float:
            return area.left() + min(1.0, max(0.0, (value - lo) / (hi - lo))) * area.width()

        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ui.colour("zone"))
        painter.drawRect(QRectF(x(g.zone[0]), area.top(), max(2.0, x(g.zone[1]) - x(g.zone[0])), area.height()))
        painter.setPen(QPen(ui.colour("ink_2"), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        for n in range(11):
            at = area.left() + n / 10 * area.width()
            painter.drawLine(QPointF(at, area.bottom()), QPointF(at, area.bottom() - (4 if n % 5 == 0 else 2)))
        if verdict == "unsure":
            return
        at, low = x(g.at), area.bottom() + 1
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ui.colour(colour))
        painter.drawPolygon(QPolygonF([QPointF(at, low), QPointF(at - 4, low + 7), QPointF(at + 4, low + 7)]))


class ReadinessRow(QWidget):
    """Follows the full-size measurement; pale until it is current."""

    export = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        named(self, "panel")
        self.setFixedHeight(ui.px(HEIGHT))
        row = self._row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(12), ui.px(4), ui.px(14), ui.px(4))
        row.setSpacing(ui.px(10))
        left = QVBoxLayout()
        left.setSpacing(ui.px(3))
        head = QHBoxLayout()
        head.addWidget(named(QLabel("READY FOR"), "caps"))
        head.addStretch(1)
        self.fix_all = named(QPushButton("Fix all"), "link")
        self.fix_all.setToolTip("Make every fix that helps, one after the other: one step back takes them all back")
        self.fix_all.clicked.connect(ui.pictures.fixing.fix_all)
        self.fix_all.hide()
        head.addWidget(self.fix_all)
        left.addLayout(head)
        self.destination = Choice(ui)
        self.destination.setFixedWidth(ui.px(220))
        self.destination.setAccessibleName("Ready for")
        ui.studio.destinations_changed.connect(self._offer)
        self._offer()
        self.destination.activated.connect(lambda place: self._ready_for(self.destination.itemData(place)))
        left.addWidget(self.destination)
        row.addLayout(left)
        middle = self._middle = QWidget()
        middle.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        middle.setMinimumWidth(ui.px(NARROW + 44))  # those that are shown do not push the others out
        self._gauges = QHBoxLayout(middle)
        self._gauges.setContentsMargins(0, 0, 0, 0)
        self._gauges.setSpacing(ui.px(6))
        self.more = named(QPushButton(), "link")
        self.more.setFixedWidth(ui.px(34))
        self.more.setToolTip("The other gauges")
        self.more.clicked.connect(lambda: self.more_menu().exec(self.more.mapToGlobal(self.more.rect().topLeft())))
        self._gauges.addWidget(self.more)
        row.addWidget(middle, 1)
        self.trouble = QLabel()
        self.trouble.setWordWrap(True)
        row.addWidget(self.trouble, 1)
        self.ways = QVBoxLayout()
        self.ways.setSpacing(0)
        self.raise_only = named(QPushButton("Keep only what raises"), "link")
        self.raise_only.setToolTip("Adds a Zero step: mid-grey becomes black, what cuts is left out")
        self.raise_only.clicked.connect(ui.studio.raise_only)
        self.cutting = named(QPushButton(), "link")
        self.cutting.clicked.connect(self._take_cutting)
        for way in (self.raise_only, self.cutting):
            self.ways.addWidget(way, 0, Qt.AlignmentFlag.AlignLeft)
            way.hide()
        row.addLayout(self.ways)
        self.verdict = QLabel()
        self.verdict.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.verdict.setTextFormat(Qt.TextFormat.RichText)
        row.addWidget(self.verdict)
        right = QVBoxLayout()
        right.setSpacing(ui.px(1))
        self.button = named(QPushButton("Export…"), "main")
        self.button.setFixedWidth(ui.px(EXPORT))
        self.button.setToolTip("Write the file for this destination (Ctrl+E)")
        self.button.clicked.connect(self.export)
        self.caption = named(QLabel(), "second")
        self.caption.setFixedWidth(ui.px(EXPORT))
        self.caption.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        right.addWidget(self.button)
        right.addWidget(self.caption)
        row.addLayout(right)
        self.views: dict[str, GaugeView] = {}
        ui.pictures.measured.connect(self._measured)
        ui.pictures.quick.connect(self._quick)
        ui.pictures.fixing.vetted.connect(self._vetted)
        ui.pictures.stale.connect(self._stale)
        ui.studio.project_changed.connect(self._caption)
        ui.studio.selection_changed.connect(self._caption)
        ui.studio.proof_changed.connect(self._caption)
        self._measured(None)

    def _offer(self) -> None:
        """The destinations there are, each with its purpose."""
        offered = self.ui.studio.destinations
        self.destination.offer([(d.id, d.name) for d in offered.values()])
        for n, d in enumerate(offered.values()):
            self.destination.setItemData(n, d.purpose, Qt.ItemDataRole.ToolTipRole)
        self.destination.setCurrentIndex(self.destination.findData(self.ui.studio.destination.id))

    def _measured(self, full: MeasuredPlate | None) -> None:
        trouble = full.trouble if full is not None else None
        self.trouble.setVisible(trouble is not None)
        self._middle.setVisible(trouble is None)
        # Where both ways out are offered as buttons, words need not name them too.
        words = f"{trouble.what}: {trouble.why}." if isinstance(trouble, CannotCut) else None
        self.trouble.setText(words or (trouble.sentence() if trouble is not None else ""))
        cuts, other = isinstance(trouble, CannotCut), self._that_cuts()
        self.raise_only.setVisible(cuts)
        self.cutting.setVisible(cuts and other is not None)
        self.cutting.setText(literal(f"Ready for {other.name}") if other is not None else "")
        self.trouble.setStyleSheet(f"color: {self.ui.theme.fault};")
        # A fix is offered once it has been tried.
        gauges = {g.id: replace(g, fix="") for g in full.gauges} if full is not None else {}
        self.fix_all.hide()
        self._count(list(gauges.values()))  # before gauges take the room that is left
        self._show(gauges)
        self.button.setEnabled(full is not None and trouble is None)
        self._caption()

    def _ready_for(self, id: str) -> None:
        plates = self.ui.besides.all
        self.ui.studio.set_destination(id, plates)
        if len(plates) > 1:
            name = self.ui.studio.destinations[id].name
            self.ui.studio.told.emit(f"The {len(plates)} chosen plates are made ready for {name}.", "good")

    def _that_cuts(self) -> Destination | None:
        """A destination for the same use that takes what cuts."""
        now = self.ui.studio.destination
        offered = self.ui.studio.destinations.values()
        return next((d for d in offered if d.zero == "mid" and d.kind == now.kind), None)

    def _take_cutting(self) -> None:
        other = self._that_cuts()
        if other is not None:
            self.ui.studio.set_destination(other.id)

    def _quick(self, full: MeasuredPlate) -> None:
        """The gauges that are measured at once; the others stay pale until they follow."""
        line = self.ui.studio.attempt(self.ui.studio.line)
        if line is None or line.keys[-1] != full.line.keys[-1]:
            return
        gauges = {g.id: replace(g, fix="") for g in full.gauges}
        if set(gauges) <= set(self.views):
            for id, gauge in gauges.items():
                self.views[id].show_gauge(gauge)
        else:
            self._show(gauges)
        self._arrange()

    def _vetted(self, gauges: Sequence[Gauge]) -> None:
        """The fixes have been tried: those that help are offered."""
        if [g.id for g in gauges] == list(self.views):
            for gauge in gauges:
                self.views[gauge.id].show_gauge(gauge)
            self.fix_all.setVisible(any(gauge.fix for gauge in gauges))
            self._arrange()

    def _show(self, gauges: dict[str, Gauge]) -> None:
        if list(gauges) != list(self.views):
            for view in self.views.values():
                self._gauges.removeWidget(view)
                take_out(view)
            self.views = {}
            for id, gauge in gauges.items():
                view = GaugeView(self.ui, gauge)
                view.pressed.connect(lambda v: self.gauge_menu(v.gauge).exec(v.mapToGlobal(v.rect().topLeft())))
                self._gauges.insertWidget(len(self.views), view)
                self.views[id] = view
        for id, gauge in gauges.items():
            self.views[id].show_gauge(gauge)
        self._arrange()

    def _arrange(self) -> None:
        """Where room is short, what is not good is shown first; the rest is behind a button."""
        self._row.activate()  # what stands beside the gauges has its room first
        room = self._middle.width() - self.ui.px(44)
        shown: set[GaugeView] = set()
        for view in sorted(self.views.values(), key=lambda v: v.gauge.verdict == "good"):
            room -= view.minimumWidth() + self._gauges.spacing()
            if room < 0 and shown:
                break
            shown.add(view)
        for view in self.views.values():
            view.setVisible(view in shown)
        left = len(self.views) - len(shown)
        self.more.setText(f"+{left}")
        self.more.setVisible(left > 0)

    def resizeEvent(self, event: QResizeEvent) -> None:
        wide = self.ui.px(EXPORT if self.width() >= self.ui.px(_NARROW) else _EXPORT_NARROW)
        for one in (self.button, self.caption):
            one.setFixedWidth(wide)
        self._caption()
        QTimer.singleShot(0, self, self._arrange)

    def more_menu(self) -> QMenu:
        """The gauges that have no room in the row."""
        menu = QMenu(self)
        for view in self.views.values():
            if view.isHidden():
                gauge = view.gauge
                menu.addMenu(self.gauge_menu(gauge, f"{_MARKS[gauge.verdict]}  {gauge.name}: {gauge.value}"))
        return menu

    def _count(self, gauges: list[Gauge]) -> None:
        counts, t = summary(gauges), self.ui.theme
        words = [
            f'<span style="color:{getattr(t, _COLOURS[v])}; font-weight:600">{mark} {counts[v]} {text}</span>'
            for v, text, mark in VERDICTS
            if counts[v]
        ]
        if len(words) > _LINES:  # what asks for nothing stands in one line
            words = [f"{words[0]}&nbsp;&nbsp; {words[-1]}", *words[1:-1]]
        self.verdict.setText("<br>".join(words))

    def _stale(self) -> None:
        for view in self.views.values():
            view.set_pale(True)

    def _caption(self) -> None:
        plate, to = self.ui.studio.plate, self.ui.studio.destination
        self.setEnabled(plate is not None)
        self.destination.setCurrentIndex(self.destination.findData(to.id))
        full = self.ui.pictures.full
        if plate is None:
            self.caption.setText("")
            self.button.setEnabled(False)
            return
        longer = max(full.result.facts.width, full.result.facts.height) if full is not None else 0
        side = f" · {longer}" if longer else ""
        name = f"{to.stem(file_stem(plate.name), longer or to.sizes.preferred)}{to.extension}"
        depth = "32-bit" if to.depth == "float" else f"{to.depth}-bit"
        text, metrics, room = f"{name} · {depth}{side}", self.caption.fontMetrics(), self.caption.maximumWidth()
        self.caption.setToolTip(text)
        # The side, which a gauge tells, and the depth go before the name is cut.
        said = first_that_fits(metrics, (text, f"{name} · {depth}", name), room)
        self.caption.setText(metrics.elidedText(said, Qt.TextElideMode.ElideMiddle, room))

    def gauge_menu(self, gauge: Gauge, title: str = "") -> QMenu:
        """What a gauge measures, why it matters, and what fixes it."""
        menu = QMenu(title, self)
        for text in (gauge.says, gauge.why):
            menu.addAction(text).setEnabled(False)
        menu.addSeparator()
        if gauge.fix:
            menu.addAction(label_of(gauge), lambda: self.ui.studio.fix(gauge))
        else:
            calm = gauge.verdict in ("good", "unsure")
            menu.addAction("Nothing to fix" if calm else "There is no fix at a press").setEnabled(False)
        return menu
