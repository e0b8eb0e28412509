"""The random hand: presses, drags, keys, wheels and sheets on the real window, the same for the same seed."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QPoint, QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QLineEdit,
    QMenu,
    QPushButton,
    QWidget,
)
from shiboken6 import isValid

from engraver.app.editors.slider import Slider
from engraver.app.window import Window

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE, CTRL, ALT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
KEYS = (
    (Qt.Key.Key_C, NONE), (Qt.Key.Key_R, NONE), (Qt.Key.Key_W, NONE), (Qt.Key.Key_G, NONE), (Qt.Key.Key_F, NONE),
    (Qt.Key.Key_1, NONE), (Qt.Key.Key_V, NONE), (Qt.Key.Key_T, NONE), (Qt.Key.Key_S, NONE), (Qt.Key.Key_E, NONE),
    (Qt.Key.Key_2, NONE), (Qt.Key.Key_3, NONE), (Qt.Key.Key_Backslash, NONE), (Qt.Key.Key_X, NONE),
    (Qt.Key.Key_P, NONE), (Qt.Key.Key_O, NONE), (Qt.Key.Key_I, NONE), (Qt.Key.Key_K, NONE), (Qt.Key.Key_M, NONE),
    (Qt.Key.Key_L, NONE), (Qt.Key.Key_Comma, NONE), (Qt.Key.Key_Period, NONE), (Qt.Key.Key_BracketLeft, NONE),
    (Qt.Key.Key_Q, NONE), (Qt.Key.Key_4, NONE), (Qt.Key.Key_0, NONE), (Qt.Key.Key_J, NONE), (Qt.Key.Key_N, NONE),
    (Qt.Key.Key_Left, ALT), (Qt.Key.Key_Right, ALT), (Qt.Key.Key_B, NONE),
)  # fmt: skip
# So many ticks may pass over an open sheet before it is put away.
PATIENCE = 12
TICK_MS = 15


def click(
    widget: QWidget, button: Qt.MouseButton, modifier: Qt.KeyboardModifier = NONE, place: QPoint | None = None
) -> None:
    """Press and let go, apart: an exception of the press would be lost in the release (PySide6 6.11)."""
    at = place or widget.rect().center()
    QTest.mousePress(widget, button, modifier, at)
    if isValid(widget):  # what a press takes away has no release
        QTest.mouseRelease(widget, button, modifier, at)


def key_press(widget: QWidget, key: Qt.Key, modifier: Qt.KeyboardModifier = NONE) -> None:
    """As :func:`click`, for a key."""
    QTest.keyPress(widget, key, modifier)
    QTest.keyRelease(widget, key, modifier)


class Hand(QObject):
    """Does ``count`` actions, one each tick; emits ``done``."""

    done = Signal()

    def __init__(
        self, window: Window, seed: int, count: int, folder: Path, doing: Callable[[str, bool], None]
    ) -> None:
        super().__init__()
        self.window, self.count, self.folder, self.doing = window, count, folder, doing
        self.chance = random.Random(seed)
        self.left, self.over, self.waited = count, 0, 0
        self._busy = self._ended = False
        weights: dict[Callable[[], object], int] = {
            self.choose_plate: 14, self.choose_card: 16, self.slide: 14, self.type_number: 6, self.switch: 4,
            self.press_key: 12, self.undo: 8, self.redo: 4, self.undo_all: 3, self.add_step: 5, self.remove: 3,
            self.on_plate: 8, self.wheel: 6, self.on_proof: 5, self.choose_in_list: 4, self.theme: 2, self.text: 2,
            self.command: 3, self.export: 2, self.export_again: 1, self.save: 2, self.duplicate: 1,
            self.remove_plate: 1, self.blank: 1, self.press_button: 2, self.fix: 2, self.open_file: 1,
        }  # fmt: skip
        self._acts = [act for act, weight in weights.items() for _ in range(weight)]

    def start(self) -> None:
        QTimer.singleShot(TICK_MS, self.tick)

    # -- one tick --------------------------------------------------------------------

    def tick(self) -> None:
        """One action, or one answer to what is open; an action that opens a sheet ends after later ticks."""
        if self._ended:
            return
        QTimer.singleShot(TICK_MS, self.tick)  # a timer of its own each time: they run inside a sheet's loop too
        popup, sheet = QApplication.activePopupWidget(), QApplication.activeModalWidget()
        if self._busy and popup is None and sheet is None:
            return  # in the middle of an action; a sheet that it opened is gone on with
        was, self._busy = self._busy, True
        try:
            if popup is not None:
                self._on_popup(popup)
            elif sheet is not None:
                self._on_sheet(sheet)
            elif self.left <= 0:
                self._ended = True
                self.done.emit()
            elif self.waited > 0:
                self.waited -= 1
            elif self.window.making:
                pass  # nothing stands there that a press could meet
            else:
                self.over, self.left = 0, self.left - 1
                if self.chance.random() < 0.05:
                    self.waited = 20  # the hand rests: full size is measured
                act = self.chance.choice(self._acts)
                self.doing(act.__name__, False)
                act()
        finally:
            self._busy = was

    def _on_popup(self, popup: QWidget) -> None:
        self.doing("popup", True)
        actions = (
            [a for a in popup.actions() if a.isEnabled() and not a.isSeparator()] if isinstance(popup, QMenu) else []
        )
        if actions and self.chance.random() < 0.5:
            action = self.chance.choice(actions)
            popup.close()
            if "Rename" not in action.text():
                QTimer.singleShot(0, action.trigger)
        else:
            popup.close()

    def _on_sheet(self, sheet: QWidget) -> None:
        self.over += 1
        self.doing(f"sheet {type(sheet).__name__}", True)
        if self.over > PATIENCE or not isinstance(sheet, QDialog):
            sheet.close()
            return
        roll = self.chance.random()
        if roll < 0.2:
            sheet.reject()
        elif roll < 0.4:
            key_press(sheet, Qt.Key.Key_Return)
        elif roll < 0.7:
            fields = [f for f in sheet.findChildren(QLineEdit) if f.isVisible() and f.isEnabled()]
            if fields:
                QTest.keyClicks(self.chance.choice(fields), self.chance.choice(["soft", "3", "x", "0, 25, 50", "ll"]))
        else:
            buttons = [b for b in sheet.findChildren(QAbstractButton) if b.isVisible() and b.isEnabled()]
            if buttons:
                self.chance.choice(buttons).click()

    # -- what a hand does ------------------------------------------------------------

    def _key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = NONE) -> None:
        key_press(self.window, key, modifier)

    def _visible(self, kind: type[Any], inside: QWidget) -> list[Any]:
        return [w for w in inside.findChildren(kind) if w.isVisible() and w.isEnabled()]

    def choose_plate(self) -> None:
        items = [i for i in self.window.bench.tray.items.values() if i.isVisible()]
        if items:
            click(self.chance.choice(items), LEFT, NONE, QPoint(20, 20))

    def choose_card(self) -> None:
        cards = self.window.bench.line.cards
        if cards:
            click(self.chance.choice(cards), LEFT, NONE, QPoint(40, 60))

    def switch(self) -> None:
        cards = [c for c in self.window.bench.line.cards if c.step is not None and not c.inserted]
        if cards:
            card = self.chance.choice(cards)
            click(card, LEFT, NONE, card.switch_rect().center().toPoint())

    def slide(self) -> None:
        sliders = self._visible(Slider, self.window.bench.settings)
        if sliders:
            slider = self.chance.choice(sliders)
            self._drag(slider, LEFT, 4)

    def _drag(self, widget: QWidget, button: Qt.MouseButton, moves: int) -> None:
        def place() -> QPoint:
            return QPoint(
                self.chance.randint(1, max(1, widget.width() - 2)),
                self.chance.randint(1, max(1, widget.height() - 2)),
            )

        QTest.mousePress(widget, button, NONE, place())
        for _ in range(moves):
            QTest.mouseMove(widget, place())
        QTest.mouseRelease(widget, button, NONE, place())

    def type_number(self) -> None:
        fields = self._visible(QLineEdit, self.window.bench.settings)
        if fields:
            field = self.chance.choice(fields)
            field.setFocus()
            field.selectAll()
            QTest.keyClicks(field, self.chance.choice(["0", "12", "1024/2", "50%", "-3", "999999", "nonsense", ""]))
            key_press(field, Qt.Key.Key_Return)
            self.window.bench.plate_view.canvas.setFocus()

    def press_key(self) -> None:
        self._key(*self.chance.choice(KEYS))

    def undo(self) -> None:
        for _ in range(self.chance.randint(1, 4)):
            self._key(Qt.Key.Key_Z, CTRL)

    def redo(self) -> None:
        for _ in range(self.chance.randint(1, 4)):
            self._key(Qt.Key.Key_Z, CTRL | SHIFT)

    def undo_all(self) -> None:
        """Everything in a row, as with the key held down; and forth again."""
        modifiers = CTRL if self.chance.random() < 0.6 else CTRL | SHIFT
        for _ in range(30):
            self._key(Qt.Key.Key_Z, modifiers)

    def add_step(self) -> None:
        self._key(Qt.Key.Key_A)

    def remove(self) -> None:
        if len(self.window.studio.steps) > 4:
            self._key(Qt.Key.Key_Delete)

    def on_plate(self) -> None:
        canvas = self.window.bench.plate_view.canvas
        if canvas.isVisible():
            self._drag(canvas, LEFT if self.chance.random() < 0.8 else RIGHT, 6)

    def on_proof(self) -> None:
        canvas = self.window.bench.proof_view.canvas
        if canvas.isVisible():
            self._drag(canvas, LEFT if self.chance.random() < 0.5 else RIGHT, 5)

    def wheel(self) -> None:
        canvas = self.chance.choice([self.window.bench.plate_view.canvas, self.window.bench.proof_view.canvas])
        if canvas.isVisible():
            place = QPointF(self.chance.random() * canvas.width(), self.chance.random() * canvas.height())
            turn = QPoint(0, self.chance.choice((-120, 120, 240)))
            event = QWheelEvent(
                place, canvas.mapToGlobal(place), QPoint(), turn, Qt.MouseButton.NoButton, NONE,
                Qt.ScrollPhase.NoScrollPhase, False,
            )  # fmt: skip
            QApplication.sendEvent(canvas, event)

    def choose_in_list(self) -> None:
        lists = [b for b in self._visible(QComboBox, self.window) if b.count() > 1]
        if lists:
            box = self.chance.choice(lists)
            box.setCurrentIndex(self.chance.randrange(box.count()))
            box.activated.emit(box.currentIndex())

    def press_button(self) -> None:
        buttons = self._visible(QPushButton, self.window)
        if buttons:
            self.chance.choice(buttons).click()

    def fix(self) -> None:
        row = self.window.bench.readiness
        views = [v for v in row.views.values() if v.isVisible()]
        if views:
            click(self.chance.choice(views), LEFT)

    def theme(self) -> None:
        self.doing("theme", True)
        self._key(Qt.Key.Key_L, CTRL)

    def text(self) -> None:
        self.doing("text", True)
        self.window.change_text(self.chance.choice((-1, 1)))

    def command(self) -> None:
        self._key(Qt.Key.Key_K, CTRL)

    def export(self) -> None:
        self._key(Qt.Key.Key_E, CTRL)

    def export_again(self) -> None:
        self._key(Qt.Key.Key_E, CTRL | SHIFT)

    def save(self) -> None:
        self.window.filing.save_to(self.folder / f"save-{self.chance.randrange(3)}.engraver")

    def duplicate(self) -> None:
        if len(self.window.studio.project.plates) < 24:
            self._key(Qt.Key.Key_D, CTRL)

    def remove_plate(self) -> None:
        if len(self.window.studio.project.plates) > 6:
            self.window.run(self.window.commands["remove-plate"])

    def blank(self) -> None:
        if len(self.window.studio.project.plates) < 24:
            self._key(Qt.Key.Key_N, CTRL)

    def open_file(self) -> None:
        files = sorted((self.folder / "sources").glob("*"))
        if files and len(self.window.studio.project.plates) < 24:
            self.window.filing.open_paths([self.chance.choice(files)])


def answer_file_questions(folder: Path) -> Callable[[], None]:
    """The system's file sheets answer at once with places in a folder; returns what puts them back."""
    names = ("getOpenFileName", "getOpenFileNames", "getSaveFileName", "getExistingDirectory")
    before = {name: getattr(QFileDialog, name) for name in names}
    sources = [str(p) for p in sorted((folder / "sources").glob("*"))]
    QFileDialog.getOpenFileName = staticmethod(lambda *a, **k: (sources[0] if sources else "", ""))  # type: ignore[method-assign]
    QFileDialog.getOpenFileNames = staticmethod(lambda *a, **k: (sources[:1], ""))  # type: ignore[method-assign]
    QFileDialog.getSaveFileName = staticmethod(lambda *a, **k: (str(folder / "named.engraver"), ""))  # type: ignore[method-assign]
    QFileDialog.getExistingDirectory = staticmethod(lambda *a, **k: str(folder))  # type: ignore[method-assign]

    def back() -> None:
        for name, method in before.items():
            setattr(QFileDialog, name, method)

    return back
