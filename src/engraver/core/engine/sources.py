"""The bytes of sources, and their pixels at the scale that is asked for."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path

import numpy as np

from engraver.core.mesh.capture import Capture, Found, capture, measured
from engraver.core.mesh.read import EXTENSIONS as MESHES
from engraver.core.mesh.read import format_of, is_mesh
from engraver.core.mesh.read import load as load_mesh
from engraver.core.mesh.shape import Shape

from ..errors import FileTrouble, Watch, unwatched
from ..files.picture import PictureFacts, Reading, raster_facts
from ..files.read import EXTENSIONS as PICTURES
from ..files.read import facts as picture_facts
from ..files.read import first_reading, is_picture, load, read_bytes
from ..numeric import resample
from ..raster import Facts, Raster
from ..recipe.first_mesh import first_capture
from ..recipe.models import AnyReading, MeshAs, Source, new_id
from .cache import Cache

LINK_ABOVE = 200_000_000
# Endings of files that can be a source.
SOURCES = (*PICTURES, *MESHES)
# Bytes of meshes kept ready; the one in use always is.
MESHES_KEPT = 2_000_000_000


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
        self._shapes: OrderedDict[str, Shape] = OrderedDict()
        self._found: dict[str, Found] = {}
        self._lock = threading.Lock()
        self._loading = threading.Lock()

    def add(self, data: bytes, name: str, link: Path | None = None, check: Watch = unwatched) -> Source:
        """Take in a picture or mesh file as it came. Raises BadPicture or BadMesh when it is not a usable one."""
        key, mesh = digest(data), not is_picture(data) and is_mesh(data, name)
        if mesh:
            shape = _shape(data, name, check)
            self._keep(key, shape)
        else:
            known = picture_facts(data, name)
        with self._lock:
            if not mesh:
                self._facts[key] = known
            if link is None:
                self._bytes.setdefault(key, lambda: data)
        kind = "mesh" if mesh else "picture"
        return Source(id=new_id("src"), kind=kind, name=name, sha256=key, link=str(link) if link else None)

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
        path = Path(source.link)
        if not path.is_file():
            raise FileTrouble(
                f"{source.name} is not at its place any more", f"it was linked from {path.parent}",
                "Choose the source card and press Find it again",
            )  # fmt: skip
        data = read_bytes(path)
        if digest(data) != source.sha256:
            raise FileTrouble(
                f"The linked source {source.name} has changed", "it is no longer the same file", "Open it as new"
            )
        return data

    def missing(self, source: Source) -> bool:
        """Whether a linked source is not at its place (its contents are not looked at)."""
        with self._lock:
            known = source.sha256 in self._bytes
        return not known and source.link is not None and not Path(source.link).is_file()

    def relink(self, source: Source, path: Path) -> Path:
        """Where a linked source lies now, once the file there is known to be the same.

        Raises
        ------
        FileTrouble
            When it cannot be read, or is another file.
        """
        if digest(read_bytes(path)) != source.sha256:
            raise FileTrouble(
                f"{path.name} is not the same file as {source.name}", "its contents differ",
                "Choose another one, or replace the source by it",
            )  # fmt: skip
        return path.resolve()

    # -- meshes --------------------------------------------------------------------

    def _keep(self, key: str, shape: Shape) -> None:
        with self._lock:
            self._shapes[key] = shape
            self._shapes.move_to_end(key)
            while len(self._shapes) > 1 and sum(s.nbytes for s in self._shapes.values()) > MESHES_KEPT:
                self._shapes.popitem(last=False)

    def shape_at_hand(self, source: Source) -> Shape | None:
        """The mesh, when it is at hand without reading."""
        with self._lock:
            return self._shapes.get(source.sha256)

    def shape_of(self, source: Source, check: Watch = unwatched) -> Shape:
        """The mesh of a source, read when it is not at hand. Raises BadMesh or FileTrouble."""
        with self._loading:  # two threads that ask for it do not both read it
            found = self.shape_at_hand(source)
            if found is None:
                found = _shape(self.bytes_of(source), source.name, check)
            self._keep(source.sha256, found)
        return found

    def known(self, source: Source, reading: Capture) -> Found | None:
        """Frame, range and zero of a capture, when they have been found."""
        with self._lock:
            return self._found.get(self.key(source, reading))

    def found(self, source: Source, reading: Capture, check: Watch = unwatched) -> Found:
        """Frame, range and zero of a capture. Raises BadMesh when nothing lies in the frame."""
        known = self.known(source, reading)
        if known is None:
            known = measured(self.shape_of(source, check), reading, check)
            with self._lock:
                if len(self._found) > 2000:
                    self._found.clear()
                self._found[self.key(source, reading)] = known
        return known

    def first_reading(self, source: Source, mesh_as: MeshAs | None = None, check: Watch = unwatched) -> AnyReading:
        """How a new plate reads the source. Raises BadPicture, BadMesh or FileTrouble."""
        if source.kind == "mesh":
            return first_capture(self.shape_of(source, check), mesh_as)
        return Reading() if source.kind == "blank" else first_reading(self.bytes_of(source), source.name)

    # -- pictures ------------------------------------------------------------------

    def picture_facts(self, source: Source) -> PictureFacts:
        """What the header of a picture source tells."""
        with self._lock:
            known = self._facts.get(source.sha256)
        if known is None:
            known = picture_facts(self.bytes_of(source), source.name)
            with self._lock:
                self._facts[source.sha256] = known
        return known

    def facts(self, source: Source, reading: AnyReading) -> Facts:
        """What the source's raster will be, without its pixels; a mesh's units once they have been found."""
        if source.kind == "blank":
            return Facts(source.side, source.side)
        if isinstance(reading, Capture):
            known = self.known(source, reading)
            return reading.facts().but(units=None if known is None else known.units)
        found = raster_facts(self.picture_facts(source))
        if reading.lo is not None and reading.hi is not None and found.lattice is None:
            return found.but(units=max(reading.hi - reading.lo, 1e-12))
        return found

    def key(self, source: Source, reading: AnyReading) -> str:
        """Names the source's full-size raster."""
        if source.kind == "blank":
            return f"blank {source.side} {source.grey}"
        return f"{source.sha256} {reading.model_dump_json()}"

    def raster(
        self, source: Source, reading: AnyReading, size: tuple[int, int], cache: Cache,
        check: Watch = unwatched,
    ) -> Raster:  # fmt: skip
        """The source reduced to ``size`` (height, width) by area average, from a pyramid of halves.

        A mesh is captured anew at that size.
        """
        if source.kind == "blank":
            return Raster.of(np.full(size, source.grey, np.float32))
        if isinstance(reading, Capture):
            shape = self.shape_of(source, check)
            return capture(shape, reading, self.found(source, reading, check), size, check)
        key = self.key(source, reading)
        facts = self.facts(source, reading)
        level, rows, columns = 0, facts.height, facts.width
        # The level kept is at least four times as fine: an average of averages would blur.
        while rows // 2 >= 4 * size[0] and columns // 2 >= 4 * size[1]:
            level, rows, columns = level + 1, rows // 2, columns // 2
        raster = self._level(source, reading, key, level, cache, check)
        check()
        return _reduced(raster, size)

    def _level(self, source: Source, reading: Reading, key: str, level: int, cache: Cache, check: Watch) -> Raster:
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


def _shape(data: bytes, name: str, check: Watch) -> Shape:
    known = format_of(data, name)
    return Shape(load_mesh(data, name, check), known.name if known else "")


def _reduced(raster: Raster, size: tuple[int, int]) -> Raster:
    if (raster.height, raster.width) == size:
        return raster
    pixels, cover = resample.with_coverage(raster.pixels, raster.coverage, *size, raster.wrap)
    return raster.but(pixels=pixels, coverage=cover, lattice=None)
