"""Casts of what is kept, made when they are first seen and kept beside the pictures."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import FileTrouble
from ..files.atomic import write_bytes
from ..pressing.tip import heights
from ..proof.relief_light import cast
from ..raster import Zero
from .blobs import Blobs
from .to_keep import reduced

# The side of a kept cast; the version of how they are made stands in the folder's name.
SIDE = 256
FOLDER = "casts-1"
_QUALITY = 92


class Reliefs:
    """Casts of a cabinet's pictures; safe to use from several threads.

    Parameters
    ----------
    folder : Path
        Of the cabinet. Where it cannot be written, casts are made anew each time.
    """

    def __init__(self, folder: Path) -> None:
        self._folder, self._blobs = folder / FOLDER, Blobs(folder / "pictures")

    def _path(self, digest: str, zero: Zero) -> Path:
        return self._folder / digest[:2] / f"{digest}-{zero}"

    def get(self, digest: str, zero: Zero) -> NDArray[np.uint8]:
        """A picture's cast, uint8 (H, W, 3), its longer side SIDE. Raises FileTrouble or BadPicture."""
        path = self._path(digest, zero)
        with suppress(OSError):
            data = np.frombuffer(path.read_bytes(), np.uint8)
            found = cv2.imdecode(data, cv2.IMREAD_COLOR) if data.size else None
            if found is not None and max(found.shape[:2]) <= SIDE:
                return np.ascontiguousarray(found)
        made = self.large(digest, zero, SIDE)
        # Normals are no colours: every pixel keeps all three.
        how = [cv2.IMWRITE_JPEG_QUALITY, _QUALITY, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, 0x111111]
        good, data = cv2.imencode(".jpg", made, how)
        if good:
            with suppress(FileTrouble, OSError):
                path.parent.mkdir(parents=True, exist_ok=True)
                write_bytes(path, data.tobytes())
        return made

    def large(self, digest: str, zero: Zero, side: int) -> NDArray[np.uint8]:
        """A cast at another side, which is not kept. Raises FileTrouble or BadPicture."""
        return cast(heights(reduced(self._blobs.get(digest), 2 * side), zero), side)

    def forget_all_but(self, digests: Iterable[str]) -> None:
        """Casts of pictures that are kept no more go."""
        known = set(digests)
        for path in self._folder.glob("??/*"):
            if path.name.partition("-")[0] not in known:
                with suppress(OSError):
                    path.unlink()
