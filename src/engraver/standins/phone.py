"""The practice camera: torch-lit photos of made-up things, held on its side as phones hold them."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray
from PIL import Image

_ORIENTATION, _MAKE = 0x0112, 0x010F
# 6: the stored picture is turned a quarter clockwise to be upright (Exif 2.3, TIFF 6.0 p. 36).
_ON_ITS_SIDE = 6

Subject = tuple[str, Callable[[], NDArray[np.uint8]]]


class PracticeCamera:
    """Photographs its subjects in turn: each a name and a function that gives an upright picture (H, W, 3)."""

    name = "Practice camera"

    def __init__(self, subjects: Sequence[Subject]) -> None:
        self._subjects = tuple(subjects)
        self._taken = 0

    def shoot(self) -> tuple[str, bytes]:
        name, make = self._subjects[self._taken % len(self._subjects)]
        self._taken += 1
        upright = make()
        exif = Image.Exif()
        exif[_ORIENTATION], exif[_MAKE] = _ON_ITS_SIDE, self.name
        out = io.BytesIO()
        # Stored turned a quarter against the clock: the tag turns it back.
        Image.fromarray(np.ascontiguousarray(np.rot90(upright))).save(out, "JPEG", quality=92, exif=exif)
        return f"{name}_{self._taken:02}.jpg", out.getvalue()
