"""The top bar and the left rim."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ..theme.icons import icon, pixmap
from ..theme.tokens import RIM, TOP
from ..ui import Ui, named
from ..undo_stacks import UndoStack

# What is dragged rests on a tab so long before its desk comes to the front, in milliseconds.
OVER_MS = 350
NOTICE_MS = 6000


class TopBar(QWidget):
    """Project name, whether all is kept, the finder, undo and redo that say what they do at the desk in front."""

    def __init__(self, ui: Ui, undo_stack: Callable[[], UndoStack]) -> None:
        super().__init__()
        self.ui, self._takes_back = ui, undo_stack
        named(self, "panel")
        self.setFixedHeight(ui.px(TOP))
        row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(12), ui.px(4), ui.px(14), ui.px(4))
        row.setSpacing(ui.px(8))
        self.name = named(QLabel(), "title")
        self.kept = named(QLabel(), "second")
        row.addWidget(self.name)
        row.addWidget(self.kept)
        self.stop = named(QPushButton("Stop"), "link")
        self.stop.setToolTip("Stop taking it in; what is open stays as it is. (Ctrl+.)")
        self.stop.clicked.connect(lambda: ui.commands["stop"].run())
        self.stop.hide()
        row.addWidget(self.stop)
        row.addStretch(1)
        self.finder = QPushButton("Find a command")
        keys = named(QLabel("Ctrl K"), "second")
        inside = QHBoxLayout(self.finder)
        inside.setContentsMargins(0, 0, ui.px(14), 0)
        inside.addStretch(1)
        inside.addWidget(keys)
        keys.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.finder.setFixedSize(ui.px(240), ui.px(26))
        self.finder.setStyleSheet(
            f"border-radius: {ui.px(26) // 2 - 1}px; color: {ui.theme.ink_2}; text-align: left; padding: 2px 16px;"
        )
        self.finder.clicked.connect(lambda: ui.commands["find"].run())
        row.addWidget(self.finder)
        row.addStretch(1)
        self.undo = self._button("undo", "Undo")
        self.redo = self._button("redo", "Redo")
        row.addWidget(self.undo)
        row.addWidget(self.redo)
        ui.studio.project_changed.connect(self.follow)
        ui.studio.file_changed.connect(self.follow)
        self.follow()

    def _button(self, id: str, text: str) -> QPushButton:
        button = QPushButton(text)
        button.setIcon(icon(id, self.ui.theme.ink, self.ui.px(16)))
        button.setFixedHeight(self.ui.px(27))
        button.clicked.connect(lambda: self.ui.commands[id].run())
        return button

    def follow(self) -> None:
        studio = self.ui.studio
        self.name.setText(studio.project.name)
        undo, redo = self._takes_back().undo_label, self._takes_back().redo_label
        self.undo.setEnabled(undo is not None)
        self.redo.setEnabled(redo is not None)
        self.undo.setToolTip(f"Undo: {undo} (Ctrl+Z)" if undo else "Nothing to undo")
        self.redo.setToolTip(f"Redo: {redo} (Ctrl+Shift+Z)" if redo else "Nothing to redo")

    def show_kept(self, kept: bool, behind: str) -> None:
        """Whether nothing would be lost now; and, where it is older than the work, the project file's name."""
        words = "all changes kept" if kept else "keeping changes…"
        self.kept.setText(f"{words} · file not saved yet" if kept and behind else words)
        self.kept.setToolTip(f"{behind} is older than what is here (Ctrl+S saves it)" if behind else "")
        self.stop.hide()

    def show_busy(self, words: str, *, stops: bool) -> None:
        """What is going on, with a way to stop it."""
        self.kept.setText(words)
        self.stop.setVisible(stops)


@dataclass(frozen=True, slots=True)
class Tab:
    """What the rim shows of a desk."""

    id: str
    name: str
    help: str
    icon: str


class Rim(QWidget):
    """The desks as workshop tabs, and below them what is about the whole program."""

    chosen = Signal(str)

    def __init__(self, ui: Ui, tabs: tuple[Tab, ...]) -> None:
        super().__init__()
        self.ui = ui
        named(self, "panel")
        self.setFixedWidth(ui.px(RIM))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(4), ui.px(6), 0, ui.px(8))
        box.setSpacing(ui.px(8))
        mark = QLabel()
        mark.setPixmap(pixmap("engraver", ui.theme.ink, ui.px(26), 2.0))
        mark.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        mark.setToolTip("Engraver")
        box.addWidget(mark)
        self.tabs: dict[str, _Tab] = {}
        for one in tabs:
            tab = _Tab(ui, one)
            tab.pressed.connect(self.chosen)
            self.tabs[one.id] = tab
            box.addWidget(tab)
        box.addStretch(1)
        other = "lamp" if ui.theme.id == "day" else "day"
        for id, picture, tip in (
            ("open", "open", "Open a picture or a project (Ctrl+O)"),
            ("save", "save", "Save the project (Ctrl+S)"),
            ("theme", other, f"Change to the {other} look (Ctrl+L)"),
            ("keys", "help", "Keys (F1)"),
        ):
            button = named(QPushButton(), "rail")
            button.setIcon(icon(picture, ui.theme.ink_2, ui.px(20)))
            button.setIconSize(QSize(ui.px(20), ui.px(20)))
            button.setFixedSize(ui.px(38), ui.px(32))
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _=False, i=id: ui.commands[i].run())
            box.addWidget(button)

    def show_desk(self, id: str) -> None:
        """Pull out the tab of the desk in use."""
        for tab in self.tabs.values():
            tab.show_used(tab.id == id)


class _Tab(QWidget):
    """A desk's tab: pulled out towards the desk when it is in use."""

    pressed = Signal(str)

    def __init__(self, ui: Ui, tab: Tab) -> None:
        super().__init__()
        self.ui, self.id, self._name, self._icon, self._used = ui, tab.id, tab.name, tab.icon, False
        self.setFixedHeight(ui.px(58))
        self.setToolTip(tab.help)
        self.setAccessibleName(tab.name)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

        self.setAcceptDrops(True)
        self._over = QTimer(self, singleShot=True, interval=OVER_MS)
        self._over.timeout.connect(lambda: self.pressed.emit(self.id))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """What is dragged over a tab long enough can be dropped at that desk."""
        event.acceptProposedAction()
        self._over.start()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._over.stop()

    def dropEvent(self, event: QDropEvent) -> None:
        self._over.stop()
        self.pressed.emit(self.id)
        event.ignore()

    def show_used(self, used: bool) -> None:
        self._used = used
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.pressed.emit(self.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.pressed.emit(self.id)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        if self._used:
            painter.setBrush(ui.colour("paper"))
            painter.drawRoundedRect(0, 0, self.width() + 8, self.height(), 6, 6)
            painter.setBrush(ui.colour("accent"))
            painter.drawRoundedRect(0, ui.px(6), ui.px(3), self.height() - ui.px(12), 1.5, 1.5)
        drawn = pixmap(self._icon, ui.theme.accent if self._used else ui.theme.ink_2, ui.px(22), 2.0)
        painter.drawPixmap((self.width() - ui.px(22)) // 2, ui.px(9), drawn)
        painter.setFont(ui.font(10, 600 if self._used else 400))
        painter.setPen(ui.colour("accent" if self.hasFocus() else "ink"))
        painter.drawText(self.rect().adjusted(0, ui.px(34), 0, -ui.px(4)), Qt.AlignmentFlag.AlignCenter, self._name)


class Notice(QLabel):
    """One sentence over the views: what happened and what to do. A press puts it away."""

    def __init__(self, ui: Ui, parent: QWidget) -> None:
        super().__init__(parent)
        self.ui = ui
        self.setWordWrap(True)
        self.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self._going = QTimer(self, singleShot=True, interval=NOTICE_MS)
        self._going.timeout.connect(self.hide)
        self.hide()

    def go_soon(self) -> None:
        """The work went on: a fault that is told has been seen, and goes, too."""
        if self.isVisible() and not self._going.isActive():
            self._going.start()

    def tell(self, sentence: str, kind: str) -> None:
        t = self.ui.theme
        mark = {"fault": "✕", "look": "!", "good": "✓"}.get(kind, "")
        colour = {"fault": t.fault, "look": t.look, "good": t.good}.get(kind, t.ink)
        self.setText(f"{mark}  {sentence}")
        self.setStyleSheet(
            f"background: {t.card}; color: {colour}; border: 1px solid {colour}; border-radius: 6px;"
            "padding: 8px 14px; font-weight: 600;"
        )
        self.place()
        self.show()
        self.raise_()
        self._going.stop()
        if kind != "fault":  # that stays until the work goes on, or a press or Escape puts it away
            self._going.start()

    def place(self) -> None:
        parent = self.parentWidget()
        assert isinstance(parent, QWidget)
        width = min(self.ui.px(640), parent.width() - 40)
        self.setFixedWidth(width)
        self.adjustSize()
        # Over the bar and the finder, not over the plate: what it speaks of stays in sight.
        self.move((parent.width() - width) // 2, self.ui.px(3))

    def mousePressEvent(self, event: object) -> None:
        self.hide()
