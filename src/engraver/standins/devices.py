"""What a scanner and a camera can do: the interface that stand-ins and real devices implement."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

Region = tuple[float, float, float, float]
Depth = Literal[8, 16]
WHOLE: Region = (0.0, 0.0, 1.0, 1.0)


@dataclass(frozen=True, slots=True)
class ScanSettings:
    """How to scan: dots per inch (75 to 1200), the region as shares of the bed, bits a channel."""

    dpi: int = 300
    region: Region = WHOLE
    depth: Depth = 8


class Scanner(Protocol):
    """A flatbed: ``progress`` is called with the lines done and all lines, and may raise to stop."""

    name: str

    def sheets(self) -> tuple[str, ...]:
        """What can lie on the bed."""

    def size(self) -> tuple[float, float]:
        """Width and height of the bed in inches."""

    def preview(self, sheet: str) -> NDArray[np.uint8]:
        """A quick look at the whole bed, (H, W, 3)."""

    def scan(self, sheet: str, settings: ScanSettings, progress: Callable[[int, int], None]) -> bytes:
        """A PNG (8 bits) or a TIFF (16 bits) with its DPI."""


class Camera(Protocol):
    """A phone or a camera that hands over its photos one by one."""

    name: str

    def shoot(self) -> tuple[str, bytes]:
        """The next photo: a file name and a JPEG."""
