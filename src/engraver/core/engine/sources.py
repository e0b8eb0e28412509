"""The bytes of sources, and their pixels at the scale that is asked for."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np

from ..errors import FileTrouble
from ..files.picture import PictureFacts, Reading, raster_facts
from ..files.read import facts as picture_facts
from ..files.read import load, read_bytes
from ..numeric import resample
from ..raster import Facts, Raster
from ..recipe.models import Source, new_id
from .cache import Cache

LINK_ABOVE = 200_000_000


def digest(data: bytes) -> str:
    """SHA-256 of a source's bytes, in hex: its name in a project file."""
    return hashlib.sha256(data).hexdigest()


class SourceStore:
    """Holds the bytes of embedded sources by their SHA-256 and decodes on demand.

    Safe to use from several threads. Bytes may be given as a function that reads
    them when needed, so that opening a project does not read its pictures.
    """

    def __init__(self) -> None:
        self._bytes: dict[str, Callable[[], bytes]] = {}
        self._facts: dict[str, PictureFacts] = {}
        self._lock = threading.Lock()

    def add(self, data: bytes, name: str, link: Path | None = None) -> Source:
        """Take in a picture file as it came. Raises BadPicture when it is not a usable one."""
        known = picture_facts(data, name)
        key = digest(data)
        with self._lock:
            self._facts[key] = known
            self._bytes.setdefault(key, lambda: data)
        return Source(id=new_id("src"), name=name, sha256=key, link=str(link) if link else None)

    def provide(self, sha256: str, reader: Callable[[], bytes]) -> None:
        """Say where the bytes of a digest can be read."""
        with self._lock:
            self._bytes[sha256] = reader

    def bytes_of(self, source: Source) -> bytes:
        """The source's file, from the project or from its link.

        Raises
        ------
        FileTrouble
            When a linked file is gone or has changed.
        """
        with self._lock:
            reader = self._bytes.get(source.sha256)
        if reader is not None:
            return reader()
        if source.link is None:
            raise FileTrouble(f"The source {source.name} is missing from the project", "", "Open it again")
        data = read_bytes(Path(source.link))
        if digest(data) != source.sha256:
            raise FileTrouble(
                f"The linked source {source.name} has changed", "it is no longer the same file", "Open it as new"
            )
        return data

    def picture_facts(self, source: Source) -> PictureFacts:
        """What the header of a picture source tells."""
        with self._lock:
            known = self._facts.get(source.sha256)
        if known is None:
            known = picture_facts(self.bytes_of(source), source.name)
            with self._lock:
                self._facts[source.sha256] = known
        return known

    def facts(self, source: Source, reading: Reading) -> Facts:
        """What the source's raster will be, without its pixels."""
        if source.kind == "blank":
            return Facts(source.side, source.side)
        found = raster_facts(self.picture_facts(source))
        if reading.lo is not None and reading.hi is not None and found.lattice is None:
            return found.but(units=max(reading.hi - reading.lo, 1e-12))
        return found

    def key(self, source: Source, reading: Reading) -> str:
        """Names the source's full-size raster."""
        if source.kind == "blank":
            return f"blank {source.side} {source.grey}"
        return f"{source.sha256} {reading.model_dump_json()}"

    def raster(
        self, source: Source, reading: Reading, size: tuple[int, int], cache: Cache,
        check: Callable[[], None] = lambda: None,
    ) -> Raster:  # fmt: skip
        """The source reduced to ``size`` (height, width) by area average, from a pyramid of halves."""
        if source.kind == "blank":
            return Raster.of(np.full(size, source.grey, np.float32))
        key = self.key(source, reading)
        facts = self.facts(source, reading)
        level, rows, columns = 0, facts.height, facts.width
        # The level kept is at least four times as fine: an average of averages would blur.
        while rows // 2 >= 4 * size[0] and columns // 2 >= 4 * size[1]:
            level, rows, columns = level + 1, rows // 2, columns // 2
        raster = self._level(source, reading, key, level, cache, check)
        check()
        return _reduced(raster, size)

    def _level(
        self, source: Source, reading: Reading, key: str, level: int, cache: Cache, check: Callable[[], None]
    ) -> Raster:
        name = f"pyramid {level} {key}"
        found = cache.get(name)
        if found is None:
            if level == 0:
                found = load(self.bytes_of(source), source.name, reading)
            else:
                above = self._level(source, reading, key, level - 1, cache, check)
                check()
                found = _reduced(above, (above.height // 2, above.width // 2))
            cache.put(name, found)
        return found


def _reduced(raster: Raster, size: tuple[int, int]) -> Raster:
    if (raster.height, raster.width) == size:
        return raster
    pixels, cover = resample.with_coverage(raster.pixels, raster.coverage, *size, raster.wrap)
    return raster.but(pixels=pixels, coverage=cover, lattice=None)
