"""Step zero of a mesh in the settings: the small capture view, what the mesh holds, and a way to find it again."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from ..captures import Captures
from ..ui import Ui, named
from .capture_view import CaptureView


class CaptureBox(QWidget):
    """Hidden parts: the small view while the large one is open, the button while the file is at its place."""

    def __init__(self, ui: Ui, captures: Captures) -> None:
        super().__init__()
        self.ui, self.captures = ui, captures
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(ui.px(6))
        self.view = CaptureView(ui, captures, large=False)
        self.detail = named(QLabel(), "second")
        self.detail.setWordWrap(True)
        self.hole = named(QLabel(), "second")
        self.hole.setWordWrap(True)
        self.without = named(QPushButton("Range without them"), "link")
        self.without.setToolTip("The depth range of the other places: what lies deeper becomes black.")
        self.without.clicked.connect(captures.without_hole)
        for widget in (self.view, self.detail, self.hole):
            box.addWidget(widget)
        box.addWidget(self.without, 0, Qt.AlignmentFlag.AlignLeft)
        captures.large_changed.connect(self.follow)
        captures.drawn.connect(self.follow)
        captures.known.connect(self.follow)
        ui.pictures.looked.connect(self.follow)
        self.follow()

    def follow(self, _: object = None) -> None:
        self.view.setVisible(not self.captures.large)
        for label, words in ((self.detail, self.captures.detail_words()), (self.hole, self.captures.hole_words())):
            label.setText(words)
            label.setVisible(bool(words))
        self.without.setVisible(bool(self.hole.text()))


def find_again_button(ui: Ui) -> QPushButton:
    """Offers to look for a linked file that is not at its place."""
    button = QPushButton("Find it again…")
    button.setToolTip("Show where the file lies now; it is compared by its contents.")
    button.setFixedHeight(ui.px(28))
    return button
