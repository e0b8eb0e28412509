"""A picture: a photo, a scan, a drawing, a height map, in any format that is known."""

from __future__ import annotations

from typing import Any, cast

from ..errors import BadPicture, EngraverError, Watch
from ..files.picture import PictureFacts, Reading, raster_facts
from ..files.read import EXTENSIONS, converted, decoded, first_reading, is_picture
from ..files.read import facts as header_facts
from ..numeric import resample
from ..params import StepZero
from ..raster import Facts, Raster
from ..recipe.first import CHOOSES, READ_AS, first_of
from ..recipe.models import PictureAs, Source, SourceFile
from ..recipe.recognise import guess
from .holding import Holding, digest
from .kind import First, Size, SourceKind

_GUESS_SIDE = 512


def picture_facts(source: Source, holding: Holding) -> PictureFacts:
    """What the header tells: kept with the source, else read once. Raises BadPicture or FileTrouble."""
    known = source.file.facts or holding.cache.noted(f"header {source.file.sha256}")
    if known is None:
        known = header_facts(holding.bytes_of(source), source.name)
        holding.cache.note(f"header {source.file.sha256}", known)
    return cast(PictureFacts, known)


def _facts(source: Source, reading: Reading, holding: Holding) -> Facts:
    return raster_facts(picture_facts(source, holding), reading)


def _raster(source: Source, reading: Reading, size: Size, holding: Holding, check: Watch, coarse: bool) -> Raster:
    """The picture reduced to ``size`` by area average, from a pyramid of halves."""
    facts = _facts(source, reading, holding)
    raster = _level(source, reading, level_for(facts, size), facts, holding, check)
    check()
    return reduced(raster, size)


def level_for(facts: Facts, size: Size) -> int:
    """How many times the picture may be halved for this size."""
    level, rows, columns = 0, facts.height, facts.width
    # The level kept is at least four times as fine: an average of averages would blur.
    while rows // 2 >= 4 * size[0] and columns // 2 >= 4 * size[1]:
        level, rows, columns = level + 1, rows // 2, columns // 2
    return level


def _level(source: Source, reading: Reading, level: int, facts: Facts, holding: Holding, check: Watch) -> Raster:
    name = f"pyramid {level} {PICTURE.key(source, reading)}"
    found = holding.cache.get(name)
    if found is None:
        if level == 0:
            found = _whole(source, reading, facts, holding)
        else:
            above = _level(source, reading, level - 1, facts, holding, check)
            check()
            found = reduced(above, (above.height // 2, above.width // 2))
        if level or not holding.cache.takes_much(found):
            holding.cache.put(name, found)
    return cast(Raster, found)


def _whole(source: Source, reading: Reading, facts: Facts, holding: Holding) -> Raster:
    """The picture at full size. Of one that would fill much of the cache the stored samples are kept: they take a
    quarter of the room, and are made a raster again in a moment."""
    name = f"stored {source.file.sha256} {reading.page}"
    stored = holding.cache.get(name)
    if stored is None:
        stored = decoded(holding.bytes_of(source), source.name, reading.page)
    found = converted(stored, reading, source.name)
    _as_said(source, found, facts)
    if holding.cache.takes_much(found):
        holding.cache.put(name, stored)
    return found


def _as_said(source: Source, raster: Raster, facts: Facts) -> None:
    """A project could say anything of its pictures: what was built on that would not fit the pixels."""
    if (raster.width, raster.height, raster.channels) != (facts.width, facts.height, facts.channels):
        raise BadPicture(
            f"The source {source.name} is not what the project says of it",
            f"it has {raster.width} × {raster.height} pixels", "Replace the source by itself",
        )  # fmt: skip


def reduced(raster: Raster, size: Size) -> Raster:
    """A raster brought to ``size`` by area average."""
    if (raster.height, raster.width) == size:
        return raster
    pixels, cover = resample.with_coverage(raster.pixels, raster.coverage, *size, raster.wrap)
    return raster.but(pixels=pixels, coverage=cover, lattice=None)


# What a small picture shows: what it is, where its subject or its zero lies, and whether a wall is seen aslant.
_LOOKED_AT = (None, "subject", "plain", "surface")


def _knows(data: bytes, name: str) -> bool:
    return is_picture(data)


def _take_in(data: bytes, name: str, holding: Holding, check: Watch) -> SourceFile:
    return SourceFile(sha256=digest(data), facts=header_facts(data, name))


def _start(source: Source, holding: Holding, check: Watch) -> Reading:
    known = source.file.facts
    if known is not None and not known.ranged:
        return Reading()
    return first_reading(holding.bytes_of(source), source.name)


def _first(source: Source, holding: Holding, what: str | None, before: StepZero | None, check: Watch) -> First:
    reading = cast(Reading, before) if before is not None else _start(source, holding, check)
    known, facts = picture_facts(source, holding), _facts(source, reading, holding)
    check()
    raster = None
    if what in _LOOKED_AT:
        ratio = min(1.0, _GUESS_SIDE / facts.shorter)
        size = max(1, round(facts.height * ratio)), max(1, round(facts.width * ratio))
        raster = _raster(source, reading, size, holding, check, False)
    read_as = cast(PictureAs, what) if what is not None else guess(cast(Raster, raster), known)
    return First(reading, read_as, *first_of(read_as, facts, known, raster))


def _completed(source: Source, holding: Holding, check: Watch) -> Source:
    if not source.files or source.file.facts is not None:
        return source
    try:
        seen = header_facts(holding.bytes_of(source), source.name)
    except EngraverError:
        return source  # its plate will tell
    return source.model_copy(update={"files": (source.file.model_copy(update={"facts": seen}),)})


def _words(source: Source, reading: Any, holding: Holding) -> str:
    known = picture_facts(source, holding)
    ends = (reading.lo, reading.hi)
    stated = f" · {known.range_words(*ends)}" if None not in ends else ""
    return f"{source.name} · {known.words()}{stated} · fills a plate up to {known.sharp_side} px sharply"


def _rows(source: Source) -> tuple[str, ...]:
    known = source.file.facts
    if known is None:
        return ("reversed",)
    lo_hi = ("lo", "hi") if known.ranged else ()
    return (*lo_hi, "reversed", *(("page",) if known.pages > 1 else ()))


PICTURE = SourceKind(
    id="picture", name="Picture", help="A photo, a scan, a drawing or a height map.", reading=Reading, files="one",
    facts=_facts, raster=_raster, start=_start, first=_first, extensions=EXTENSIONS, knows=_knows, take_in=_take_in,
    read_as=cast(dict[str, str], READ_AS), referable=True, words=_words, rows=_rows,
    chooses=CHOOSES,
    completed=_completed, kept=True,
)  # fmt: skip
