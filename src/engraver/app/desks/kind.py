"""What a desk declares: the rim, the finder and the keys read it.

To add a desk: a folder here with one :class:`DeskKind`, its line in the list in ``__init__.py``, and its test.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtWidgets import QWidget

from ..commands import Command
from ..host import Host
from ..undo_stacks import ProjectUndo, UndoStack


@dataclass(frozen=True, slots=True)
class DeskKind:
    """One desk.

    Attributes
    ----------
    id, name, help, icon : str
        As the rim shows it.
    key : str
        Its shortcut.
    build : (host, parent) -> QWidget
        Makes it in the present look; how it is looked at lies in the host's looks.
    commands : (host) -> tuple of Command
        Its own actions.
    undo_stack : (host) -> UndoStack
        What Undo and Redo act on there.
    parts : (desk) -> tuple of QWidget
        Its parts in the order of work: Tab goes from one to the next.
    """

    id: str
    name: str
    help: str
    icon: str
    key: str
    build: Callable[[Host, QWidget], QWidget]
    commands: Callable[[Host], tuple[Command, ...]]
    undo_stack: Callable[[Host], UndoStack] = lambda host: ProjectUndo(host.studio)
    parts: Callable[[Any], tuple[QWidget, ...]] = lambda desk: (desk,)

    def __post_init__(self) -> None:
        if not self.id or self.id != self.id.lower() or not self.help:
            raise TypeError(f"desk {self.id!r}: it needs an id in lower case, and words for the rim")
