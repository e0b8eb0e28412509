"""The string: a bead for every gesture, in the order in which they act."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
)
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from engraver.core.pressing.gesture import Gesture

from ..painting import picture_of
from ..theme.icons import pixmap
from ..ui import Ui, named, scrolled

HEIGHT = 92
_NO_BEADS = "Press on the surface: every gesture becomes a bead here, to be chosen, changed, moved or taken out."
_BEAD, _APART = 40, 54


class Beads(QWidget):
    """Beads on a string: pressed they are chosen, dragged they change places, Delete takes one out."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self._pictures: dict[str, QPixmap] = {}
        self._held, self._from, self._to = "", QPointF(), QPointF()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Gestures in order")
        self.setMouseTracking(True)
        ui.trials.changed.connect(self.follow)
        ui.pictures.tray.came.connect(self._thumbed)
        self._thumbed(ui.pictures.tray.pictures)
        self.follow()

    @property
    def gestures(self) -> tuple[Gesture, ...]:
        return self.ui.trials.trial.gestures

    def follow(self) -> None:
        """Follow the trial."""
        self.setMinimumWidth(self.ui.px(_APART) * max(1, len(self.gestures)) + self.ui.px(20))
        self.update()

    def _thumbed(self, found: dict[str, np.ndarray | None]) -> None:
        for id, array in found.items():
            if array is not None:
                self._pictures[id] = QPixmap.fromImage(picture_of(array))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(self.minimumWidth(), self.ui.px(62))

    def spot(self, n: int) -> QPointF:
        """The middle of the bead at a place."""
        return QPointF(self.ui.px(12) + (n + 0.5) * self.ui.px(_APART), self.height() / 2 - self.ui.px(4))

    def place_at(self, at: QPointF) -> int:
        """The place of the bead under a spot; -1 beside them."""
        n = int((at.x() - self.ui.px(12)) // self.ui.px(_APART))
        near = 0 <= n < len(self.gestures) and abs(at.y() - self.spot(n).y()) <= self.ui.px(_BEAD)
        return n if near else -1

    # -- hands -----------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        n = self.place_at(event.position())
        if event.button() == Qt.MouseButton.LeftButton:
            self.ui.trials.choose(self.gestures[n].uid if n >= 0 else "")
            self._held = self.gestures[n].uid if n >= 0 else ""
            self._from = self._to = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        n = self.place_at(event.position())
        self.setToolTip(self._words(self.gestures[n]) if n >= 0 else "")
        if self._held:
            self._to = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, self._held = self._held, ""
        if held and abs(event.position().x() - self._from.x()) > self.ui.px(_APART) / 2:
            n = round((event.position().x() - self.ui.px(12)) / self.ui.px(_APART) - 0.5)
            self.ui.trials.move(held, min(max(n, 0), len(self.gestures) - 1))
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        n = self.place_at(QPointF(event.pos()))
        if n >= 0:
            self.menu(n).exec(event.globalPos())

    def menu(self, n: int) -> QMenu:
        """What can be done with a bead; it is chosen first."""
        active, gesture = self.ui.trials, self.gestures[n]
        active.choose(gesture.uid)
        menu = QMenu(self)
        word = "Leave out for now" if gesture.on else "Bring back in"
        menu.addAction(word, partial(active.set_gesture, word, on=not gesture.on))
        menu.addAction("Earlier", partial(active.move, gesture.uid, max(0, n - 1)))
        menu.addAction("Later", partial(active.move, gesture.uid, n + 1))
        menu.addAction("Remove", partial(active.remove, gesture.uid))
        return menu

    def keyPressEvent(self, event: QKeyEvent) -> None:
        active, gestures = self.ui.trials, self.gestures
        now = next((n for n, g in enumerate(gestures) if g.uid == active.chosen), -1)
        key, alt = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key), 0)
        if by and alt and now >= 0:
            active.move(gestures[now].uid, min(max(now + by, 0), len(gestures) - 1))
        elif by and gestures:
            active.choose(gestures[min(max(now + by, 0), len(gestures) - 1)].uid)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and now >= 0:
            active.remove(gestures[now].uid)
        elif key == Qt.Key.Key_Escape:
            active.choose("")
        else:
            super().keyPressEvent(event)

    # -- painting ----------------------------------------------------------------------

    def _plate_name(self, gesture: Gesture) -> str:
        known = {p.id: p.name for p in self.ui.studio.project.plates}
        return known.get(gesture.plate, "a plate that is gone") if gesture.plate else ""

    def _words(self, gesture: Gesture) -> str:
        said = [gesture.declared.name, self._plate_name(gesture), "" if gesture.on else "left out"]
        said += ["mirrored" if gesture.mirror else "", f"{gesture.arms} arms" if gesture.arms > 1 else ""]
        return " · ".join(w for w in said if w)

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        gestures = self.gestures
        painter.setPen(QPen(ui.colour("ink_2"), 1.2))
        # Without beads the string hangs low: what is said over it has room for a second row.
        middle = self.spot(0).y() if gestures else self.height() - ui.px(20)
        painter.drawLine(QPointF(0, middle), QPointF(self.width(), middle))
        if not gestures:
            painter.setFont(ui.font(12))
            room = QRectF(ui.px(12), 0, self.width() - ui.px(24), middle - ui.px(6))
            where = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap
            painter.drawText(room, where, _NO_BEADS)
        for n, gesture in enumerate(gestures):
            self._paint_bead(painter, self.spot(n), n, gesture)
        if self._held:
            moved = self._to - self._from
            if abs(moved.x()) > 6:
                painter.setPen(QPen(ui.colour("accent"), 2))
                x = self._to.x()
                painter.drawLine(QPointF(x, middle - ui.px(24)), QPointF(x, middle + ui.px(24)))
        if self.hasFocus() and gestures:
            painter.setPen(QPen(ui.colour("accent"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)

    def _paint_bead(self, painter: QPainter, at: QPointF, n: int, gesture: Gesture) -> None:
        ui, chosen = self.ui, self.ui.trials.chosen == gesture.uid
        radius = ui.px(_BEAD) / 2
        painter.setOpacity(1.0 if gesture.on else 0.4)
        painter.setPen(QPen(ui.colour("accent" if chosen else "line"), 2.4 if chosen else 1.2))
        painter.setBrush(ui.colour("well" if gesture.plate else "card"))
        painter.drawEllipse(at, radius, radius)
        picture = self._pictures.get(gesture.plate)
        if picture is not None:
            path = QPainterPath()
            path.addEllipse(at, radius - 2, radius - 2)
            painter.save()
            painter.setClipPath(path)
            side = 2 * radius
            painter.drawPixmap(QRectF(at.x() - radius, at.y() - radius, side, side), picture, QRectF(picture.rect()))
            painter.restore()
        elif gesture.plate:
            painter.drawPixmap((at - QPointF(8, 8)).toPoint(), pixmap("warn", ui.theme.look, 16, 2.0))
        else:
            side = ui.px(20)
            drawn = pixmap(gesture.declared.icon, ui.theme.ink, side, 2.0)
            painter.drawPixmap((at - QPointF(side / 2, side / 2)).toPoint(), drawn)
        painter.setPen(ui.colour("accent" if chosen else "ink_2"))
        painter.setFont(ui.font(10, 600 if chosen else 400))
        room = QRectF(at.x() - ui.px(_APART) / 2, at.y() + radius + 1, ui.px(_APART), ui.px(14))
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, f"{n + 1} {gesture.declared.name.split()[0].lower()}")
        painter.setOpacity(1.0)


class StringView(QWidget):
    """The beads, and at their end what becomes of the whole."""

    make_plate = Signal()
    export = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        named(self, "panel")
        self.setFixedHeight(ui.px(HEIGHT))
        row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(10), ui.px(6), ui.px(12), ui.px(6))
        row.setSpacing(ui.px(10))
        left = QVBoxLayout()
        left.setSpacing(0)
        self.count = named(QLabel(), "caps")
        left.addWidget(self.count)
        self.beads = Beads(ui)
        self.area = scrolled(self.beads, across=True)
        left.addWidget(self.area, 1)
        row.addLayout(left, 1)
        self.wipe = QPushButton("Wipe")
        self.wipe.setToolTip("Take everything off; one undo brings it back (W)")
        self.wipe.clicked.connect(lambda: ui.trials.wipe())
        row.addWidget(self.wipe)
        self.more = QPushButton("Save as…")
        self.more.setToolTip("Write the surface as a mesh, or as a picture with clear ground")
        self.more.clicked.connect(self.export)
        row.addWidget(self.more)
        self.made = named(QPushButton("Make a plate of this"), "main")
        self.made.setToolTip("A new plate whose source is this trial, live (Ctrl+Return)")
        self.made.clicked.connect(self.make_plate)
        row.addWidget(self.made)
        ui.trials.changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Show what there is."""
        gestures = self.ui.trials.trial.gestures
        count = len(gestures)
        self.count.setText("GESTURES" if not count else f"GESTURES  ·  {count}")
        for button in (self.wipe, self.more, self.made):
            button.setEnabled(bool(count))
        chosen = next((n for n, g in enumerate(gestures) if g.uid == self.ui.trials.chosen), count - 1)
        if chosen >= 0:
            at = self.beads.spot(chosen)
            self.area.ensureVisible(int(at.x()), int(at.y()), self.ui.px(_APART), 0)
