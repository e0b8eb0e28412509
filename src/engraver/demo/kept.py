"""The demo as a project file in the user's cache, so that it opens as quickly as any project.

``python -m engraver.demo.kept`` makes it, and all compiled loops, ahead of the first start.
"""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

import platformdirs

from engraver.core import ready
from engraver.core.engine import SourceStore
from engraver.core.errors import EngraverError
from engraver.core.files.shelf import edition
from engraver.core.project.project_file import EXTENSION, open_project, save
from engraver.core.recipe import Project

from .quay import NAME, demo_project


def kept_demo(sources: SourceStore, folder: Path | None = None) -> Project:
    """Saltmarrow Quay, made when there is none of this edition of the program; its files are told to ``sources``."""
    folder = folder or Path(platformdirs.user_cache_dir("engraver")) / "demo"
    path = folder / f"{NAME} {edition(Path(__file__).parent)}{EXTENSION}"
    if path.is_file():
        with suppress(EngraverError):  # damaged: it is made again
            return open_project(path, sources)
    project = demo_project(sources)
    with suppress(EngraverError, OSError):  # a cache that cannot be written only costs time
        folder.mkdir(parents=True, exist_ok=True)
        save(project, path, sources)
        for old in folder.glob(f"*{EXTENSION}"):
            if old != path:
                old.unlink(missing_ok=True)
    return project


if __name__ == "__main__":
    ready.main()
    kept_demo(SourceStore())
