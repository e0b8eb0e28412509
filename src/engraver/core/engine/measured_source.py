"""Facts of a line that only its source's pixels tell."""

from __future__ import annotations

from ..errors import Watch
from ..sources import SourceStore, source_kind
from .line import Line, assemble


def source_measured(line: Line, sources: SourceStore, check: Watch, *, measure: bool) -> Line:
    """The line with facts that are known only once its source has been measured, such as a mesh's units.

    ``measure``: it is measured now where it has not been; else it gets what is known. While the hand turns a mesh
    nothing is waited for. Keys stay what they are. Raises EngraverError where the source cannot be read.
    """
    to_measure = source_kind(line.source.kind).measure
    if to_measure is None or line.coarse_mesh:
        return line
    if measure:
        to_measure(line.source, line.reading, sources, check)
    if sources.facts(line.source, line.reading) == line.facts[0]:
        return line
    return assemble(
        line.source, line.reading, line.steps, line.seed, sources, line.others, line.plates, trial=line.trial
    )
