"""The read-me of a pack, in plain text: what is in it, where its files go, what to watch for."""

from __future__ import annotations

import textwrap

from .listing import PackFile

_WIDE = 78


def read_me(listing: PackFile) -> str:
    """The text, lines of at most 78 letters, ended by a line end."""
    count = len(listing.pieces)
    brushes = sum(piece.kind == "brush" for piece in listing.pieces)
    parts = [listing.name, "=" * min(_WIDE, len(listing.name)), ""]
    what = f"{count} {'piece' if count == 1 else 'pieces'}"
    if brushes:
        what += f", {brushes} of them with stroke settings"
    parts.append(what + ".")
    parts += [f"Made by {listing.author}."] if listing.author else []
    parts += [f"Licence: {listing.licence}"] if listing.licence else []
    if listing.about:
        parts += ["", *_paragraphs(listing.about)]
    parts += ["", "WHERE THE FILES GO", ""]
    for to in listing.destinations:
        parts.append(f"{to.id}/  {to.name}")
        parts += _lines(f"{to.purpose} {to.file}. In these files {to.polarity}.", "    ")
        parts += _lines(f"Watch for: {to.note}", "    ") if to.note else []
        parts.append("")
    parts += ["WHAT IS IN IT", ""]
    for piece in listing.pieces:
        zero = f", {'mid-grey' if piece.zero == 'mid' else 'black'} is zero" if piece.files else ""
        tiles = ", tiles" if piece.tiling else ""
        parts += _lines(f"{piece.name} ({piece.kind}{zero}{tiles})", "")
        parts += [f"    {file.path}  {file.width} x {file.height}" for file in piece.files]
    brushes_listed = [piece for piece in listing.pieces if piece.stroke]
    if brushes_listed:
        parts += ["", "STROKE SETTINGS", "", "To rebuild a brush by hand, in any program that has such settings:", ""]
        for piece in brushes_listed:
            parts.append(piece.name)
            parts += [f"    {one.name}: {one.read}" for one in piece.stroke if one.read]
            parts.append("")
    if listing.left_out:
        parts += ["", "LEFT OUT", ""]
        parts += [line for name, why in listing.left_out.items() for line in _lines(f"{name}: {why}", "")]
    parts += ["", "pack.json says the same for programs; its files are named by SHA-256 there.", ""]
    return "\n".join(parts)


def _lines(text: str, before: str) -> list[str]:
    return textwrap.wrap(
        " ".join(text.split()), _WIDE, initial_indent=before, subsequent_indent=before, break_on_hyphens=False
    )


def _paragraphs(text: str) -> list[str]:
    found: list[str] = []
    for paragraph in text.split("\n"):
        found += _lines(paragraph, "") or [""]
    return found
