"""A question that is answered by doing or leaving it, over a widget."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox, QWidget


def sure(
    parent: QWidget, title: str, words: str, act: str, *, more: str = "", leave: str = "Leave it",
    for_good: bool = False,
) -> bool:  # fmt: skip
    """Whether what ``words`` ask about is to be done.

    ``act`` and ``leave`` are what the buttons say, ``more`` what stands below in small. ``for_good``: nothing brings
    it back, so that Enter leaves it. Names in any of it are shown as they are typed, whatever signs are in them.
    """
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(words)
    box.setInformativeText(more)
    yes = box.addButton(act, QMessageBox.ButtonRole.AcceptRole)
    no = box.addButton(leave, QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(no if for_good else yes)
    box.exec()
    done = box.clickedButton() is yes
    box.deleteLater()
    return done
