"""Figures of packs: a hundred plates for two uses, written, refreshed, and the same bytes again."""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.figures import Figure, at_most
from engraver.core.engine import Engine, SourceStore
from engraver.core.pack import build
from engraver.core.recipe import Project
from engraver.core.starters import STARTERS

PIECES = 100


def project() -> Project:
    """A hundred plates of 1024 pixels, of every starter in turn."""
    made, ids = Project(name="Quay"), []
    starters = [one for one in STARTERS.values() if one.id not in ("pits",)]
    for n in range(PIECES):
        made, plate = starters[n % len(starters)].added_to(made)
        ids.append(plate)
    plates = tuple(p.model_copy(update={"seed": n + 1}) for n, p in enumerate(made.plates))
    pack = made.pack.with_items(tuple(ids)).model_copy(update={
        "destinations": ("brush-form", "layer-mask"), "pattern": "{name} {nn}",
    })  # fmt: skip
    return made.model_copy(update={"plates": plates, "pack": pack})


def written() -> None:
    """In a process of its own: prints seconds of a first and a second writing, and the peak of memory in MB."""
    made = project()
    with tempfile.TemporaryDirectory() as home:
        took = []
        for name in ("a.zip", "a.zip", "b.zip"):
            began = time.perf_counter()
            build(made, Path(home) / name, Engine(SourceStore(400_000_000)))
            took.append(time.perf_counter() - began)
        same = (Path(home) / "a.zip").read_bytes() == (Path(home) / "b.zip").read_bytes()
    print(took[0], took[1], resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, int(same))


def packs() -> list[Figure]:
    """A pack of a hundred plates."""
    words = [sys.executable, "-c", "from bench.packs import written; written()"]
    done = subprocess.run(words, capture_output=True, text=True, check=True)
    first, again, memory, same = (float(word) for word in done.stdout.split())
    return [
        at_most("a pack of 100 plates for two uses, written", first, "s", 60),
        at_most("the same again, nothing changed", again, "s", 60),
        at_most("its peak of memory", memory / 1024, "GB", 1.5),
        Figure("written twice, the same bytes", same, "", "itself", None, "1", bool(same)),
    ]
