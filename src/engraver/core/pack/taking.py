"""A pack's pieces taken into the cabinet."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import PurePosixPath

from pydantic import ValidationError

from ..cabinet import Entry
from ..cabinet.to_keep import ToKeep, of_file
from ..errors import BadPicture
from ..pressing.settings import StrokeSettings
from .listing import InPack
from .opened import Opened

# Kinds of files that a picture is read from, the best first.
_READ = (".png", ".tif", ".tiff", ".exr", ".jpg")


def pieces_of(pack: Opened) -> Iterator[tuple[str, ToKeep | str]]:
    """Each piece by its name, ready to be kept, or a sentence on why it cannot be.

    Of several files the first of the best kind is taken. Brushes come with their stroke settings.
    """
    for piece in pack.listing.pieces:
        path = _best(piece)
        if path is None:
            yield piece.name, f"{piece.name} has no picture that can be read."
            continue
        try:
            made = of_file(pack.read(path), PurePosixPath(path).name)
        except BadPicture as error:
            yield piece.name, error.sentence()
            continue
        yield piece.name, replace(made, entry=_entry(made.entry, piece, pack))


def _best(piece: InPack) -> str | None:
    found = [f.path for ending in _READ for f in piece.files if f.path.lower().endswith(ending)]
    return found[0] if found else None


def _entry(entry: Entry, piece: InPack, pack: Opened) -> Entry:
    settings = _settings(piece)
    listing = pack.listing
    said = [f"From the pack {listing.name}"]
    said += [f"by {listing.author}"] if listing.author else []
    said += [f"licence: {listing.licence}"] if listing.licence else []
    return entry.model_copy(update={
        "name": piece.name, "kind": "brush" if settings is not None else "alpha", "zero": piece.zero,
        "tiling": piece.tiling, "notes": ", ".join(said)[:4000], "tags": ("pack", listing.name[:60]),
        "origin": f"{entry.origin} {piece.kind}", "destination": "",
        "more": {"settings": settings.model_dump(mode="json")} if settings is not None else {},
    })  # fmt: skip


def _settings(piece: InPack) -> StrokeSettings | None:
    """A brush's settings, as far as they can be understood; nothing else of a stranger's list is believed."""
    if piece.kind != "brush":
        return None
    values = {s.id: s.value for s in piece.stroke if s.id in StrokeSettings.model_fields}
    try:
        return StrokeSettings.model_validate(values)
    except ValidationError:
        return StrokeSettings()
