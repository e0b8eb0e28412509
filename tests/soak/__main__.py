"""``./dev soak [--minutes N] [--seed S]``: everything at length, with a report; ends with 1 when it is not good."""

from __future__ import annotations

import argparse
import os
import sys
import tempfile
from pathlib import Path

ACTIONS, KILLS, PROJECTS = 5000, 100, 3000
# How the time is shared out.
HAND, KILLING = 0.6, 0.35


def main() -> int:
    """Run it all."""
    parser = argparse.ArgumentParser(prog="./dev soak", description=__doc__)
    parser.add_argument("--minutes", type=float, default=20.0, help="how long in all, about (20)")
    parser.add_argument("--seed", type=int, help="the same seed, the same hand; another one each time without it")
    asked = parser.parse_args()
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from engraver.app.shell import load_fonts
    from engraver.core.compiled import use_kernel_cache

    use_kernel_cache()  # before Numba is imported by any of these
    from PySide6.QtWidgets import QApplication

    from engraver.core.engine import SourceStore
    from engraver.core.project.project_file import save
    from engraver.demo.quay import demo_project

    from .hostile import hostile
    from .kills import MOST_LOST, kills
    from .kills import words as kill_words
    from .random_hand import seed_of, trial

    seed, seconds = seed_of(asked.seed), asked.minutes * 60
    print(f"seed {seed}", flush=True)
    app = QApplication([])
    app.setStyle("Fusion")
    load_fonts()
    folder = Path(tempfile.mkdtemp(prefix="engraver-soak-"))
    report = trial(folder / "hand", seed, ACTIONS, demo_project, seconds=seconds * HAND)
    print(report.words(), flush=True)
    found = kills(folder / "kills", seed, KILLS, seconds=seconds * KILLING)
    print(kill_words(found), flush=True)
    store, whole = SourceStore(), folder / "quay.engraver"
    save(demo_project(store), whole, store)
    count = max(20, round(PROJECTS * min(1.0, asked.minutes / 60)))
    harm = hostile(folder / "hostile", whole, seed, count)
    print(harm.words(), flush=True)
    wrong = report.exceptions or report.threads or not report.back or report.too_long
    wrong = wrong or harm.surprises or any(k.wrong or k.lost > MOST_LOST for k in found)
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
