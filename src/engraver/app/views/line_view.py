"""The line of steps: cards with live thumbnails, pegged to a wire in the order in which they act."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QSize, Qt, Signal
from PySide6.QtGui import (
    QDragEnterEvent,
    QDropEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QWheelEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from engraver.core.recipe import Step, many
from engraver.core.recipe.first import FEW_LIGHT, LIGHT_MAY_BE_LOW
from engraver.core.sources.kind import read_as_words

from ..measuring import MeasuredPlate
from ..painting import picture_of
from ..theme.icons import pixmap
from ..ui import Ui, choice, named, take_out
from .card import CARD_DRAG, HEIGHT, STEP, WIRE, Card
from .goes_on import GoesOn


class _Wire(QWidget):
    """The strip behind the cards with the wire itself; cards can be dropped between cards."""

    dropped = Signal(str, int)

    def __init__(self, ui: Ui, line: LineView) -> None:
        super().__init__()
        self.ui, self.line = ui, line
        self._mark: int | None = None
        self.setAcceptDrops(True)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.ui.colour("ink"), 1.6))
        y = self.line.wire_y()
        painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
        if self._mark is not None:
            x = self._mark * self.ui.px(STEP) + self.ui.px(2)
            painter.setPen(QPen(self.ui.colour("accent"), 3))
            painter.drawLine(QPointF(x, self.ui.px(22)), QPointF(x, self.height() - self.ui.px(8)))

    def _gap(self, x: float) -> int:
        return max(1, min(round(x / self.ui.px(STEP)), self.line.count()))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(CARD_DRAG):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDropEvent) -> None:
        if event.mimeData().hasFormat(CARD_DRAG):
            self._mark = self._gap(event.position().x())
            self.update()
            event.acceptProposedAction()

    def dragLeaveEvent(self, event: object) -> None:
        self._mark = None
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        self._mark = None
        self.update()
        uid = bytes(event.mimeData().data(CARD_DRAG).data()).decode()
        self.dropped.emit(uid, self._gap(event.position().x()))
        event.acceptProposedAction()


class LineView(QWidget):
    """The chip, the wire with its cards, and *Add step*."""

    add_step = Signal()
    use_on_more = Signal()
    only_here = Signal(str, bool)
    read_as = Signal(str)

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        named(self, "panel")
        self.setFixedHeight(ui.px(HEIGHT))
        row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(10), 0, ui.px(10), 0)
        row.setSpacing(ui.px(8))
        left = QVBoxLayout()
        left.addStretch(1)
        self.chip = QPushButton()
        self.chip.setFixedSize(ui.px(130), ui.px(74))
        words = QVBoxLayout(self.chip)
        words.setContentsMargins(ui.px(9), ui.px(5), ui.px(6), ui.px(5))
        words.setSpacing(0)
        self.chip_words = QLabel()
        self.chip_words.setStyleSheet("font-weight: 600;")
        self.chip_words.setWordWrap(True)
        for label in (named(QLabel("Read as"), "second"), self.chip_words):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            words.addWidget(label)
        self.chip_shared = named(QLabel(), "second")
        self.chip_shared.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        words.addWidget(self.chip_shared)
        self.chip.setToolTip("What the source was read as. Press to read it as something else.")
        self.chip.clicked.connect(self._read_as_menu)
        left.addWidget(self.chip)
        self.doubt = named(QPushButton("Raised or cut?"), "link")
        self.doubt.setToolTip(
            "What is light are thin lines between wide dark parts. If they are joints they should lie low:"
            " press to turn the relief over. (Shift+P)"
        )
        self.doubt.clicked.connect(ui.studio.turn_over)
        self.doubt.hide()
        left.addWidget(self.doubt, 0, Qt.AlignmentFlag.AlignHCenter)
        left.addStretch(1)
        row.addLayout(left)
        self.wire = _Wire(ui, self)
        self.wire.dropped.connect(self._dropped)
        self.cards: list[Card] = []
        self.area = QScrollArea()
        self.area.setWidget(self.wire)
        self.area.setWidgetResizable(False)
        self.area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.viewport().setAutoFillBackground(False)
        self.wire.setAutoFillBackground(False)
        row.addWidget(self.area, 1)
        self.ends = GoesOn(ui, self.area, ui.px(STEP), self.count, self.wire_y(), "step")
        self.add = QPushButton("Add step")
        self.add.setIcon(pixmap("add", ui.theme.ink, ui.px(18), 2.0))
        self.add.setFixedHeight(ui.px(52))
        self.add.setToolTip("Add a step; it goes where it belongs in the order of work.")
        self.add.clicked.connect(self.add_step)
        right = QVBoxLayout()
        right.setSpacing(ui.px(6))
        right.addStretch(1)
        right.addWidget(self.add)
        self.more = QPushButton("Use on more…")
        self.more.setStyleSheet("padding: 4px 6px;")
        self.more.setToolTip("Let other plates follow this line: they change together. (U)")
        self.more.clicked.connect(self.use_on_more)
        right.addWidget(self.more)
        right.addStretch(1)
        row.addLayout(right)
        self._plate: str | None = None
        self._thumbs: dict[str, QPixmap] = {}
        ui.studio.project_changed.connect(self.follow)
        ui.studio.selection_changed.connect(self._chosen)
        ui.pictures.thumbs.connect(self._thumbed)
        ui.pictures.failed.connect(self._failed)
        ui.pictures.measured.connect(self._measured)
        self.follow()

    def wire_y(self) -> int:
        return self.ui.px(WIRE)

    def count(self) -> int:
        """Cards on the wire, the source among them."""
        return len(self.cards)

    def _measured(self, full: MeasuredPlate | None) -> None:
        """Whether light stands up or lies low is asked where it cannot be told from the picture."""
        plate = self.ui.studio.plate
        asked = plate is not None and plate.read_as in LIGHT_MAY_BE_LOW
        light = next((g.numbers["light"] for g in full.gauges if g.id == "polarity"), 0.5) if full else 0.5
        self.doubt.setVisible(asked and light < FEW_LIGHT)

    def follow(self) -> None:
        """Make the cards match the line; cards of steps that stay are kept."""
        studio = self.ui.studio
        plate = studio.plate
        self._plate = studio.plate_id
        self.add.setEnabled(plate is not None)
        self.more.setEnabled(plate is not None)
        self.chip.setVisible(plate is not None)
        line = studio.attempt(studio.line) if plate is not None else None
        wanted: list[tuple[str, Step | None]] = []
        shared: Mapping[str, bool] = {}
        if plate is not None:
            steps = line.steps if line is not None else studio.steps
            wanted = [("", None), *((s.uid, s) for s in steps)]
            words = read_as_words(studio.source(plate)[1], plate)
            self.chip_words.setText(f"{words}\u00a0▾")
            count = len(many.sharing(studio.project, plate.id))
            self.chip_shared.setText(f"shared by {count} plates" if count > 1 else "its own recipe")
            shared = many.own_values(studio.project, plate.id) if count > 1 else {}
            self.chip.setAccessibleName(f"Read as {words}")
        old = {card.uid: card for card in self.cards}
        cards, group = [], ""
        for uid, step in wanted:
            card = old.pop(uid, None) or self._card(uid)
            card.picture = self._thumbs.get(uid, card.picture)
            now = "source" if step is None else step.declared.group
            card.show_step(step, now if now != group else "", only_here=shared.get(uid, False))
            group = now
            cards.append(card)
        self.cards = cards
        for n, card in enumerate(cards):
            card.move(n * self.ui.px(STEP), 0)
            card.setVisible(True)
        heir = next((card for card in cards if card.chosen), None)
        for card in old.values():
            take_out(card, heir)
        self.wire.resize(max(len(cards) * self.ui.px(STEP) + self.ui.px(6), self.area.width()), self.ui.px(HEIGHT))
        self._selected()
        self.ends.follow()

    def _card(self, uid: str) -> Card:
        card = Card(self.ui, self.wire, uid)
        card.shifted.connect(self.shift)
        card.walked.connect(partial(self.step_focus, card))
        card.kept_here.connect(self.only_here)
        return card

    def _chosen(self) -> None:
        """Another step, or another plate with a line of its own."""
        if self._plate != self.ui.studio.plate_id:
            self.follow()
        else:
            self._selected()

    def _selected(self) -> None:
        for card in self.cards:
            card.show_chosen()
            if card.chosen:
                self.area.ensureWidgetVisible(card, self.ui.px(30), 0)

    def _thumbed(self, found: dict[str, np.ndarray]) -> None:
        self._thumbs = {uid: QPixmap.fromImage(picture_of(array)) for uid, array in found.items()}
        for card in self.cards:
            card.picture = self._thumbs.get(card.uid, card.picture)
            card.update()

    def _failed(self, uid: str, sentence: str) -> None:
        for card in self.cards:
            mine = uid == card.uid or (uid == "source" and card.uid == "")
            card.show_step(card.step, card.group, sentence if mine else "")

    def shift(self, uid: str, by: int) -> None:
        """Move a step one place earlier or later."""
        uids = [s.uid for s in self.ui.studio.steps]
        if uid in uids:
            place = uids.index(uid) + by
            if 0 <= place < len(uids):
                self.ui.studio.move_step(uid, place)

    def _dropped(self, uid: str, gap: int) -> None:
        # Gaps are counted among all cards; the model counts the recipe's own steps, without the one moved.
        before = [c.uid for c in self.cards[1:gap] if not c.inserted and c.uid != uid]
        self.ui.studio.move_step(uid, len(before))

    def step_focus(self, card: Card, by: int) -> None:
        place = self.cards.index(card) + by
        if 0 <= place < len(self.cards):
            self.cards[place].setFocus()
            self.ui.studio.choose_step(self.cards[place].uid)

    def _read_as_menu(self) -> None:
        menu = self.read_as_menu()
        menu.exec(self.chip.mapToGlobal(QPoint(0, 0)) - QPoint(0, menu.sizeHint().height()))

    def read_as_menu(self) -> QMenu:
        """What the source can be read as."""
        menu = QMenu(self)
        plate = self.ui.studio.plate
        kinds = self.ui.studio.source(plate)[1].read_as if plate is not None else {}
        for what, words in kinds.items():
            now = plate is not None and what == plate.read_as
            choice(menu, words, partial(self.read_as.emit, what), now=now)
        return menu

    def wheelEvent(self, event: QWheelEvent) -> None:
        bar = self.area.horizontalScrollBar()
        bar.setValue(bar.value() - event.angleDelta().y() - event.angleDelta().x())

    def sizeHint(self) -> QSize:
        return QSize(800, self.ui.px(HEIGHT))

    def resizeEvent(self, event: object) -> None:
        self.wire.resize(max(len(self.cards) * self.ui.px(STEP) + 6, self.area.width()), self.ui.px(HEIGHT))
