"""What is looked up of a project dozens of times a change, kept until it is another project."""

from __future__ import annotations

from engraver.core.engine import Line, SourceStore, resolve
from engraver.core.recipe import Plate, Project, Step

Chosen = tuple[Plate | None, tuple[Step, ...]]


class Lookups:
    """Belongs to the window's thread. A project never changes, so its identity is enough."""

    def __init__(self) -> None:
        self._chosen: tuple[Project, str | None, Chosen] | None = None
        self._line: tuple[Project, str, bool, Line] | None = None

    def chosen(self, project: Project, plate_id: str | None) -> Chosen:
        """A plate and its steps; None and none where there is no such plate."""
        known = self._chosen
        if known is None or known[0] is not project or known[1] != plate_id:
            plate = next((p for p in project.plates if p.id == plate_id), None)
            known = project, plate_id, (plate, project.line(plate.id) if plate else ())
            self._chosen = known
        return known[2]

    def line(self, project: Project, plate_id: str, sources: SourceStore, *, coarse: bool) -> Line:
        """A plate, resolved; see :func:`~engraver.core.engine.resolve`. Raises EngraverError."""
        known = self._line
        if known is not None and known[0] is project and known[1:3] == (plate_id, coarse):
            line = known[3]
            # What a source is may be known better by now: the scale of a mesh, once it was captured.
            if line.facts[0] == sources.facts(line.source, line.reading):
                return line
        line = resolve(project, plate_id, sources, coarse_mesh=coarse)
        self._line = project, plate_id, coarse, line
        return line
