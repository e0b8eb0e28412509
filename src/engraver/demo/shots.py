"""Makes docs/screenshots from the demo: ``./dev shots``. The same pixels each time."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

SHOTS = (
    ("bench-day", "day", "flat"),
    ("bench-lamp", "lamp", "flat"),
    ("bench-ball", "day", "ball"),
)


def main() -> int:
    """Draw every picture in a process and home of its own, so that nothing of the user's shows."""
    folder = Path("docs/screenshots")
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as home:
        places = {f"XDG_{kind}_HOME": f"{home}/{kind}" for kind in ("CONFIG", "STATE")}
        environment = {**os.environ, **places, "QT_QPA_PLATFORM": "offscreen"}
        for name, theme, surface in SHOTS:
            path = folder / f"{name}.png"
            words = ["demo", "--offscreen-shot", str(path), "--theme", theme, "--surface", surface]
            done = subprocess.run([sys.executable, "-m", "engraver.cli.main", *words], env=environment, check=False)
            if done.returncode:
                return done.returncode
            print(path)
    return 0


if __name__ == "__main__":
    sys.exit(main())
