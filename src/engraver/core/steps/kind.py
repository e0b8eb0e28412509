"""What a step kind declares. Everything else (cards, panels, terminal, docs, files) reads it.

To add a step: write one :class:`StepKind` in the module of its group, add it to
the list in ``catalogue.py``, and test it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from ..errors import BadValue, Watch, unwatched
from ..numeric import shapes
from ..numeric.split_rows import rows_at_once, split_rows
from ..params import Params, referring, specs
from ..raster import Facts, Pixels, Raster

Group = Literal[
    "source", "frame", "grey", "light", "clean", "isolate", "contrast", "build", "relief", "edge", "tile", "size"
]
Agreement = Literal["scales", "tone", "grain"]
Matrix = NDArray[np.float64]
# The side at which steps look at another plate.
PLATE_SIDE = 1024
NOTHING: Mapping[str, float] = MappingProxyType({})


@dataclass(frozen=True, slots=True)
class Outline:
    """The outline of the falloff further down the line."""

    form: shapes.Form

    def mask(self, height: int, width: int) -> NDArray[np.uint8]:
        """1 inside, 0 outside, as uint8 (H, W)."""
        return (shapes.depth(height, width, self.form) > 0).astype(np.uint8)


@dataclass(frozen=True, slots=True)
class StepContext:
    """What a step may know beside its raster and parameters.

    Attributes
    ----------
    facts, out : Facts
        Of the full-size input and output.
    size : (int, int)
        Height and width the output must have at this scale.
    scale : float
        Pixels here per full-size pixel of the output; 1 at full size.
    seed : int
        From the plate's seed and the step's uid.
    autos : mapping
        What the step found by itself on its full-size input.
    outline : Outline or None
        Of the falloff further down the line, when it lies in the same frame.
    from_source : (3, 3) matrix
        Places in shares of the source (x, y, 1) to pixels of the raster that enters.
    source : Facts
        Of the source at full size.
    references : mapping
        Rasters of other sources, by the field that names them, brought into this frame.
    plates : mapping
        Finished rasters of other plates that the parameters refer to, by the plate's id, at a side of
        at most ``PLATE_SIDE``.
    check : callable
        Raises Cancelled when nobody waits any more; call it between slow parts.
    """

    facts: Facts
    out: Facts
    size: tuple[int, int]
    scale: float = 1.0
    seed: int = 0
    autos: Mapping[str, float] = field(default_factory=lambda: NOTHING)
    outline: Outline | None = None
    from_source: Matrix = field(default_factory=lambda: np.eye(3))
    source: Facts = field(default_factory=lambda: Facts(1, 1))
    references: Mapping[str, Raster] = field(default_factory=lambda: MappingProxyType({}))
    plates: Mapping[str, Raster] = field(default_factory=lambda: MappingProxyType({}))
    check: Watch = unwatched

    def followed(self, plate: str) -> Raster:
        """The finished raster of another plate, by its id. Raises BadValue when that plate is gone."""
        found = self.plates.get(plate)
        if found is None:
            raise BadValue(
                "This step follows another plate", "that plate is not in the project any more",
                "Choose another plate, or undo its removal",
            )  # fmt: skip
        return found


@dataclass(frozen=True, slots=True)
class Finder:
    """A button of the settings: looks at what enters the step and answers with parameters.

    ``find`` gets the raster, reduced to a preview, and the parameters; it raises
    EngraverError when there is nothing to find.
    """

    label: str
    help: str
    find: Callable[[Raster, Any], dict[str, Any]]


def reseeded(seed: int, number: int) -> int:
    """The seed of a step's chance once the artist asks for another arrangement by its number; 32 bits."""
    return (seed + 7919 * number) & 0xFFFFFFFF


def same_extent(params: Any, facts: Facts) -> Facts:
    """For steps that change tone or soften: size and borders stay, the lattice is gone."""
    return facts.but(lattice=None)


def toned_extent(params: Any, facts: Facts) -> Facts:
    """For steps that bend tones: heights have no scale in units any more."""
    return facts.but(lattice=None, units=None)


@dataclass(frozen=True, slots=True)
class StepKind:
    """One operation of the line.

    Attributes
    ----------
    id : str
        Contract of the command line and the files; never changes.
    version : int
        Raised when the meaning of parameters changes; ``migrate`` then lifts older ones.
    takes, gives : {"any", "grey"}
        Before the first step that takes only grey a plain luma grey is inserted.
    agreement : {"scales", "tone", "grain"}
        How well preview and full size agree; "grain" is computed full size, then reduced.
    apply : (raster, params, context) -> raster
        Pure. Only pixels and coverage of its result count; the rest is set from ``extent``.
    extent : (params, facts) -> facts
        What comes out, without pixels: size, channels, wrap, zero, units, lattice.
    matrix : (params, facts, autos) -> 3x3, optional
        For a geometry step: full-size input points (x, y, 1) to output points.
    measure : (raster, params, context) -> dict, optional
        What the step finds by itself on its full-size input.
    measures : (params) -> bool
        Whether these parameters need it.
    tells : (params, autos) -> str
        What was found, in words for the artist.
    reveal : (raster, params, context) -> raster, optional
        What the step found, as a picture to look at in place of the plate; ``revealed`` names it.
    finders : tuple of Finder
        What can be looked for at the press of a button.
    resamples : bool
        The output may have another number of pixels for the same picture.
    copies : (params) -> bool
        Whether it only copies pixels, so that a large result is rather made again than kept.
    only_here : bool
        Not shared with other plates of the same recipe.
    one_by_one : str
        A field of strokes that act one after the other: what all but the last have made can be kept.
    stands_first : bool
        Needs the stored levels untouched: it is put before everything that mixes them.
    on_relief : (facts) -> dict
        Settings with which a new one begins where something stands already, by what enters it: what would cover all
        of it is added to it instead.
    made_for : str
        The destination of a plate from nothing that begins with one; empty where that is open.
    from_nothing : dict
        Settings with which it begins there.
    goes_on : bool
        The ground of that plate goes on over its borders.
    words : tuple of str
        Other words by which an artist looks for it.
    """

    id: str
    name: str
    group: Group
    help: str
    params: type[Params]
    apply: Callable[[Raster, Any, StepContext], Raster]
    extent: Callable[[Any, Facts], Facts] = same_extent
    version: int = 1
    takes: Literal["any", "grey"] = "grey"
    gives: Literal["any", "grey"] = "grey"
    agreement: Agreement = "tone"
    matrix: Callable[[Any, Facts, Mapping[str, float]], Matrix] | None = None
    measure: Callable[[Raster, Any, StepContext], dict[str, float]] | None = None
    measures: Callable[[Any], bool] = lambda params: True
    tells: Callable[[Any, Mapping[str, float]], str] = lambda params, autos: ""
    migrate: Callable[[int, dict[str, Any]], dict[str, Any]] = lambda version, values: values
    reveal: Callable[[Raster, Any, StepContext], Raster] | None = None
    revealed: str = ""
    finders: tuple[Finder, ...] = ()
    resamples: bool = False
    copies: Callable[[Any], bool] = lambda params: False
    only_here: bool = False
    stands_first: bool = False
    one_by_one: str = ""
    editor: str = ""
    on_relief: Callable[[Facts], Mapping[str, Any]] = lambda facts: NOTHING
    made_for: str = ""
    from_nothing: Mapping[str, Any] = field(default_factory=lambda: NOTHING)
    goes_on: bool = False
    words: tuple[str, ...] = ()

    @property
    def answers_to(self) -> str:
        """Everything by which it is found, in small letters: name, group, other words and help."""
        return f"{self.name} {self.group} {' '.join(self.words)} {self.help}".lower()

    def __post_init__(self) -> None:
        if not self.id or self.id != self.id.lower() or " " in self.id:
            raise TypeError(f"step id {self.id!r} must be lower-case words joined by '-'")
        if not self.help.endswith("."):
            raise TypeError(f"step {self.id}: its help must be a sentence")
        if (self.reveal is None) != (not self.revealed):
            raise TypeError(f"step {self.id}: what it reveals needs a name")
        try:
            known = specs(self.params)
        except TypeError as error:
            raise TypeError(f"step {self.id}: {error}") from error
        if self.one_by_one and self.one_by_one not in known:
            raise TypeError(f"step {self.id}: it has no field {self.one_by_one!r} of strokes")

    @property
    def references(self) -> tuple[str, ...]:
        """The fields that name another source."""
        return tuple(name for name, spec in specs(self.params).items() if spec.kind.refers == "source")

    def refers_to(self, params: Params) -> tuple[tuple[str, str], ...]:
        """What of the project these parameters need, as pairs of ("source" or "plate", id), each once."""
        found = [pair for name, of in referring(self.params).items() for pair in of(getattr(params, name))]
        return tuple(dict.fromkeys(found))


def renamed(values: dict[str, Any], old: str, new: str) -> dict[str, Any]:
    """Values of an older version with one of them under its present name."""
    return {(new if name == old else name): value for name, value in values.items()}


def measuring_mask(raster: Raster, outline: Outline | None) -> NDArray[np.uint8] | None:
    """Where to measure: inside the outline and where the raster is covered; None for everywhere."""
    mask = outline.mask(raster.height, raster.width) if outline is not None else None
    if raster.coverage is not None:
        cover = (raster.coverage > 0.5).astype(np.uint8)
        mask = cover if mask is None else mask & cover
    return mask


class Rowed(Protocol):
    """What gives rows of a picture: an array, or what makes them when they are asked for."""

    def __getitem__(self, rows: slice, /) -> Pixels: ...


def banded(values: Pixels, fill: Callable[..., object], check: Watch, *beside: Rowed) -> Pixels:
    """What a pointwise function makes, band by band on every core: it can be stopped, a band stays in the cache.

    Parameters
    ----------
    values : float32 (H, W) or (H, W, 3)
    beside
        What gives rows (h, W) that belong to those of the values.
    fill : (values, *beside, out)
        Gets the same rows of each, which it does not change, and fills ``out`` of the shape of its values.
    """
    result = np.empty_like(values)

    def band(top: int, bottom: int) -> None:
        check()
        fill(values[top:bottom], *(one[top:bottom] for one in beside), result[top:bottom])

    split_rows(band, values.shape[0], rows_at_once(*values.shape[:2]))
    return result
