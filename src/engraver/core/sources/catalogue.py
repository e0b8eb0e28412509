"""The list of all source kinds, in the order in which a file is offered to them."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from ..errors import BadValue
from ..params import StepZero
from . import blank, mesh, picture, solids, trial
from .kind import SourceKind

_ALL = (picture.PICTURE, solids.SOLIDS, mesh.MESH, blank.BLANK, trial.TRIAL)

SOURCE_KINDS: Mapping[str, SourceKind] = MappingProxyType({kind.id: kind for kind in _ALL})
# Step zero of every kind by its tag, for reading files.
READINGS: Mapping[str, type[StepZero]] = MappingProxyType({kind.id: kind.reading for kind in _ALL})
# Endings of files that can be a source.
EXTENSIONS = tuple(ending for kind in _ALL for ending in kind.extensions)


def source_kind(id: str) -> SourceKind:
    """The source kind with this id. Raises BadValue for an unknown one."""
    if id not in SOURCE_KINDS:
        raise BadValue(f"There is no kind of source called {id!r}", "", "Update Engraver to use it")
    return SOURCE_KINDS[id]
