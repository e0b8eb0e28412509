"""The contact sheet as one works on it: pages as they are printed, names to type over, marks of readiness."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QTextOption,
)
from PySide6.QtWidgets import QAbstractScrollArea, QApplication, QFrame, QLineEdit

from engraver.core import limits
from engraver.core.pack import Piece
from engraver.core.pack.sheet import (
    ACROSS,
    CELL_TALL,
    CELL_WIDE,
    HEAD,
    MARGIN,
    PER_PAGE,
    PICTURE,
    TALL,
    WIDE,
    lit_cast,
)

from ..active_pack import ActivePack
from ..painting import picture_of
from ..ui import Ui, short_name
from .plate_item import PlateItem

# Paper and ink of what is printed, in both looks.
PAPER, INK, INK_2, LINE = "#FDFCFA", "#1F2430", "#5C6170", "#C8BEAE"
MARKS = {"good": ("✓", "#23695E"), "unsure": ("✓", "#23695E"), "look": ("!", "#855605"), "fault": ("✕", "#A3303A")}
_BETWEEN, _LINE_TALL, _READ_ME_LINES = 18, 12.0, 60


class PackSheet(QAbstractScrollArea):
    """Draws the pages in sight. A press chooses, one on a name types over it, a drag puts a piece elsewhere.

    Signals
    -------
    menu_for(id, place)
    """

    menu_for = Signal(str, object)

    def __init__(self, ui: Ui, active: ActivePack) -> None:
        super().__init__()
        self.ui, self.active = ui, active
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.viewport().setAcceptDrops(True)
        self.setAccessibleName("The pack's contact sheet")
        self.read_me: list[str] = []
        self._casts: dict[str, tuple[str, QPixmap]] = {}
        self._pressed: QPointF | None = None
        self._moving, self._target = False, -1
        self.editor = QLineEdit(self.viewport())
        self.editor.setMaxLength(limits.NAME)
        self.editor.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.editor.hide()
        self.editor.editingFinished.connect(self._named)
        self._edited = ""
        active.changed.connect(self.follow)
        active.measured.connect(self.viewport().update)
        active.chosen_changed.connect(self.viewport().update)
        self.follow()

    # -- places --------------------------------------------------------------------

    @property
    def pieces(self) -> tuple[Piece, ...]:
        return self.active.planned.pieces

    @property
    def scale(self) -> float:
        """Pixels of the window for a point of the page."""
        room = self.viewport().width() - 2 * self.ui.px(_BETWEEN)
        return min(1.6 * self.ui.scale, max(0.5, room / WIDE))

    @property
    def pages(self) -> int:
        """Pages of pieces; the read-me has one more."""
        return max(1, -(-len(self.pieces) // PER_PAGE))

    def page_rect(self, n: int) -> QRectF:
        """A page in sight."""
        wide, tall, gap = WIDE * self.scale, TALL * self.scale, self.ui.px(_BETWEEN)
        left = (self.viewport().width() - wide) / 2
        return QRectF(left, gap + n * (tall + gap) - self.verticalScrollBar().value(), wide, tall)

    def cell(self, n: int) -> QRectF:
        """A piece's cell in sight, by its number."""
        page, place = divmod(n, PER_PAGE)
        row, column = divmod(place, ACROSS)
        on, s = self.page_rect(page), self.scale
        return QRectF(on.left() + (MARGIN + column * CELL_WIDE) * s, on.top() + (MARGIN + HEAD + row * CELL_TALL) * s,
                      CELL_WIDE * s, CELL_TALL * s)  # fmt: skip

    def name_rect(self, n: int) -> QRectF:
        """Where a piece's name stands."""
        cell, s = self.cell(n), self.scale
        return QRectF(cell.left() + 3 * s, cell.top() + (PICTURE + 2) * s, cell.width() - 6 * s, 13 * s)

    def at(self, spot: QPointF) -> int:
        """The number of the piece at a place; -1 for none."""
        return next((n for n in self._in_sight() if self.cell(n).contains(spot)), -1)

    def _in_sight(self) -> Iterator[int]:
        seen = QRectF(self.viewport().rect())
        for page in range(self.pages):
            if self.page_rect(page).intersects(seen):
                yield from range(page * PER_PAGE, min(len(self.pieces), (page + 1) * PER_PAGE))

    def follow(self) -> None:
        """As many pages as there are."""
        gap = self.ui.px(_BETWEEN)
        tall = (self.pages + 1) * (TALL * self.scale + gap) + gap
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, round(tall - self.viewport().height())))
        bar.setPageStep(self.viewport().height())
        bar.setSingleStep(self.ui.px(60))
        known = {piece.id for piece in self.pieces}
        self._casts = {id: one for id, one in self._casts.items() if id in known}
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.editor.hide()
        self.follow()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self.editor.hide()
        self.viewport().update()

    # -- drawing -------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.viewport().rect(), self.ui.colour("well"))
        for page in range(self.pages + 1):
            on = self.page_rect(page)
            if on.intersects(QRectF(self.viewport().rect())):
                self._page(painter, on, page)
        for n in self._in_sight():
            self._piece(painter, n)
        if self._moving and self._target >= 0:
            at = self.cell(min(self._target, len(self.pieces) - 1))
            x = at.left() if self._target < len(self.pieces) else at.right()
            painter.setPen(QPen(self.ui.colour("accent"), 3))
            painter.drawLine(QPointF(x, at.top()), QPointF(x, at.top() + PICTURE * self.scale))

    def _page(self, painter: QPainter, on: QRectF, page: int) -> None:
        s, pack, last = self.scale, self.active.pack, page == self.pages
        painter.setPen(QPen(self.ui.colour("line"), 1))
        painter.setBrush(PAPER)
        painter.drawRect(on)
        title = pack.name or self.active.studio.project.name
        number = "read-me" if last else f"{page + 1} of {self.pages}"
        self._text(painter, on.left() + MARGIN * s, on.top() + (MARGIN + 16) * s, title, 18, 600, INK)
        uses = ", ".join(to.name for to in self.active.planned.destinations)
        below = " · ".join(part for part in (pack.author, pack.licence, uses) if part)
        room = (WIDE - 2 * MARGIN - 60) * s
        self._text(painter, on.left() + MARGIN * s, on.top() + (MARGIN + 32) * s, below, 9, 400, INK_2, room)
        painter.setFont(self._font(9, 400))
        wide = painter.fontMetrics().horizontalAdvance(number)
        right = on.right() - MARGIN * s
        self._text(painter, right - wide, on.top() + (MARGIN + 16) * s, number, 9, 400, INK_2)
        painter.setPen(QPen(QColor(LINE), max(1.0, 0.6 * s)))
        y = on.top() + (MARGIN + 42) * s
        painter.drawLine(QPointF(on.left() + MARGIN * s, y), QPointF(right, y))
        if last:
            top = on.top() + (MARGIN + HEAD + 4) * s
            for n, line in enumerate(self.read_me[:_READ_ME_LINES]):
                indent = len(line) - len(line.lstrip())
                x = on.left() + (MARGIN + 4 * indent) * s
                self._text(painter, x, top + _LINE_TALL * n * s, line.strip(), 8, 400, INK,
                           right - x)  # fmt: skip
        elif not self.pieces:
            words = "Plates and brushes of this project go here: double-click one at the left, or add all."
            painter.setFont(self._font(11, 400))
            painter.setPen(INK_2)
            below_head = on.adjusted(MARGIN * s, (MARGIN + HEAD + 40) * s, -MARGIN * s, 0)
            painter.drawText(below_head, words, QTextOption(Qt.AlignmentFlag.AlignHCenter))

    def _font(self, points: float, weight: int) -> QFont:
        return self.ui.font(points * self.scale / self.ui.scale, weight)

    def _text(
        self, painter: QPainter, x: float, y: float, words: str, points: float, weight: int, colour: str,
        room: float = 0.0,
    ) -> None:  # fmt: skip
        painter.setFont(self._font(points, weight))
        painter.setPen(colour)
        if room:
            words = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(QPointF(x, y), words)

    def _piece(self, painter: QPainter, n: int) -> None:
        piece, cell, s = self.pieces[n], self.cell(n), self.scale
        out = not self.active.planned.uses_of(piece) and bool(self.active.planned.destinations)
        picture = QRectF(cell.left() + (cell.width() - PICTURE * s) / 2, cell.top(), PICTURE * s, PICTURE * s)
        painter.setOpacity(0.35 if out else 1.0)
        shown = self._cast(piece)
        if shown is None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush("#E4E0D8")
            painter.drawRect(picture)
        else:
            size = shown.size().scaled(picture.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRectF(0, 0, size.width(), size.height())
            place.moveCenter(picture.center())
            painter.drawPixmap(place, shown, QRectF(shown.rect()))
        painter.setFont(self._font(8.5, 600))
        painter.setPen(INK)
        name = short_name(painter.fontMetrics(), piece.name, int(cell.width() - 8 * s))
        painter.drawText(self.name_rect(n), Qt.AlignmentFlag.AlignCenter, name)
        painter.setOpacity(1.0)
        self._marks(painter, piece, cell)
        if piece.id in self.active.chosen:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor("#9A4420"), 2.4))
            out_by = max(1.5, 2.2 * s)
            painter.drawRect(picture.adjusted(-out_by, -out_by, out_by, out_by))

    def _marks(self, painter: QPainter, piece: Piece, cell: QRectF) -> None:
        """For each destination a tick, a word's mark, or that it stays out."""
        s, uses = self.scale, self.active.planned.destinations
        painter.setFont(self._font(8, 600))
        wide = 15 * s
        left = cell.center().x() - wide * len(uses) / 2
        for n, to in enumerate(uses):
            ready = self.active.readiness(piece, to)
            if not piece.goes_to(to.id):
                mark, colour = "–", INK_2
            elif ready is None:
                mark, colour = "·", INK_2
            else:
                mark, colour = MARKS[ready.verdict]
            painter.setPen(colour)
            place = QRectF(left + n * wide, cell.top() + (PICTURE + 15) * s, wide, 12 * s)
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, mark)

    def _cast(self, piece: Piece) -> QPixmap | None:
        seen = self.active.seen(piece)
        if seen is None:
            return None
        known = self._casts.get(piece.id)
        if known is None or known[0] != seen.key:
            rgb = np.ascontiguousarray(lit_cast(seen.cast)[..., ::-1])
            known = self._casts[piece.id] = seen.key, QPixmap.fromImage(picture_of(rgb))
        return known[1]

    # -- the hand ------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        n = self.at(event.position())
        more = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        id = self.pieces[n].id if n >= 0 else ""
        if more and id:
            chosen = self.active.chosen
            self.active.choose(tuple(c for c in chosen if c != id) if id in chosen else (*chosen, id))
        else:
            self.active.choose((id,) if id else ())
        self._pressed = event.position() if n >= 0 else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        if (event.position() - self._pressed).manhattanLength() >= QApplication.startDragDistance():
            self._moving = True
            self._target = self._place_for(event.position())
            self.viewport().update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        moving, pressed, self._moving, self._pressed = self._moving, self._pressed, False, None
        if moving and self.active.chosen and self._target >= 0:
            id = self.active.chosen[-1]
            here = [p.id for p in self.pieces].index(id)
            place = self._target - (1 if here < self._target else 0)
            self.active.put(self.active.pack.moved(id, place), "Move a piece of the pack")
        elif pressed is not None:
            n = self.at(pressed)
            if n >= 0 and self.name_rect(n).contains(pressed):
                self.type_over(n)
        self.viewport().update()

    def _place_for(self, spot: QPointF) -> int:
        """Before which piece something would be put."""
        n = self.at(spot)
        if n < 0:
            return len(self.pieces)
        return n + (spot.x() > self.cell(n).center().x())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        n = self.at(event.position())
        if n >= 0:
            self.type_over(n)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        n = self.at(QPointF(event.pos()))
        if n >= 0:
            if self.pieces[n].id not in self.active.chosen:
                self.active.choose((self.pieces[n].id,))
            self.menu_for.emit(self.pieces[n].id, event.globalPos())

    def type_over(self, n: int) -> None:
        """Type another name over a piece's."""
        self._edited = self.pieces[n].id
        place = self.name_rect(n).toRect().adjusted(0, -3, 0, 4)
        self.editor.setGeometry(place)
        self.editor.setFont(self._font(8.5, 600))
        self.editor.setStyleSheet(f"background: white; color: {INK}; border: 1px solid #9A4420; padding: 0;")
        self.editor.setText(self.pieces[n].name)
        self.editor.show()
        self.editor.setFocus()
        self.editor.selectAll()

    def name_chosen(self) -> None:
        """The name of the piece chosen last is typed over."""
        here = self._here()
        if here >= 0:
            self._show(here)
            self.type_over(here)

    def _here(self) -> int:
        """The place of the piece chosen last, -1 for none."""
        ids = [p.id for p in self.pieces]
        return ids.index(self.active.chosen[-1]) if self.active.chosen and self.active.chosen[-1] in ids else -1

    def _named(self) -> None:
        if not self.editor.isVisible():
            return
        self.editor.hide()
        self.setFocus()
        name, piece = self.editor.text().strip(), next((p for p in self.pieces if p.id == self._edited), None)
        if piece is not None and name != piece.name:
            self.active.put(self.active.pack.but(piece.id, name=name), "Rename in the pack")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        moves = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -ACROSS, Qt.Key.Key_Down: ACROSS}
        key, ids, here = Qt.Key(event.key()), [p.id for p in self.pieces], self._here()
        if key in moves and ids:
            n = min(len(ids) - 1, max(0, here + moves[key])) if here >= 0 else 0
            if event.modifiers() & Qt.KeyboardModifier.AltModifier and here >= 0:
                self.active.put(self.active.pack.moved(ids[here], n), "Move a piece of the pack")
            else:
                self.active.choose((ids[n],))
            self._show(n)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.name_chosen()
        elif key == Qt.Key.Key_A and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.active.choose(tuple(ids))
        else:
            super().keyPressEvent(event)

    def _show(self, n: int) -> None:
        cell, bar = self.cell(n), self.verticalScrollBar()
        if cell.top() < 0:
            bar.setValue(round(bar.value() + cell.top() - self.ui.px(_BETWEEN)))
        elif cell.bottom() > self.viewport().height():
            bar.setValue(round(bar.value() + cell.bottom() - self.viewport().height() + self.ui.px(_BETWEEN)))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if isinstance(event.source(), PlateItem):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragEnterEvent) -> None:  # type: ignore[override]
        event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        source = event.source()
        if isinstance(source, PlateItem):
            event.acceptProposedAction()
            self.active.add((source.plate.id,))
