"""The store of sources: asks each source's kind for facts, keys and pixels."""

from __future__ import annotations

from pathlib import Path

from .. import limits
from ..errors import Watch, unwatched
from ..params import StepZero
from ..raster import Facts, Raster
from ..recipe.models import Source, new_id
from .catalogue import SOURCE_KINDS, source_kind
from .holding import Holding
from .kind import First, Size
from .picture import PICTURE


class SourceStore(Holding):
    """Holds the files of sources and decodes on demand; safe to use from several threads."""

    def add(self, data: bytes, name: str, link: Path | None = None, check: Watch = unwatched) -> Source:
        """Take in a file as it came. Raises BadPicture or BadMesh when it is not a usable one."""
        # What nobody knows is told in the words of pictures: they are what is dropped most.
        kind = next((k for k in SOURCE_KINDS.values() if k.knows(data, name)), PICTURE)
        file = kind.take_in(data, name, self, check).model_copy(update={"link": str(link) if link else None})
        if link is None:
            self.offer(file.sha256, lambda: data)
        return Source(id=new_id("src"), kind=kind.id, name=name[: limits.NAME], files=(file,))

    def start(self, source: Source, check: Watch = unwatched) -> StepZero:
        """How a new plate reads a source. Raises BadPicture, BadMesh or FileTrouble."""
        return source_kind(source.kind).start(source, self, check)

    def first(
        self, source: Source, what: str | None = None, before: StepZero | None = None, check: Watch = unwatched
    ) -> First:
        """What a new plate of a source starts with. Raises BadPicture, BadMesh or FileTrouble."""
        return source_kind(source.kind).first(source, self, what, before, check)

    def facts(self, source: Source, reading: StepZero) -> Facts:
        """What the source's raster will be, without its pixels; a mesh's units once they have been found."""
        return source_kind(source.kind).facts(source, reading, self)

    def key(self, source: Source, reading: StepZero) -> str:
        """Names the source's full-size raster."""
        return source_kind(source.kind).key(source, reading)

    def raster(
        self, source: Source, reading: StepZero, size: Size, check: Watch = unwatched, *, coarse: bool = False
    ) -> Raster:
        """The source at ``size`` (height, width)."""
        return source_kind(source.kind).raster(source, reading, size, self, check, coarse)
