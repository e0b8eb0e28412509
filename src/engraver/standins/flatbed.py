"""The practice scanner: made-up sheets on a bed, scanned line by line as a real one would give them."""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Mapping

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from engraver.core.errors import BadValue
from engraver.core.files.write import encode_rgb

from .devices import ScanSettings

INCHES = (8.5, 6.5)
PREVIEW_DPI = 60
OWN_DPI = 200
LEAST, MOST = 75, 1200
BAND = 64
LID = 0.1

Sheet = Callable[[int, int], NDArray[np.float32]]


class PracticeScanner:
    """Scans sheets given as functions (height, width) -> colours (H, W, 3) in 0..1.

    What it gives is what a real one gives: the lid's shadow toward the borders, a sheet that
    lies a little skew, dust on the glass and a fold in the paper.
    """

    name = "Practice scanner"

    def __init__(self, sheets: Mapping[str, Sheet]) -> None:
        self._sheets = dict(sheets)
        self._beds: dict[str, NDArray[np.float32]] = {}

    def sheets(self) -> tuple[str, ...]:
        return tuple(self._sheets)

    def size(self) -> tuple[float, float]:
        return INCHES

    def skew(self, sheet: str) -> float:
        """How far the sheet lies turned, in degrees: always the same for the same sheet."""
        return ((sum(sheet.encode()) % 23) - 11) * 0.12

    def _bed(self, sheet: str) -> NDArray[np.float32]:
        """The bed with the sheet on it, at the generator's own resolution."""
        if sheet not in self._sheets:
            raise BadValue(f"There is no sheet called {sheet!r} on the bed", "", f"Choose {', '.join(self._sheets)}")
        if sheet not in self._beds:
            width, height = (round(inch * OWN_DPI) for inch in INCHES)
            inner_w, inner_h = width - OWN_DPI * 4 // 5, height - OWN_DPI * 7 // 10
            page = self._sheets[sheet](inner_h, inner_w).astype(np.float32)
            x = np.arange(inner_w, dtype=np.float32)
            page *= (1 - 0.14 * np.exp(-(((x - inner_w * 0.41) / 6) ** 2)))[None, :, None]
            angle = math.radians(self.skew(sheet))
            spin = np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
            shift = np.array([width / 2, height / 2]) - spin @ np.array([inner_w / 2, inner_h / 2])
            matrix = np.column_stack([spin, shift])
            laid = cv2.warpAffine(page, matrix, (width, height), flags=cv2.INTER_CUBIC)
            there = cv2.warpAffine(np.ones((inner_h, inner_w), np.float32), matrix, (width, height))[..., None]
            bed = LID + there * (np.clip(laid, 0, 1) - LID)
            y = np.minimum(np.arange(height), np.arange(height)[::-1]).astype(np.float32)[:, None]
            near = np.minimum(y, np.minimum(np.arange(width), np.arange(width)[::-1]).astype(np.float32))
            bed *= (1 - 0.32 * np.exp(-near / (0.35 * OWN_DPI)))[..., None]
            self._beds[sheet] = _with_dust(bed.astype(np.float32), sum(sheet.encode()))
        return self._beds[sheet]

    def preview(self, sheet: str) -> NDArray[np.uint8]:
        bed = self._bed(sheet)
        size = (round(INCHES[0] * PREVIEW_DPI), round(INCHES[1] * PREVIEW_DPI))
        small = cv2.resize(bed, size, interpolation=cv2.INTER_AREA)
        seen: NDArray[np.uint8] = (np.clip(small, 0, 1) * 255 + 0.5).astype(np.uint8)
        return seen

    def scan(self, sheet: str, settings: ScanSettings, progress: Callable[[int, int], None]) -> bytes:
        """Line by line.

        Raises
        ------
        BadValue
            A sheet, resolution or region that cannot be scanned.
        """
        if not LEAST <= settings.dpi <= MOST:
            raise BadValue(f"The scanner cannot scan at {settings.dpi} DPI", "", f"It goes from {LEAST} to {MOST}")
        left, top, right, bottom = settings.region
        if not (0 <= left < right <= 1 and 0 <= top < bottom <= 1):
            raise BadValue("That region lies off the scanner's bed", "", "Choose one inside it")
        bed = self._bed(sheet)
        height, width = bed.shape[:2]
        rows = max(1, round((bottom - top) * INCHES[1] * settings.dpi))
        columns = max(1, round((right - left) * INCHES[0] * settings.dpi))
        highest = 255 if settings.depth == 8 else 65535
        out = np.empty((rows, columns, 3), np.uint8 if settings.depth == 8 else np.uint16)
        rng = np.random.Generator(np.random.PCG64([settings.dpi, sum(sheet.encode())]))
        # Bed pixels under each line's centre; coarser scans average over what a line covers.
        step = OWN_DPI / settings.dpi
        soft = bed if step <= 1 else cv2.blur(bed, (max(1, round(step)),) * 2)
        x = (left * width + (np.arange(columns, dtype=np.float32) + 0.5) * step - 0.5).astype(np.float32)
        for first in range(0, rows, BAND):
            progress(first, rows)
            lines = np.arange(first, min(rows, first + BAND), dtype=np.float32)
            y = (top * height + (lines + 0.5) * step - 0.5).astype(np.float32)
            across, down = np.broadcast_to(x, (len(y), columns)), np.broadcast_to(y[:, None], (len(y), columns))
            band = cv2.remap(
                soft, np.ascontiguousarray(across), np.ascontiguousarray(down), cv2.INTER_LINEAR,
                borderMode=cv2.BORDER_REPLICATE,
            )  # fmt: skip
            band += rng.standard_normal(band.shape, dtype=np.float32) * np.float32(0.004)
            out[first : first + len(y)] = np.clip(band, 0, 1) * highest + 0.5
        progress(rows, rows)
        if settings.depth == 16:
            return encode_rgb(out, settings.dpi)
        file = io.BytesIO()
        Image.fromarray(out).save(file, "PNG", dpi=(settings.dpi, settings.dpi), compress_level=3)
        return file.getvalue()


def _with_dust(bed: NDArray[np.float32], seed: int) -> NDArray[np.float32]:
    """Specks and hairs on the glass."""
    rng = np.random.Generator(np.random.PCG64(seed))
    height, width = bed.shape[:2]
    layer = np.zeros((height, width), np.uint8)
    for _ in range(70):
        place = (int(rng.integers(0, width)), int(rng.integers(0, height)))
        cv2.circle(layer, place, int(rng.integers(1, 3)), 255, -1, cv2.LINE_AA)
    for _ in range(6):
        start = np.array([rng.integers(0, width), rng.integers(0, height)], float)
        way = start + np.cumsum(rng.normal(0, 4, (12, 2)) + rng.normal(0, 4, 2), axis=0)
        cv2.polylines(layer, [(way * 16).astype(np.int32)[:, None]], False, 255, 1, cv2.LINE_AA, 4)
    dust = (layer.astype(np.float32) / np.float32(255))[..., None]
    return bed + dust * (np.float32(0.93) - bed)
