"""What keys mean to something that is chosen, wherever it lies."""

from __future__ import annotations

from PySide6.QtCore import Qt

# So many steps to the right, and so many down.
ARROWS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
REMOVES = (Qt.Key.Key_Delete, Qt.Key.Key_Backspace)
# How many steps an arrow goes with Shift.
FAR = 10
