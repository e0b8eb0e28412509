"""Over the pages: what the pack is for, as a row of labels; how ready it is; and the press that writes it."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QWidget

from engraver.core.words import counted

from ..active_pack import ActivePack
from ..ui import Ui, emptied, literal, named, widgets_of
from .two_rows import TwoRows


class PackBar(TwoRows):
    """Labels that a press takes away, *For…* that adds one, and what is short in numbers."""

    write = Signal()

    def __init__(self, ui: Ui, active: ActivePack) -> None:
        super().__init__(ui, "panel", 8)
        self.active = active
        self._labels = QHBoxLayout()
        self._labels.setSpacing(ui.px(4))
        self.add = QPushButton("For…")
        self.add.setToolTip("What the pack is for: each use gets a folder of its own")
        self.add.clicked.connect(lambda: self.menu().exec(self.add.mapToGlobal(QPoint(0, self.add.height()))))
        self.first.addLayout(self._labels)
        self.first.addWidget(self.add)
        self.first.addStretch(1)
        self.verdict = QLabel()
        self.fix = QPushButton("Fix all")
        self.fix.setToolTip("Every fix that helps, for every piece and use; one undo takes them back")
        self.fix.clicked.connect(lambda: ui.commands["pack-fix"].do())
        self.leave = QPushButton("Leave out faults")
        self.leave.setToolTip("What has a fault is not delivered for that use; the read-me says so, and why")
        self.leave.clicked.connect(lambda: ui.commands["pack-leave-faults"].do())
        self.go = named(QPushButton("Write the pack…"), "main")
        self.go.setToolTip("A folder or a zip; one that is there is refreshed (Ctrl+Shift+P)")
        self.go.clicked.connect(self.write)
        for widget in (self.verdict, self.fix, self.leave, self.go):
            self.end.addWidget(widget)
        self.fold()
        active.changed.connect(self.follow)
        active.measured.connect(self._tell)
        self.follow()

    def beginning(self) -> list[QWidget]:
        return [*widgets_of(self._labels), self.add]

    def labels(self) -> list[QPushButton]:
        """What the pack is for, as it stands there."""
        return [w for w in widgets_of(self._labels) if isinstance(w, QPushButton)]

    def follow(self) -> None:
        """Show what the pack is for."""
        wanted = [to.name for to in self.active.planned.destinations]
        if [label.text().removesuffix("  ×") for label in self.labels()] != wanted:
            emptied(self._labels)
            for to in self.active.planned.destinations:
                label = named(QPushButton(literal(f"{to.name}  ×")), "profile")
                label.setStyleSheet(f"font-size: {self.ui.px(11)}px; padding: 3px {self.ui.px(8)}px;")
                label.setToolTip(f"{to.purpose} {to.file_words()}. Press to take it away.")
                label.clicked.connect(partial(self._take, to.id))
                self._labels.addWidget(label)
        self._tell()

    def _take(self, id: str) -> None:
        rest = tuple(d for d in self.active.pack.destinations if d != id)
        self.active.set("The pack is for less", destinations=rest)

    def menu(self) -> QMenu:
        """Every destination that the pack is not for yet."""
        menu = QMenu(self)
        for to in self.ui.studio.destinations.values():
            if to.id not in self.active.pack.destinations:
                action = menu.addAction(literal(to.name), partial(self._add, to.id))
                action.setToolTip(to.purpose)
        return menu

    def _add(self, id: str) -> None:
        self.active.set("The pack is for more", destinations=(*self.active.pack.destinations, id))

    def _tell(self) -> None:
        counts, planned = self.active.counts(), self.active.planned
        parts = [f"{counts['good']} good"] if counts["good"] else []
        parts += [f"{counts['look']} to look at"] if counts["look"] else []
        parts += [counted(counts["fault"], "fault")] if counts["fault"] else []
        parts += [f"{counts['unknown']} to measure"] if counts["unknown"] else []
        theme = self.ui.theme
        aimless = "Not for anything yet: choose what with For…" if planned.pieces and not planned.destinations else ""
        words = self.active.trouble or aimless or (
            f"Two would be called {', '.join(sorted(planned.twice))}" if planned.twice else " · ".join(parts)
        )  # fmt: skip
        bad = bool(self.active.trouble or planned.twice or counts["fault"])
        colour = theme.fault if bad else theme.look if counts["look"] or aimless else theme.good
        self.verdict.setText(words)
        self.verdict.setStyleSheet(f"color: {colour}; font-weight: 600;")
        self.fix.setVisible(bool(counts["look"] or counts["fault"]))
        self.leave.setVisible(bool(counts["fault"]))
        self.go.setEnabled(bool(planned.going) and not planned.twice and not self.active.trouble)
        self.fold()
