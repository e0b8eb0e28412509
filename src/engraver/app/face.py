"""What fills the window: the rim, the bar and the desks, in one look and text size."""

from __future__ import annotations

from PySide6.QtWidgets import QApplication, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget
from shiboken6 import isValid

from . import tabbing
from .desks import DESKS
from .host import Host
from .ui import named
from .undo_stacks import UndoStack
from .views.bars import Notice, Rim, Tab, TopBar


class Face(QWidget):
    """Made again for another look; holds no truth."""

    def __init__(self, host: Host) -> None:
        super().__init__(host.widget)
        named(self, "paper")
        self._host = host
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        self.rim = Rim(host.ui, tuple(Tab(d.id, d.name, d.help, d.icon) for d in DESKS.values()))
        outer.addWidget(self.rim)
        column = QVBoxLayout()
        column.setSpacing(0)
        outer.addLayout(column, 1)
        self.front = next(iter(DESKS))
        self.top = TopBar(host.ui, lambda: self.undo_stack)
        host.cabinet_undo.changed.connect(self.top.follow)
        column.addWidget(self.top)
        self._stack = QStackedWidget()
        column.addWidget(self._stack, 1)
        self._desks: dict[str, QWidget] = {}
        self.notice = Notice(host.ui, self)
        self._lost: QWidget | None = None  # had the focus, and is hidden

    def desk(self, id: str) -> QWidget:
        """A desk, made when it is first needed."""
        if id not in self._desks:
            # Its parent is there first: a widget that is given another one later is styled again, with all in it.
            self._desks[id] = DESKS[id].build(self._host, self._stack)
        return self._desks[id]

    def show_desk(self, id: str) -> None:
        """Bring a desk to the front."""
        desk = self.desk(id)
        if self._stack.indexOf(desk) < 0:
            self._stack.addWidget(desk)
        self.front = id
        self._stack.setCurrentWidget(desk)
        self.rim.show_desk(id)
        self.top.follow()

    @property
    def undo_stack(self) -> UndoStack:
        """What Undo and Redo act on at the desk in front."""
        return DESKS[self.front].undo_stack(self._host)

    def focusNextPrevChild(self, next: bool) -> bool:
        """Tab goes in the order of work of the desk in front, then to the bar and the rim.

        Qt asks the same where what has the focus is hidden or switched off: nobody pressed Tab then, and the next key
        must not press what happens to come after it. The face has it then, and Tab goes on from there.
        """
        now = QApplication.focusWidget()
        if now is not None and not (now.isVisible() and now.isEnabled()):
            self._lost = now
            self.setFocus()
            return True
        if now is self and self._lost is not None and isValid(self._lost):
            now = self._lost
        desk = self._desks.get(self.front)
        parts = DESKS[self.front].parts(desk) if desk is not None else ()
        return tabbing.step(self.window(), (*parts, self.notice, self.top, self.rim), now, next)
