"""What a source kind declares. Nothing outside its module asks which kind a source is.

To add a way to start a plate: write one :class:`SourceKind` in a module of its own, add it to the
list in ``catalogue.py``, and test it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, Literal

from engraver.core.mesh.model import Mesh

from ..errors import Watch
from ..params import StepZero, specs
from ..raster import Facts, Raster
from ..recipe.models import Plate, Source, SourceFile, Step
from .holding import Holding

Size = tuple[int, int]


@dataclass(frozen=True, slots=True)
class First:
    """What a new plate of a source starts with: step zero, what it was read as, its line, what raises, and the
    destination that it is made ready for, "" for the usual one."""

    reading: StepZero
    read_as: str
    steps: tuple[Step, ...]
    raises: Literal["white", "black"] | None = None
    ready_for: str = ""


def _no_file(data: bytes, name: str) -> bool:
    return False


def _cannot_take_in(data: bytes, name: str, holding: Holding, check: Watch) -> SourceFile:
    raise NotImplementedError


def _key(source: Source, reading: StepZero) -> str:
    return f"{reading.kind} {' '.join(source.digests)} {reading.model_dump_json()}"


@dataclass(frozen=True, slots=True)
class SourceKind:
    """One way to start a plate.

    Attributes
    ----------
    id : str
        Contract of the files; never changes. It is the tag of ``reading``.
    name, help : str
    reading : type of StepZero
        Step zero of its plates; it has the version and brings older values up.
    files : {"none", "one", "many"}
        How many files it is made of.
    facts : (source, reading, holding) -> facts
        Of the raster at full size, without pixels and without reading a file.
    raster : (source, reading, size, holding, check, coarse) -> raster
        At ``size`` (height, width); ``coarse`` while the hand moves and little time is left.
    start : (source, holding, check) -> step zero
        How a new plate of a source reads it.
    first : (source, holding, what, before, check) -> First
        What a plate starts with; ``what`` is a key of ``read_as`` or None to find out, ``before`` the
        step zero of a plate that is read as something else.
    key : (source, reading) -> str
        Names the full-size raster.
    measure : (source, reading, holding, check), optional
        Finds what facts do not say without pixels. Nothing where they are whole from the start.
    extensions : tuple of str
        Endings of the files it is made of.
    knows : (bytes, name) -> bool
        Whether a file is one of its own.
    take_in : (bytes, name, holding, check) -> SourceFile
        Look at a new file and keep what was found. Raises EngraverError when it cannot be used.
    read_as : mapping
        What it can be read as, with the words for it.
    chooses : set of str
        Destinations that its readings choose for a plate; any other one is the artist's choice.
    referable : bool
        Steps can take it as another picture.
    words : (source, reading, holding) -> str
        One line of what is known of it.
    rows : (source) -> tuple of str
        The settings of step zero that are shown, in order.
    from_trial : (given, reading, size, holding, check) -> raster, optional
        Of a kind that is made of a trial: in place of ``raster``, where the trial is there.
    body : (source, holding, check) -> mesh, optional
        The mesh that it is made from, to be repeated along a curve.
    completed : (source, holding, check) -> source
        A source of an older file with what is known of its files today.
    editor : str
        The editor of our own that its settings have, if any.
    even : bool
        Nothing stands on it until something is built.
    kept : bool
        It remembers what it has read at full size, and nobody else need.
    """

    id: str
    name: str
    help: str
    reading: type[StepZero]
    files: Literal["none", "one", "many"]
    facts: Callable[[Source, Any, Holding], Facts]
    raster: Callable[[Source, Any, Size, Holding, Watch, bool], Raster]
    start: Callable[[Source, Holding, Watch], StepZero]
    first: Callable[[Source, Holding, str | None, StepZero | None, Watch], First]
    key: Callable[[Source, StepZero], str] = _key
    measure: Callable[[Source, Any, Holding, Watch], object] | None = None
    extensions: tuple[str, ...] = ()
    knows: Callable[[bytes, str], bool] = _no_file
    take_in: Callable[[bytes, str, Holding, Watch], SourceFile] = _cannot_take_in
    read_as: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    chooses: frozenset[str] = frozenset()
    referable: bool = False
    words: Callable[[Source, Any, Holding], str] = lambda source, reading, holding: source.name
    rows: Callable[[Source], tuple[str, ...]] | None = None
    from_trial: Callable[[Any, Any, Size, Holding, Watch], Raster] | None = None
    body: Callable[[Source, Holding, Watch], Mesh] | None = None
    completed: Callable[[Source, Holding, Watch], Source] = lambda source, holding, check: source
    editor: str = ""
    even: bool = False
    kept: bool = False

    def __post_init__(self) -> None:
        if self.reading.kind != self.id:
            raise TypeError(f"source kind {self.id!r}: its step zero is tagged {self.reading.kind!r}")
        if not self.help.endswith("."):
            raise TypeError(f"source kind {self.id}: its help must be a sentence")
        if (self.files == "none") != (not self.extensions):
            raise TypeError(f"source kind {self.id}: kinds made of files, and only they, have endings")
        specs(self.reading)

    def shown(self, source: Source) -> tuple[str, ...]:
        """The settings of step zero that are shown, in order."""
        return tuple(specs(self.reading)) if self.rows is None else self.rows(source)


def read_as_words(kind: SourceKind, plate: Plate) -> str:
    """As what a plate's source was read, in words."""
    return kind.read_as.get(plate.read_as, kind.name)
