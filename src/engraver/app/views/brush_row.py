"""The brush in the hand: which one it is, what has changed since it was kept, and what becomes of that."""

from __future__ import annotations

from functools import partial

from PySide6.QtGui import QIcon, QPixmap, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QLabel, QMenu, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from engraver.core import limits

from ..painting import clear_picture_of, picture_of
from ..ui import Ui, literal, named

# Letters of a brush's name that have room.
_LETTERS = 24


class BrushRow(QWidget):
    """Stands at the head of the stroke settings."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, ui.px(2), ui.px(10), 0)
        box.setSpacing(ui.px(2))
        row = QHBoxLayout()
        row.setSpacing(ui.px(6))
        self.chosen = QPushButton()
        self.chosen.setToolTip("Brushes of this project: a plate with all that is set for its strokes")
        self.chosen.clicked.connect(
            lambda: self.menu().exec(self.chosen.mapToGlobal(self.chosen.rect().bottomLeft()))
        )
        self.keep = QPushButton("Keep as a brush")
        self.keep.setToolTip("The plate in the hand with these settings, to be picked up again (B)")
        self.keep.clicked.connect(lambda: ui.commands["brush-keep"].do())
        row.addWidget(self.chosen, 1)
        row.addWidget(self.keep)
        box.addLayout(row)
        self.words = named(QLabel(), "second")
        self.words.setWordWrap(True)
        box.addWidget(self.words)
        self.ways = QWidget()
        ways = QHBoxLayout(self.ways)
        ways.setContentsMargins(0, 0, 0, 0)
        ways.setSpacing(ui.px(4))
        self.buttons: dict[str, QPushButton] = {}
        for command, words, tip in (
            ("brush-change", "Keep change", "The brush is as it is now"),
            ("brush-keep", "As a new one", "Both brushes stay; the new one carries on from this"),
            ("brush-back", "Back", "Plate and settings as they were kept"),
        ):
            button = self.buttons[command] = named(QPushButton(words), "link")
            button.setToolTip(tip)
            button.clicked.connect(partial(self._do, command))
            ways.addWidget(button)
        ways.addStretch(1)
        box.addWidget(self.ways)

    def _do(self, command: str) -> None:
        self.ui.commands[command].do()

    def menu(self) -> QMenu:
        """Every brush of the project, and what can be done with the one in the hand."""
        menu, brushes = QMenu(self), self.ui.brushes
        thumbs = self.ui.pictures.tray.pictures
        for brush in brushes.all:
            action = menu.addAction(literal(brush.name), partial(brushes.pick_up, brush.id))
            array, made = thumbs.get(brush.plate.id), brushes.icons.at_hand(brush)
            if made is not None:
                action.setIcon(QIcon(QPixmap.fromImage(clear_picture_of(made))))
            elif array is not None:
                action.setIcon(QIcon(QPixmap.fromImage(picture_of(array))))
        if not brushes.all:
            menu.addAction("No brush is kept yet").setEnabled(False)
        if brushes.current is not None:
            menu.addSeparator()
            menu.addAction("Rename…", self._rename)
            menu.addAction("No longer keep it", brushes.remove)
        return menu

    def _rename(self) -> None:
        brush = self.ui.brushes.current
        if brush is not None:
            name, good = QInputDialog.getText(self, "Rename the brush", "Name:", text=brush.name)
            if good and name.strip():
                self.ui.brushes.rename(name.strip()[: limits.NAME])

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.follow()

    def follow(self) -> None:
        """Show the brush in the hand."""
        brushes = self.ui.brushes
        brush, words = brushes.current, brushes.change_words()
        name = brush.name if brush is not None else f"Brushes · {len(brushes.all)}" if brushes.all else "No brush yet"
        made = brushes.icons.at_hand(brush) if brush is not None else None
        self.chosen.setIcon(QIcon(QPixmap.fromImage(clear_picture_of(made))) if made is not None else QIcon())
        if self.isVisible():
            brushes.icons.ask(self.ui.pictures.lane("brush icons"), self.follow)
        short = name if len(name) <= _LETTERS else name[: _LETTERS - 1] + "…"
        self.chosen.setText(f"{short.replace('&', '&&')} ▾")
        self.keep.setVisible(brush is None)
        self.words.setText(f"Changed since it was kept: {words}." if words else "")
        self.words.setVisible(bool(words))
        self.ways.setVisible(bool(words))
