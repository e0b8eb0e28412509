"""At the pack's right: how ready the chosen piece is for each use; what the pack is called and says; its icons."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from engraver.core import limits
from engraver.core.errors import EngraverError
from engraver.core.files.naming import WORDS
from engraver.core.pack import Piece
from engraver.core.proof.icon import KINDS
from engraver.core.recipe.pack import MOST_WORDS

from ..active_pack import ActivePack
from ..editors.notes import Notes
from ..editors.rows import Choice
from ..painting import clear_picture_of
from ..ui import Ui, emptied, named, scrolled
from .pack_sheet import MARKS

WIDTH = 278
_SIDES = (32, 64, 128, 256, 512)


class PackPanel(QWidget):
    """Follows the pack; what is typed is an entry of the history when it is left."""

    def __init__(self, ui: Ui, active: ActivePack) -> None:
        super().__init__()
        self.ui, self.active = ui, active
        named(self, "panel")
        self.setFixedWidth(ui.px(WIDTH))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.setContentsMargins(ui.px(12), ui.px(8), ui.px(12), ui.px(10))
        box.setSpacing(ui.px(6))
        outer.addWidget(scrolled(inside))
        box.addWidget(named(QLabel("THE CHOSEN PIECE"), "caps"))
        self.piece = QLabel()
        self.piece.setStyleSheet("font-weight: 600;")
        self.piece.setTextFormat(Qt.TextFormat.PlainText)
        self.piece.setWordWrap(True)
        box.addWidget(self.piece)
        self.ready = QVBoxLayout()
        self.ready.setSpacing(ui.px(4))
        box.addLayout(self.ready)
        self._icon_box = QHBoxLayout()
        self.icons = [QLabel() for _ in range(3)]
        for label in self.icons:
            self._icon_box.addWidget(label, 0, Qt.AlignmentFlag.AlignBottom)
        self._icon_box.addStretch(1)
        box.addLayout(self._icon_box)
        line = named(QLabel("THE PACK"), "caps")
        line.setContentsMargins(0, ui.px(8), 0, 0)
        box.addWidget(line)
        grid = QGridLayout()
        grid.setSpacing(ui.px(6))
        self.fields: dict[str, QLineEdit] = {}
        for n, (name, words, hint, most) in enumerate((
            ("name", "Name", "The project's name", limits.NAME), ("author", "Author", "Who made it", limits.NAME),
            ("licence", "Licence", "What may be done with it", limits.NAME),
            ("pattern", "Names", " · ".join(f"{w}: {t}" for w, t in WORDS.items()), 80),
            ("prefix", "Prefix", "For {prefix}", 40),
        )):  # fmt: skip
            field = self.fields[name] = QLineEdit()
            field.setMaxLength(most)
            field.setAccessibleName(words)
            field.setToolTip(hint)
            if name != "pattern":
                field.setPlaceholderText(hint)
            field.editingFinished.connect(partial(self._typed, name))
            grid.addWidget(named(QLabel(words), "second"), n, 0)
            grid.addWidget(field, n, 1)
        self.about = Notes()
        self.about.setFixedHeight(ui.px(64))
        self.about.setAccessibleName("A few words for the read-me")
        self.about.setPlaceholderText("A few words for the read-me")
        self.about.left.connect(self._about)
        grid.addWidget(named(QLabel("Words"), "second"), 5, 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(self.about, 5, 1)
        self.kind = Choice(ui)
        self.kind.setAccessibleName("What icons show")
        self.kind.offer([*KINDS.items()])
        self.kind.activated.connect(lambda n: self.active.set("Other icons", icon=self.kind.itemData(n)))
        grid.addWidget(named(QLabel("Icons"), "second"), 6, 0)
        grid.addWidget(self.kind, 6, 1)
        sides = QHBoxLayout()
        sides.setSpacing(ui.px(4))
        self.sides: dict[int, QPushButton] = {}
        for side in _SIDES:
            button = self.sides[side] = named(QPushButton(str(side)), "profile")
            button.setCheckable(True)
            button.setToolTip(f"An icon of {side} × {side} pixels for each piece")
            button.clicked.connect(partial(self._side, side))
            sides.addWidget(button)
        grid.addLayout(sides, 7, 1)
        box.addLayout(grid)
        box.addStretch(1)
        active.changed.connect(self.follow)
        active.chosen_changed.connect(self.follow)
        active.measured.connect(self._follow_piece)
        self.follow()

    def follow(self) -> None:
        """Show what the pack says."""
        pack = self.active.pack
        for name, field in self.fields.items():
            text = str(getattr(pack, name))
            if not field.hasFocus() and field.text() != text:
                field.setText(text)
                field.setCursorPosition(0)
        if not self.about.hasFocus() and self.about.toPlainText() != pack.about:
            self.about.setPlainText(pack.about)
        self.kind.setCurrentIndex(self.kind.findData(pack.icon))
        for side, button in self.sides.items():
            button.setChecked(side in pack.icon_sides)
        self._follow_piece()

    def _chosen(self) -> Piece | None:
        last = self.active.chosen[-1] if self.active.chosen else ""
        return next((p for p in self.active.planned.pieces if p.id == last), None)

    def _follow_piece(self) -> None:
        emptied(self.ready)
        piece = self._chosen()
        self.piece.setText(piece.name if piece is not None else "Choose a piece to see how ready it is for each use.")
        icons = self.active.icons(piece) if piece is not None else {}
        for label, (side, rgba) in zip(self.icons, [*icons.items(), *[(0, None)] * 3], strict=False):
            label.setVisible(rgba is not None)
            if rgba is not None:
                label.setPixmap(QPixmap.fromImage(clear_picture_of(rgba)))
                label.setToolTip(f"Its icon at {side} pixels")
        if piece is None:
            return
        for to in self.active.planned.destinations:
            self.ready.addWidget(self._row(piece, to.id, to.name))

    def _row(self, piece: Piece, to: str, name: str) -> QWidget:
        row = QWidget()
        box = QVBoxLayout(row)
        box.setContentsMargins(0, 0, 0, self.ui.px(4))
        box.setSpacing(0)
        head = QHBoxLayout()
        destination = self.ui.studio.destinations.get(to)
        found = self.active.readiness(piece, destination) if destination is not None else None
        inside = piece.goes_to(to)
        mark = "–" if not inside else "·" if found is None else MARKS[found.verdict][0]
        title = QLabel(f"{mark}  {name}")
        title.setWordWrap(True)
        title.setTextFormat(Qt.TextFormat.PlainText)
        theme = self.ui.theme
        colours = {"good": theme.good, "unsure": theme.good, "look": theme.look, "fault": theme.fault}
        colour = colours[found.verdict] if found is not None and inside else theme.ink_2
        title.setStyleSheet(f"color: {colour}; font-weight: 600;")
        head.addWidget(title, 1)
        button = named(QPushButton("Leave out" if inside else "Put back"), "link")
        button.clicked.connect(partial(self._leave, piece.id, to, inside, found.words() if found is not None else ""))
        head.addWidget(button)
        box.addLayout(head)
        words = (
            piece.left_out.get(to)
            or piece.left_out.get("")
            or ("Not measured yet." if found is None else found.words())
        )
        told = named(QLabel(words), "second")
        told.setWordWrap(True)
        told.setTextFormat(Qt.TextFormat.PlainText)
        box.addWidget(told)
        return row

    def _leave(self, id: str, to: str, inside: bool, words: str) -> None:
        self.active.leave_out(id, to, (words or "By choice") if inside else "")
        if not inside:
            self.active.leave_out(id, "", "")

    def _typed(self, name: str) -> None:
        text = self.fields[name].text().strip() or ("{name}" if name == "pattern" else "")
        if text == getattr(self.active.pack, name):
            return
        try:
            self.active.set("Name the pack" if name == "name" else "Change the pack", **{name: text})
        except EngraverError as error:
            self.ui.studio.told.emit(error.sentence(), "fault")

    def _about(self) -> None:
        text = self.about.toPlainText()[:MOST_WORDS]
        if text != self.active.pack.about:
            self.active.set("Words for the read-me", about=text)

    def _side(self, side: int) -> None:
        now = self.active.pack.icon_sides
        sides = tuple(s for s in now if s != side) if side in now else tuple(sorted((*now, side)))
        self.active.set("Other icons", icon_sides=sides)
