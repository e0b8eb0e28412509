"""The contact sheet: pages as they are printed, as a PDF and as pictures of its pages."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..proof.relief_light import lamp_table, lit, plaster_colours
from ..shapes.font import SHIPPED

# An A4 page in points, its margins, and how its cells stand.
WIDE, TALL, MARGIN = 595.0, 842.0, 40.0
ACROSS, DOWN = 4, 5
HEAD, CELL_TALL = 64.0, 136.0
CELL_WIDE = (WIDE - 2 * MARGIN) / ACROSS
PICTURE = 104.0
PER_PAGE = ACROSS * DOWN
# Pixels of a cast on the page, and of a page's picture for each point.
CAST, SCALE = 300, 2.0
# The lamp over casts: from the left above.
_LAMP = (-130.0, 42.0)
_WRITTEN = datetime(1980, 1, 1, tzinfo=UTC)
_MOST_LETTERS = 26


@dataclass(frozen=True)
class Cell:
    """A piece on the sheet: its cast as :func:`engraver.core.proof.relief_light.cast` makes it, its name, and a line
    of facts."""

    cast: NDArray[np.uint8]
    name: str
    facts: str


def sheet_pdf(
    title: str, below: str, cells: Sequence[Cell], *, text: str = "", check: Watch = unwatched
) -> bytes:  # fmt: skip
    """The pages, the same bytes for the same cells; ``text`` fills the last ones."""
    from fpdf import FPDF

    page = FPDF(unit="pt", format=(WIDE, TALL))
    page.set_creation_date(_WRITTEN)
    page.set_producer("Engraver")
    page.set_title(title)
    page.set_auto_page_break(False)
    page.add_font("Inter", "", str(SHIPPED.with_name("Inter-Regular.otf")))
    page.add_font("Inter", "B", str(SHIPPED))
    pages = max(1, -(-len(cells) // PER_PAGE))
    for n in range(pages):
        _head(page, title, below, f"{n + 1} of {pages}")
        for place, cell in enumerate(cells[n * PER_PAGE : (n + 1) * PER_PAGE]):
            check()
            _cell(page, cell, place)
    if text:
        _text_pages(page, title, below, text)
    return bytes(page.output())


def _head(page: Any, title: str, below: str, number: str) -> None:
    page.add_page()
    page.set_text_color(31, 36, 48)
    page.set_font("Inter", "B", 18)
    page.text(MARGIN, MARGIN + 16, _fitting(page, title, WIDE - 2 * MARGIN - 60))
    page.set_font("Inter", "", 9)
    page.set_text_color(92, 97, 112)
    page.text(MARGIN, MARGIN + 32, _fitting(page, below, WIDE - 2 * MARGIN - 60))
    page.text(WIDE - MARGIN - page.get_string_width(number), MARGIN + 16, number)
    page.set_draw_color(200, 190, 174)
    page.set_line_width(0.6)
    page.line(MARGIN, MARGIN + 42, WIDE - MARGIN, MARGIN + 42)


def _cell(page: Any, cell: Cell, place: int) -> None:
    left = MARGIN + place % ACROSS * CELL_WIDE
    top = MARGIN + HEAD + place // ACROSS * CELL_TALL
    rows, columns = cell.cast.shape[:2]
    by = PICTURE / max(rows, columns)
    x = left + (CELL_WIDE - columns * by) / 2
    y = top + (PICTURE - rows * by) / 2
    page.image(_lit_png(cell.cast), x=x, y=y, w=columns * by, h=rows * by)
    page.set_text_color(31, 36, 48)
    page.set_font("Inter", "B", 8.5)
    room = CELL_WIDE - 8
    name = _fitting(page, cell.name, room)
    page.text(left + (CELL_WIDE - page.get_string_width(name)) / 2, top + PICTURE + 12, name)
    page.set_text_color(92, 97, 112)
    page.set_font("Inter", "", 7)
    facts = _fitting(page, cell.facts, room)
    page.text(left + (CELL_WIDE - page.get_string_width(facts)) / 2, top + PICTURE + 21, facts)


def _fitting(page: Any, words: str, room: float) -> str:
    """As many letters as there is room for."""
    plain = "".join(c for c in words if c.isprintable())
    if page.get_string_width(plain) <= room:
        return plain
    while plain and page.get_string_width(plain + "…") > room:
        plain = plain[:-1]
    return plain.rstrip() + "…"


def _text_pages(page: Any, title: str, below: str, text: str) -> None:
    lines = text.split("\n")
    per_page = int((TALL - 2 * MARGIN - HEAD) // 11)
    for first in range(0, len(lines), per_page):
        _head(page, title, below, "read-me")
        page.set_text_color(31, 36, 48)
        page.set_font("Inter", "", 8)
        for n, line in enumerate(lines[first : first + per_page]):
            indent = len(line) - len(line.lstrip())
            y = MARGIN + HEAD + 4 + 11 * n
            page.text(MARGIN + 4 * indent, y, _fitting(page, line.strip(), WIDE - 2 * MARGIN - 4 * indent))


def lit_cast(cast: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A cast in the sheet's light, uint8 (H, W, 3), BGR."""
    out = np.empty(cast.shape[:2], np.uint32)
    lit(cast, lamp_table(*_LAMP), plaster_colours(), out)
    return np.ascontiguousarray(out.view(np.uint8).reshape(*out.shape, 4)[..., :3])


def _lit_png(cast: NDArray[np.uint8]) -> io.BytesIO:
    _, data = cv2.imencode(".png", lit_cast(cast))
    return io.BytesIO(data.tobytes())


def page_pictures(pdf: bytes, pages: int, check: Watch = unwatched) -> list[bytes]:
    """The first pages of a PDF as PNGs, in order."""
    import pypdfium2

    made = []
    document = pypdfium2.PdfDocument(pdf)
    try:
        for n in range(min(pages, len(document))):
            check()
            picture = document[n].render(scale=SCALE).to_numpy()
            _, data = cv2.imencode(".png", np.ascontiguousarray(picture[..., :3]))
            made.append(data.tobytes())
    finally:
        document.close()
    return made
