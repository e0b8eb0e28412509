"""A pack made and written: pictures for every destination, icons, contact sheet, read-me and list."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..engine import Engine, Line, Request, SourceStore
from ..errors import Cancelled, EngraverError, Watch, unwatched
from ..files.write import Signed, encode_picture
from ..pressing.tip import heights_of
from ..proof.icon import icon
from ..proof.relief_light import cast
from ..raster import Raster
from ..readiness.destinations import Destination
from ..readiness.export import delivered, orders_for
from ..recipe import Pack, Project
from .listing import ForUse, InFile, InPack, OtherFile, PackFile, settings_listed, to_json
from .place import intact, old_pack, place_at, refuse_strange
from .plan import ICONS, LIST, READ_ME, SHEET, Piece, Planned, line_of, plan, refuse_unfit
from .read_me import read_me
from .sheet import CAST, PER_PAGE, Cell, page_pictures, sheet_pdf

# Raise when pieces are made otherwise than before.
EDITION = 1
# Pieces that are made at once; so many more wait for the disk at most.
_AT_ONCE = 2


class PieceFailed(EngraverError, ValueError):
    """A piece that cannot be delivered for a destination of the pack."""


@dataclass(frozen=True)
class Built:
    """What was written.

    Attributes
    ----------
    listing : PackFile
    kept : int
        Pieces that were as they are already.
    """

    listing: PackFile
    kept: int


@dataclass(frozen=True)
class _Made:
    """A piece with its files; those that are kept have no bytes."""

    listed: InPack
    cast: NDArray[np.uint8]
    files: tuple[tuple[str, bytes], ...]


def build(
    project: Project, out: Path, engine: Engine, *, known: Mapping[str, Destination] | None = None,
    check: Watch = unwatched,
) -> Built:  # fmt: skip
    """Write a project's pack: a zip where ``out`` ends with .zip, else a folder. A pack that lies there is refreshed.

    Raises
    ------
    BadValue
        It holds nothing, is for nothing, or two pieces would write the same file.
    PieceFailed
        A piece cannot be computed, or not be delivered for a destination; what lies there stands.
    FileTrouble
        The disk refused, or something lies there that is no pack.
    Cancelled
        ``check`` said so; what lies there stands.
    """
    planned = plan(project, known)
    refuse_unfit(planned)
    refuse_strange(out)
    old = old_pack(out)
    there = intact(out, old)
    if old is not None and _same(old, preview(project, planned, engine.sources)) and there == set(old.digests()):
        return Built(old, len(old.pieces))
    before = {piece.key: piece for piece in old.pieces} if old is not None else {}
    kept = 0
    with place_at(out, old) as place:
        listed, cells = [], []
        others: list[OtherFile] = []
        for n, (piece, made) in enumerate(_each(project, planned, engine, before, there, check)):
            check(0.95 * n / len(planned.going))
            files = dict(made.files)
            for path in [*(file.path for file in made.listed.files), *made.listed.icons]:
                place.put(path, files[path]) if path in files else place.keep(path)
            kept += not files
            icons = {f.path: f for f in old.files} if old is not None else {}
            others += [_other(path, files[path]) if path in files else icons[path] for path in made.listed.icons]
            listed.append(made.listed)
            cells.append(Cell(made.cast, piece.name, _facts(made.listed)))
        pack = project.pack
        listing = _listing(pack, planned, listed, others, pack.name or project.name)
        whole: dict[str, bytes] = {READ_ME: read_me(listing).encode()}
        below = " · ".join(
            part for part in (pack.author, pack.licence, ", ".join(to.name for to in planned.destinations)) if part
        )
        pdf = sheet_pdf(listing.name, below, cells, text=whole[READ_ME].decode(), check=check)
        whole[f"{SHEET}.pdf"] = pdf
        pages = page_pictures(pdf, -(-len(cells) // PER_PAGE), check)
        whole |= {f"{SHEET}-{n}.png": page for n, page in enumerate(pages, 1)}
        for path, data in whole.items():
            place.put(path, data)
        listing = listing.model_copy(update={"files": (*others, *(_other(p, d) for p, d in whole.items()))})
        place.put(LIST, to_json(listing))
    return Built(listing, kept)


def preview(project: Project, planned: Planned, sources: SourceStore | None = None) -> PackFile:
    """The list of a pack as far as it is known before anything is computed: no files, and keys only with ``sources``.

    Raises EngraverError where a piece's line cannot be resolved for its key.
    """
    pieces = [
        InPack(
            name=piece.name, kind="alpha" if piece.settings is None else "brush", zero="black", tiling=False,
            files=(), stroke=settings_listed(piece.settings),
            key=_key(line_of(project, piece, sources), piece, planned, project.pack) if sources is not None else "",
        )
        for piece in planned.going
    ]  # fmt: skip
    return _listing(project.pack, planned, pieces, (), project.pack.name or project.name)


def _same(old: PackFile, now: PackFile) -> bool:
    """Whether a pack would say and hold what an older one does."""

    def said(one: PackFile) -> PackFile:
        pieces = tuple(
            p.model_copy(update={"files": (), "icons": (), "zero": "black", "tiling": False}) for p in one.pieces
        )
        return one.model_copy(update={"files": (), "pieces": pieces})

    return said(old) == said(now)


def _each(
    project: Project, planned: Planned, engine: Engine, before: Mapping[str, InPack], there: frozenset[str],
    check: Watch,
) -> Iterator[tuple[Piece, _Made]]:  # fmt: skip
    """Every piece in order, two at a time."""
    going = planned.going

    def make(piece: Piece) -> _Made:
        try:
            return _made(project, planned, piece, engine, before, there, check)
        except Cancelled:
            raise
        except EngraverError as error:
            said = error.sentence().rstrip(".")
            raise PieceFailed(f"{piece.name} cannot go into the pack", said, "Or leave it out") from error

    with ThreadPoolExecutor(_AT_ONCE) as pool:
        for first in range(0, len(going), 2 * _AT_ONCE):
            some = going[first : first + 2 * _AT_ONCE]
            yield from zip(some, pool.map(make, some), strict=True)


def _made(
    project: Project, planned: Planned, piece: Piece, engine: Engine, before: Mapping[str, InPack],
    there: frozenset[str], check: Watch,
) -> _Made:  # fmt: skip
    line = line_of(project, piece, engine.sources)
    key = _key(line, piece, planned, project.pack)
    raster = engine.evaluate(line, Request(exact=True), check).raster
    height = heights_of(raster)
    small = cast(height, CAST)
    old = before.get(key)
    if old is not None and all(path in there for path in (*(f.path for f in old.files), *old.icons)):
        return _Made(old, small, ())
    files: list[tuple[str, bytes]] = []
    listed: list[InFile] = []
    for to in planned.uses_of(piece):
        check()
        (order,) = orders_for((to,), piece.stem, (raster.width, raster.height), lambda to: Path(to.id))
        made = delivered(raster, order)
        rows, columns = made.pixels.shape
        for name, data in made.files(order.full_stem, Signed(author=project.pack.author)):
            path = f"{to.id}/{name}"
            files.append((path, data))
            listed.append(InFile(path=path, destination=to.id, sha256=_digest(data), bytes=len(data), width=columns,
                                 height=rows))  # fmt: skip
    icons = []
    for side in planned.icon_sides(piece, project.pack):
        check()
        path = f"{ICONS}/{piece.stem}-{side}.png"
        drawn = icon(height, kind=project.pack.icon, side=side, cache=engine.sources.cache, check=check)
        files.append((path, encode_picture(drawn)))
        icons.append(path)
    return _Made(_listed(piece, raster, listed, icons, key), small, tuple(files))


def _listed(piece: Piece, raster: Raster, files: Sequence[InFile], icons: Sequence[str], key: str) -> InPack:
    return InPack(
        name=piece.name, kind="alpha" if piece.settings is None else "brush", zero=raster.zero,
        tiling=any(raster.wrap), icons=tuple(icons), files=tuple(files), stroke=settings_listed(piece.settings),
        key=key,
    )  # fmt: skip


def _key(line: Line, piece: Piece, planned: Planned, pack: Pack) -> str:
    """Names all that a piece's files depend on."""
    parts = [
        EDITION, line.keys[-1], piece.stem, piece.name, pack.icon, planned.icon_sides(piece, pack), pack.author,
        piece.settings.model_dump(mode="json") if piece.settings is not None else None,
        [to.model_dump(mode="json") for to in planned.uses_of(piece)],
    ]  # fmt: skip
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def _listing(
    pack: Pack, planned: Planned, pieces: Sequence[InPack], others: Sequence[OtherFile], name: str
) -> PackFile:
    uses = tuple(
        ForUse(id=to.id, name=to.name, purpose=to.purpose, polarity=to.polarity(), note=to.note, file=to.file_words())
        for to in planned.destinations
    )
    return PackFile(
        name=name, author=pack.author, licence=pack.licence, about=pack.about, destinations=uses,
        pieces=tuple(pieces), left_out=planned.left_out(),
        files=tuple(others),
    )  # fmt: skip


def _facts(piece: InPack) -> str:
    zero = "mid-grey is zero" if piece.zero == "mid" else "black is zero"
    what = "brush · " if piece.kind == "brush" else ""
    return f"{what}{piece.files[0].width} × {piece.files[0].height} · {zero}"


def _other(path: str, data: bytes) -> OtherFile:
    return OtherFile(path=path, sha256=_digest(data), bytes=len(data))


def _digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()
