"""What is brought to the receiver: files, folders and packs, each file with the habit it is for, if that is known."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from engraver.core.errors import FileTrouble
from engraver.core.files import exr
from engraver.core.files.read import read_bytes
from engraver.core.numeric.framing import rim
from engraver.core.pack import open_pack
from engraver.core.pack.plan import LIST
from engraver.core.raster import Pixels

from .habit import Habit, habit_for

ENDINGS = (".png", ".tif", ".tiff", ".jpg", ".jpeg", ".exr", ".raw", ".r16")


@dataclass(frozen=True)
class Letter:
    """One file on its way.

    Attributes
    ----------
    name : str
    place : Path
        The file, or the pack that it lies in.
    inside : str
        Its path in the pack; "" for a file of its own.
    habit : Habit or None
        The one that it is for; None where nothing tells.
    """

    name: str
    place: Path
    inside: str = ""
    habit: Habit | None = None

    def data(self) -> bytes:
        """Its bytes. Raises FileTrouble or BadPack."""
        if not self.inside:
            return read_bytes(self.place)
        with open_pack(self.place) as found:
            return found.read(self.inside)


def is_pack(place: Path) -> bool:
    """Whether a path is meant as a pack."""
    return place.suffix.lower() == ".zip" or (place / LIST).is_file()


def letters(place: Path) -> Iterator[Letter]:
    """What a path brings. Raises FileTrouble where a folder cannot be read, BadPack where a pack cannot."""
    if is_pack(place):
        with open_pack(place) as found:
            for piece in found.listing.pieces:
                for file in piece.files:
                    if file.path.lower().endswith(ENDINGS):
                        yield Letter(file.path, place, file.path, habit_for(file.destination))
        return
    if not place.is_dir():
        yield Letter(place.name, place)
        return
    try:
        found_files = sorted(p for p in place.rglob("*") if p.is_file() and p.suffix.lower() in ENDINGS)
    except OSError as error:
        raise FileTrouble(f"{place} cannot be read", str(error.strerror or ""), "") from error
    yield from (Letter(p.relative_to(place).as_posix(), p) for p in found_files)


def meant(path: Path) -> Pixels:
    """The heights that were meant, float32 (H, W), from an .exr of them. Raises BadPicture or FileTrouble."""
    decoded = exr.decode(read_bytes(path), path.name, 0)
    values = decoded.values if decoded.values.ndim == 2 else decoded.values[..., 0]
    heights: Pixels = np.nan_to_num(np.asarray(values, np.float32))
    if heights.min() >= 0 and abs(float(np.median(rim(heights))) - 0.5) < 0.02:  # tones whose mid-grey is zero
        heights = 2 * heights - 1
    return heights
