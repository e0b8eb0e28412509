"""The foot of a sheet: *Cancel*, and the one accented button that does it."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton

from ..ui import named


def dialog_foot(dialog: QDialog, words: str) -> tuple[QHBoxLayout, QPushButton]:
    """A row with *Cancel* and the main button, which Enter presses; both end the sheet."""
    row = QHBoxLayout()
    row.addStretch(1)
    cancel = QPushButton("Cancel")
    cancel.clicked.connect(dialog.reject)
    go = named(QPushButton(words), "main")
    go.setDefault(True)
    go.clicked.connect(dialog.accept)
    row.addWidget(cancel)
    row.addWidget(go)
    return row, go
