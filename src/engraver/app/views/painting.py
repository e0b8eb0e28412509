"""Arrays to Qt pictures."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QImage


def picture_of(array: np.ndarray) -> QImage:
    """A uint8 (H, W) grey or (H, W, 3) RGB array as a picture of its own."""
    array = np.ascontiguousarray(array)
    height, width = array.shape[:2]
    if array.ndim == 2:
        return QImage(array.data, width, height, width, QImage.Format.Format_Grayscale8).copy()
    return QImage(array.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
