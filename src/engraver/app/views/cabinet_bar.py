"""Over the wall: what is looked for, by words and by facts; how large the casts are; taking in."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping, Sequence
from functools import partial

from PySide6.QtCore import QPoint, Signal
from PySide6.QtGui import QActionGroup
from PySide6.QtWidgets import QLabel, QLineEdit, QMenu, QPushButton, QWidget

from engraver.core.cabinet import Query
from engraver.core.sources import SOURCE_KINDS

from ..active_cabinet import ActiveCabinet
from ..cabinet_state import LARGEST, SMALLEST
from ..editors.slider import Slider
from ..ui import Ui, choice, literal, named
from .two_rows import TwoRows

_DAY = 86_400.0
# What can be asked for, with the words for it: by the name of the field, or of two fields for sizes.
_SIZES = (("Any size", 0, 0), ("Up to 512", 0, 512), ("513 to 1024", 513, 1024), ("1025 to 2048", 1025, 2048),
          ("Above 2048", 2049, 0))  # fmt: skip
_SINCE = (("Any time", 0), ("In the last week", 7), ("In the last month", 31), ("In the last year", 366))
_FACTS = (
    ("zero", "Zero", (("Black or mid-grey", None), ("Black is zero", "black"), ("Mid-grey is zero", "mid"))),
    ("tiling", "Tiling", (("Tiles or not", None), ("Tiles", True), ("Does not tile", False))),
    ("kind", "What it is", (("Alphas and brushes", None), ("Alphas", "alpha"), ("Brushes", "brush"))),
    ("colour", "Colour", (("Any colour", None), *((c.capitalize(), c) for c in
     ("red", "amber", "green", "blue", "violet", "grey")), ("Without one", ""))),
    ("scope", "Kept", (("For however long", None), ("Always", "always"), ("For its project", "project"),
                       ("Until I close", "session"))),
)  # fmt: skip
SOURCES = {"file": "A file taken in", **{kind.id: kind.name for kind in SOURCE_KINDS.values()}}


def _any(field: str, all_: str, offered: Iterable[tuple[str, str]]) -> list[tuple[str, dict[str, object]]]:
    """What can be asked of a field, any first."""
    found: list[tuple[str, dict[str, object]]] = [(all_, {field: None})]
    found += [(words, {field: value}) for value, words in offered]
    return found


class CabinetBar(TwoRows):
    """Search as typed, facts as a menu, and what is asked now as words that a press takes away."""

    take_in = Signal()

    def __init__(self, ui: Ui, active: ActiveCabinet) -> None:
        super().__init__(ui, "picturebar", 8, 3)
        self.active = active
        row = self.first
        self.drawer = named(QPushButton(), "bar")
        self.drawer.setToolTip("Another drawer")
        self.drawer.clicked.connect(self._drawers)
        self.drawer.hide()
        row.addWidget(self.drawer)
        self.field = named(QLineEdit(), "finder")
        self.field.setPlaceholderText("Name, tag or note")
        self.field.setClearButtonEnabled(True)
        self.field.setAccessibleName("Find in the cabinet")
        self.field.setToolTip("Beginnings of words in names, tags and notes (/)")
        self.field.textChanged.connect(lambda text: active.ask(words=text[:400]))
        self.field.setMinimumWidth(ui.px(120))
        self.field.setMaximumWidth(ui.px(280))
        row.addWidget(self.field, 2)
        self.facts = named(QPushButton("Facts ▾"), "bar")
        self.facts.setToolTip("Ask by size, zero, tiling, source, colour, project and time")
        self.facts.clicked.connect(lambda: self.menu().exec(self.facts.mapToGlobal(QPoint(0, self.facts.height()))))
        row.addWidget(self.facts)
        self.asked = named(QPushButton(), "pill")
        self.asked.setProperty("said", "yes")
        self.asked.setToolTip("What is asked beside the words; press to ask for everything again")
        self.asked.clicked.connect(self.ask_no_more)
        row.addWidget(self.asked)
        self.count = QLabel()
        self.end.addWidget(self.count)
        self.end.addStretch(1)
        self.sides = Slider(ui, SMALLEST, LARGEST, 4, on_bar=True)
        self.sides.setFixedWidth(ui.px(110))
        self.sides.setAccessibleName("Size of the pictures")
        self.sides.setToolTip("Size of the pictures (Ctrl and the wheel)")
        self.sides.moved.connect(lambda value: active.look(side=round(value)))
        self.end.addWidget(self.sides)
        self.take = named(QPushButton("Take in a folder…"), "bar")
        self.take.setToolTip("Keep the finished files of a folder, measured; the files are never touched")
        self.take.clicked.connect(self.take_in)
        self.end.addWidget(self.take)
        active.looked.connect(self.follow)
        active.found_changed.connect(self.follow)
        self.follow()

    def beginning(self) -> list[QWidget]:
        return [self.drawer, self.facts, self.asked]

    def least(self) -> int:
        return self.field.minimumWidth() + self.ui.px(32)

    def show_drawer(self, on: bool) -> None:
        """Name the open drawer here, where the drawers themselves have no room."""
        self.drawer.setVisible(on)
        self.fold()

    def _drawers(self) -> None:
        menu = QMenu(self)
        for id, name in self.active.names().items():
            count = self.active.chest.counts.get(id)
            words = f"{name} · {count:,}" if count is not None else name
            choice(menu, words, partial(self.active.look, drawer=id, near=""), now=id == self.active.state.drawer)
        menu.exec(self.drawer.mapToGlobal(QPoint(0, self.drawer.height())))

    def follow(self) -> None:
        """Show what is asked, and how much was found."""
        state = self.active.state
        self.drawer.setText(literal(f"{self.active.names().get(state.drawer, '')} ▾"))
        self.sides.show_value(state.side)
        if self.field.text()[:400] != state.query.words:
            self.field.setText(state.query.words)
        words = self.words()
        self.asked.setText(f"{words}  ×")
        self.asked.setVisible(bool(words))
        count = len(self.active.found.listed)
        more = "" if self.active.found.whole else "+"
        only_read = " · can be read, not changed" if self.active.found.read_only else ""
        self.count.setText(f"{count:,}{more} {'piece' if count == 1 else 'pieces'}{only_read}")
        self.fold()

    def words(self) -> str:
        """What is asked beside words, in words."""
        state, found = self.active.state, []
        if state.near:
            found.append("near one piece")
        query = state.query
        for name, _, offered in _FACTS:
            value = getattr(query, name)
            found += [words.lower() for words, asked in offered if asked is not None and value == asked]
        sides = (query.smallest, query.largest)
        found += [words.lower() for words, *asked in _SIZES if any(sides) and sides == tuple(asked)]
        found += [SOURCES.get(query.source, query.source).lower()] if query.source else []
        found += [f"for {self._destination(query.destination)}"] if query.destination else []
        found += [f"of {query.project}"] if query.project else []
        found += ["made lately"] if query.since else []
        found += ["used lately"] if query.used_since else []
        said = " · ".join(found)
        return said if len(said) <= 44 else said[:43] + "…"

    def ask_no_more(self) -> None:
        """Only the words are left."""
        self.active.look(query=Query(words=self.active.state.query.words), near="")

    def _destination(self, id: str) -> str:
        known = self.ui.studio.destinations.get(id)
        return known.name if known is not None else id

    def menu(self) -> QMenu:
        """All that can be asked for."""
        menu, query, chest = QMenu(self), self.active.state.query, self.active.chest
        for name, title, offered in _FACTS:
            self._choices(menu, title, [(w, {name: v}) for w, v in offered], {name: getattr(query, name)})
        self._choices(
            menu, "Longer side, in pixels", [(w, {"smallest": a, "largest": b}) for w, a, b in _SIZES],
            {"smallest": query.smallest, "largest": query.largest},
        )  # fmt: skip
        destinations = [(id, self._destination(id)) for id in chest.destinations]
        for field, title, none, among in (
            ("source", "Made from", "Anything", list(SOURCES.items())),
            ("destination", "Made for", "Any destination", destinations),
            ("project", "Project", "Any project", [(name, name) for name in chest.projects]),
        ):
            self._choices(menu, title, _any(field, none, among), {field: getattr(query, field)})
        now = time.time() // _DAY * _DAY
        for field, title in (("since", "Kept"), ("used_since", "Used")):
            offers = [(w, {field: now - days * _DAY if days else 0.0}) for w, days in _SINCE]
            self._choices(menu, f"{title} when", offers, {field: getattr(query, field)})
        return menu

    def _choices(
        self, menu: QMenu, title: str, offered: Sequence[tuple[str, Mapping[str, object]]], now: object
    ) -> None:
        part = menu.addMenu(title)
        group = QActionGroup(part)
        for words, changes in offered:
            group.addAction(choice(part, words, partial(self._ask, changes), now=changes == now))

    def _ask(self, changes: Mapping[str, object]) -> None:
        self.active.ask(**changes)
