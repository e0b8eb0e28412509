"""Where projects were left, so that each opens there again: kept on this machine, never in the project."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated

from pydantic import Field, TypeAdapter

from engraver.core.files.atomic import write_bytes
from engraver.core.recipe import Project
from engraver.core.surfaces import ON_BENCH

from .state import read_kept

# The projects left longest ago are forgotten.
MOST = 60
_Id = Annotated[str, Field(max_length=200)]


@dataclass(frozen=True, slots=True)
class Left:
    """The chosen plate and step; what the proof was: on a surface, as so many tiles, cut or raised, so strong; the
    trial on the proof desk; and the desk in front, "" for whichever is."""

    plate: _Id = ""
    step: _Id = ""
    surface: _Id = ""
    repeats: Annotated[int, Field(ge=0, le=100)] = 0
    cut: bool = False
    strength: Annotated[float, Field(ge=0, le=10)] | None = None
    trial: _Id = ""
    desk: _Id = ""

    def within(self, project: Project) -> Left:
        """The same in a project as it is now: its first plate, no step and its last trial where those are gone."""
        if not project.plates:
            return BEGINNING
        ids = [p.id for p in project.plates]
        plate = self.plate if self.plate in ids else ids[0]
        steps = {s.uid for s in project.line(plate)}
        surface = self.surface if self.surface in ON_BENCH else ""
        trials = [t.id for t in project.trials]
        trial = self.trial if self.trial in trials else next(reversed(trials), "")
        step = self.step if self.step in steps else ""
        return replace(self, plate=plate, step=step, surface=surface, trial=trial)


BEGINNING = Left()
_BY_PATH: TypeAdapter[dict[str, Left]] = TypeAdapter(dict[str, Left])


class LeftOff:
    """Reads and writes a small file; several windows may use it, each reads it anew. Forgetting is no fault."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def of(self, project: Path | None) -> Left:
        """Where the project of a file, or of a journal's folder, was left; its beginning where that is not known."""
        return BEGINNING if project is None else self._known().get(_key(project), BEGINNING)

    def note(self, project: Path, left: Left) -> None:
        """A project was left here. Raises EngraverError or OSError where it cannot be written."""
        known, key = self._known(), _key(project)
        if known.get(key) == left:
            return
        known.pop(key, None)  # so that it is the last one
        known[key] = left
        kept = dict(list(known.items())[-MOST:])
        self.path.parent.mkdir(parents=True, exist_ok=True)
        write_bytes(self.path, _BY_PATH.dump_json(kept))

    def _known(self) -> dict[str, Left]:
        return read_kept(self.path, _BY_PATH) or {}


def _key(project: Path) -> str:
    return str(project.resolve())
