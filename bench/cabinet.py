"""Figures of the cabinet: opened, searched, asked what looks alike, and taken in."""

from __future__ import annotations

import tempfile
from functools import partial
from pathlib import Path

import cv2
import numpy as np

from bench.core import timed
from bench.figures import Figure, at_most, median
from engraver.core.cabinet import Cabinet, Entry, Query
from engraver.core.cabinet.likeness import LENGTH
from engraver.core.cabinet.take_in import take_in
from engraver.core.cabinet.to_keep import ToKeep, of_file

ENTRIES = 10_000
WORDS = ("barnacle", "rope", "net", "weave", "copper", "cork", "shell", "ripple", "knot", "tile", "chain", "iron")


def _filled(folder: Path) -> None:
    """So many entries with likenesses of their own; their pictures are one."""
    rng = np.random.default_rng(1)
    rows = rng.normal(size=(ENTRIES, LENGTH)).astype(np.float32)
    rows /= np.linalg.norm(rows, axis=1)[:, None]
    with Cabinet(folder) as cabinet:
        things = []
        for n in range(ENTRIES):
            words = rng.choice(WORDS, 3)
            entry = Entry(
                id=f"k-{n}", name=f"{words[0]} {words[1]} {n}", tags=(str(words[2]),), width=1024, height=1024,
                made=float(n + 1),
            )  # fmt: skip
            things.append(ToKeep(entry, b"one picture", rows[n]))
        cabinet.keep_all(things)


def cabinet() -> list[Figure]:
    """A cabinet of 10,000 entries."""
    with tempfile.TemporaryDirectory() as home:
        folder = Path(home) / "cabinet"
        _filled(folder)

        def opened() -> None:
            with Cabinet(folder) as found:
                found.find(Query(most=60))

        figures = [at_most("a cabinet of 10,000 opened, its first 60 shown", median(timed(opened, 7)), "s", 0.3)]
        with Cabinet(folder) as found:
            took = [timed(partial(found.find, Query(words=w, most=60)), 3)[0] * 1000
                    for w in ("b", "ro", "net we", "copper 12", "shell")]  # fmt: skip
            figures.append(at_most("a search as it is typed, the slowest of five", max(took), "ms", 30))
            likeness = np.ones(LENGTH, np.float32) / np.sqrt(LENGTH)
            near = timed(partial(found.near, likeness, 24), 5)
            figures.append(at_most("what looks alike, first time", near[0] * 1000, "ms", 100))
            figures.append(at_most("what looks alike, again", median(near[1:]) * 1000, "ms", 100))
    return figures


def taking_in() -> list[Figure]:
    """A folder of 40 stamps of 1024 pixels."""
    rng = np.random.default_rng(2)
    y, x = np.mgrid[-1:1:1024j, -1:1:1024j]
    r, a = np.hypot(x, y), np.arctan2(y, x)
    with tempfile.TemporaryDirectory() as home:
        folder = Path(home) / "old"
        folder.mkdir()
        for n in range(40):
            high = np.clip(1 - r * (1 + 0.2 * np.cos((n + 2) * a + rng.uniform(0, 6))), 0, 1) * (r < 1)
            cv2.imwrite(str(folder / f"{n}.png"), np.round(high * 65535).astype(np.uint16))
        of_file((folder / "0.png").read_bytes(), "0.png")
        with Cabinet(Path(home) / "cabinet") as found:
            took = timed(partial(take_in, found, folder), 1)[0]
        rate = 40 / took
    return [Figure("files of 1024² taken in", rate, "1/s", "the limit", rate / 40, "at least 40 1/s", rate >= 40)]
