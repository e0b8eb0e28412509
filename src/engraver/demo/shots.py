"""Makes docs/screenshots from the demo: ``./dev shots``. The same pixels each time."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from engraver.core.compiled import use_kernel_cache

SHOTS: dict[str, tuple[str, ...]] = {
    "bench-day": (),
    "bench-lamp": ("--theme", "lamp"),
    "isolate": ("--plate", "Cork float", "--step", "isolate"),
    "capture": ("--plate", "Carved panel", "--step", "source", "--large"),
    "hand": ("--plate", "Carved panel", "--step", "hand", "--theme", "lamp"),
    "starts": ("--sheet", "starts"),
    "shapes": ("--plate", "Harbour crest", "--step", "shapes"),
    "solids": ("--plate", "Mooring cleat", "--step", "source"),
    "scatter": ("--plate", "Pitted iron", "--step", "scatter", "--theme", "lamp"),
    "sheet-splitter": ("--plate", "Knot-work", "--sheet", "split"),
    "tile": ("--plate", "Net weave", "--step", "seamless", "--repeat"),
    "export": ("--sheet", "export"),
    "arrives": ("--plate", "Carved panel", "--sheet", "arrives"),
    "trial": ("--plate", "Flat plait", "--trial", "Belted ball"),
    "curve": ("--plate", "Scroll moulding", "--trial", "Moulded rim", "--gesture", "1", "--group", "along"),
    "cord": ("--plate", "Rope lay", "--trial", "Lashed post", "--gesture", "1", "--theme", "lamp"),
    "cabinet": ("--desk", "cabinet", "--piece", "Carved knot"),
    "pack": ("--desk", "pack", "--piece", "Oyster shell"),
    "icon": ("--plate", "Carved knot", "--sheet", "icon"),
}


def main() -> int:
    """Draw every picture in a process and home of its own, so that nothing of the user's shows."""
    folder = Path("docs/screenshots")
    folder.mkdir(parents=True, exist_ok=True)
    use_kernel_cache()  # told to the processes too: what is compiled already is not compiled again
    with tempfile.TemporaryDirectory() as home:
        stamps = Path(tempfile.gettempdir()) / "saltmarrow-quay"
        stamps.mkdir(exist_ok=True)  # what the export sheet shows as the folder
        for name, options in SHOTS.items():
            # Nor does a picture show what was looked at for another one. The demo's sources and its cabinet stay:
            # they are the same each time.
            shutil.rmtree(Path(home, "CACHE", "engraver", "last-seen"), ignore_errors=True)
            own = {f"XDG_{kind}_HOME": f"{home}/{name}/{kind}" for kind in ("CONFIG", "STATE")}
            kept = {f"XDG_{kind}_HOME": f"{home}/{kind}" for kind in ("CACHE", "DATA")}
            environment = {**os.environ, **own, **kept, "HOME": str(stamps), "QT_QPA_PLATFORM": "offscreen"}
            path = folder / f"{name}.png"
            theme = () if "--theme" in options else ("--theme", "day")
            words = ["demo", "--offscreen-shot", str(path), *theme, *options]
            done = subprocess.run([sys.executable, "-m", "engraver.cli.main", *words], env=environment, check=False)
            if done.returncode:
                return done.returncode
            print(path)
        shutil.rmtree(stamps, ignore_errors=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
