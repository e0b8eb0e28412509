"""The chosen entry, large, with its facts, words and history; what is typed here is kept at once."""

from __future__ import annotations

from datetime import datetime
from functools import partial

from PySide6.QtCore import Qt
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
from engraver.core.cabinet import Entry
from engraver.core.cabinet.entry import MOST_NOTES, MOST_TAG, MOST_TAGS, retagged
from engraver.core.cabinet.past import bring_back
from engraver.core.cabinet.to_keep import WRONG

from ..active_cabinet import ActiveCabinet
from ..editors.notes import Notes
from ..editors.rows import Choice
from ..theme.icons import icon
from ..ui import Ui, emptied, named, scrolled
from .cabinet_wall import TAGS
from .cast_view import CastView

WIDTH = 278
SCOPES = (("session", "Until I close the program"), ("project", "For its project"), ("always", "Always"))
_MOST_HISTORY = 12


def day(seconds: float) -> str:
    """A day in words."""
    when = datetime.fromtimestamp(max(0.0, seconds))
    return f"{when.day} {when:%B %Y}"


def facts(entry: Entry) -> str:
    """An entry in a few lines."""
    zero = "mid-grey is zero" if entry.zero == "mid" else "black is zero"
    parts = [f"{entry.width} × {entry.height} · {zero}{' · tiles' if entry.tiling else ''}"]
    steps = entry.more.get("recipe", {}).get("steps", ()) if isinstance(entry.more.get("recipe"), dict) else ()
    made = f"{len(steps)} steps" if len(steps) != 1 else "one step"
    origin = f"From {entry.project}" if entry.project else "Taken in from a file"
    parts.append(f"{origin} · {made}" if steps else origin)
    parts.append(f"Kept {day(entry.made)} · used {day(entry.used)}")
    return "\n".join(parts)


class CabinetPanel(QWidget):
    """Shows the entry that was chosen last; with several chosen, what is set is set for all of them."""

    def __init__(self, ui: Ui, active: ActiveCabinet) -> None:
        super().__init__()
        self.ui, self.active = ui, active
        named(self, "panel")
        self.setFixedWidth(ui.px(WIDTH))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        self.cast = CastView(ui, active.casts, 512)
        self.cast.setFixedHeight(ui.px(WIDTH))
        outer.addWidget(self.cast)
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.setContentsMargins(ui.px(12), ui.px(8), ui.px(12), ui.px(10))
        box.setSpacing(ui.px(6))
        self._area = scrolled(inside)
        outer.addWidget(self._area, 1)
        self.none = named(QLabel("Choose a piece to see it large, to name it and to use it."), "second")
        self.none.setWordWrap(True)
        self.none.setMargin(ui.px(12))
        outer.addWidget(self.none, 1, Qt.AlignmentFlag.AlignTop)
        row = QHBoxLayout()
        row.setSpacing(ui.px(6))
        self.name = QLineEdit()
        self.name.setMaxLength(limits.NAME)
        self.name.setAccessibleName("Name")
        self.name.editingFinished.connect(self._named)
        self.star = named(QPushButton(), "profile")
        self.star.setCheckable(True)
        self.star.setIcon(icon("star", ui.theme.ink, ui.px(16)))
        self.star.setFixedSize(ui.px(28), ui.px(26))
        self.star.setToolTip("A favourite (F)")
        self.star.clicked.connect(lambda: ui.commands["cabinet-favourite"].do())
        row.addWidget(self.name, 1)
        row.addWidget(self.star)
        box.addLayout(row)
        self.many = named(QLabel(), "second")
        self.many.setWordWrap(True)
        box.addWidget(self.many)
        self.facts = named(QLabel(), "second")
        self.facts.setWordWrap(True)
        self.facts.setTextFormat(Qt.TextFormat.PlainText)
        box.addWidget(self.facts)
        self.wrong = QLabel()
        self.wrong.setWordWrap(True)
        self.wrong.setStyleSheet(f"color: {ui.theme.look}; font-weight: 600;")
        box.addWidget(self.wrong)
        box.addLayout(self._uses())
        grid = QGridLayout()
        grid.setSpacing(ui.px(6))
        self.tags, self.scope = QLineEdit(), Choice(ui)
        self.tags.setPlaceholderText("rope, hull")
        self.tags.setToolTip("Words to find it by, parted by commas")
        self.tags.setAccessibleName("Tags")
        self.tags.editingFinished.connect(self._tagged)
        self.scope.setAccessibleName("How long it is kept")
        self.scope.offer(list(SCOPES))
        self.scope.activated.connect(lambda n: self._set("How long it is kept", scope=self.scope.itemData(n)))
        self.notes = Notes()
        self.notes.setFixedHeight(ui.px(52))
        self.notes.setAccessibleName("Notes")
        self.notes.left.connect(self._noted)
        for n, (words, field) in enumerate((("Tags", self.tags), ("Notes", self.notes), ("Kept", self.scope))):
            grid.addWidget(named(QLabel(words), "second"), n, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(field, n, 1)
        grid.addWidget(named(QLabel("Colour"), "second"), 3, 0)
        grid.addLayout(self._colours(), 3, 1)
        box.addLayout(grid)
        self.past = named(QLabel("BEFORE"), "caps")
        box.addWidget(self.past)
        self.history = QVBoxLayout()
        self.history.setSpacing(ui.px(2))
        box.addLayout(self.history)
        box.addStretch(1)
        active.chosen_changed.connect(self.follow)
        active.found_changed.connect(self.follow)
        self.follow()

    def _uses(self) -> QVBoxLayout:
        box = QVBoxLayout()
        box.setSpacing(self.ui.px(4))
        self.open = named(QPushButton("Open at the bench"), "main")
        self.open.setToolTip("As a plate with all its steps, if its sources are at hand (Enter)")
        self.open.clicked.connect(lambda: self.ui.commands["cabinet-open"].do())
        row = QHBoxLayout()
        row.setSpacing(self.ui.px(4))
        self.use, self.near = QPushButton("Use ▾"), QPushButton("Near this one")
        self.use.setToolTip("On the chosen plate, strewn, as a tip or a tooth, or at the proof desk")
        self.near.setToolTip("What looks most like it, turned, mirrored or re-toned too (N)")
        self.near.clicked.connect(lambda: self.ui.commands["cabinet-near"].do())
        row.addWidget(self.use, 1)
        row.addWidget(self.near, 1)
        box.addWidget(self.open)
        box.addLayout(row)
        return box

    def _colours(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(self.ui.px(4))
        self.colours: dict[str, QPushButton] = {}
        for colour, shown in {"": "transparent", **TAGS}.items():
            button = self.colours[colour] = QPushButton("" if colour else "–")
            button.setCheckable(True)
            side = self.ui.px(22)
            button.setFixedSize(side, side)
            t = self.ui.theme
            button.setStyleSheet(
                f"QPushButton {{ background: {shown}; border: 1px solid {t.line}; border-radius: {side // 2}px;"
                f" padding: 0; }} QPushButton:checked {{ border: 3px solid {t.ink}; }}"
                f" QPushButton:focus {{ border-color: {t.accent}; }}"
            )
            words = f"{colour.capitalize()} tag" if colour else "No colour"
            button.setToolTip(words)
            button.setAccessibleName(words)
            button.clicked.connect(partial(self._coloured, colour))
            row.addWidget(button)
        row.addStretch(1)
        return row

    # -- showing -------------------------------------------------------------------

    def follow(self) -> None:
        """Show the chosen entry."""
        entry, count = self.active.entry, len(self.active.chosen)
        self._area.setVisible(entry is not None)
        self.none.setVisible(entry is None)
        if entry is None:
            self.cast.show_picture("", "black")
            return
        self.cast.show_picture(entry.picture, entry.zero)
        self.many.setVisible(count > 1)
        self.many.setText(f"{count} are chosen: star, tags, colour and how long they are kept are set for all.")
        for field, text in ((self.name, entry.name), (self.tags, ", ".join(entry.tags))):
            if not field.hasFocus() and field.text() != text:
                field.setText(text)
                field.setCursorPosition(0)
        if not self.notes.hasFocus() and self.notes.toPlainText() != entry.notes:
            self.notes.setPlainText(entry.notes)
        self.star.setChecked(entry.favourite)
        self.facts.setText(facts(entry))
        self.wrong.setText("! " + "; ".join(WRONG.get(w, w) for w in entry.wrong) + "." if entry.wrong else "")
        self.wrong.setVisible(bool(entry.wrong))
        self.scope.setCurrentIndex(max(0, self.scope.findData(entry.scope)))
        for colour, button in self.colours.items():
            button.setChecked(colour == entry.colour)
        self._show_history()

    def _show_history(self) -> None:
        emptied(self.history)
        self.past.setVisible(bool(self.active.history))
        for kept, picture in self.active.history[:_MOST_HISTORY]:
            button = named(QPushButton(f"As until {day(kept)}: bring back"), "link")
            button.setToolTip("It takes the place of what is kept now, which stays in this list")
            button.clicked.connect(partial(self._bring_back, picture))
            self.history.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)

    # -- changing ------------------------------------------------------------------

    def _set(self, label: str, **changes: object) -> None:
        if self.active.chosen:
            self.active.set_entries(self.active.chosen, label, **changes)

    def _named(self) -> None:
        entry, name = self.active.entry, self.name.text().strip()
        if entry is not None and name and name != entry.name:
            self.active.set_entries((entry.id,), f"Rename {entry.name}", name=name)
        elif entry is not None:
            self.name.setText(entry.name)

    def _tagged(self) -> None:
        entry = self.active.entry
        words = (part.strip()[:MOST_TAG] for part in self.tags.text().split(","))
        tags = tuple(dict.fromkeys(w for w in words if w))[:MOST_TAGS]
        if entry is None or tags == entry.tags:
            return
        ids, before = self.active.chosen, entry.tags
        self.active.change(
            lambda cabinet: cabinet.change_each(
                (id, {"tags": retagged(cabinet.entry(id).tags, before, tags)}) for id in ids
            ), label="Tags",
        )  # fmt: skip

    def _noted(self) -> None:
        entry, notes = self.active.entry, self.notes.toPlainText()[:MOST_NOTES]
        if entry is not None and notes != entry.notes:
            self.active.set_entries((entry.id,), f"Notes of {entry.name}", notes=notes)

    def _coloured(self, colour: str) -> None:
        self._set("Colour", colour=colour)

    def _bring_back(self, picture: str) -> None:
        entry = self.active.entry
        if entry is not None:
            self.active.change(
                lambda cabinet: bring_back(cabinet, entry.id, picture), label=f"Bring {entry.name} back"
            )
