"""What a pack comes to before anything is computed: its pieces under their names, and where their files go."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from ..engine import Line, SourceStore, resolve
from ..errors import BadValue
from ..files.names import file_stem
from ..files.naming import alike, by_pattern
from ..pressing.settings import StrokeSettings
from ..readiness.destinations import Destination, destination
from ..recipe import Brush, Pack, Plate, Project
from ..recipe.brushes import back

ICONS, SHEET, READ_ME, LIST = "icons", "contact-sheet", "README.txt", "pack.json"


@dataclass(frozen=True)
class Piece:
    """A plate or a brush of a pack.

    Attributes
    ----------
    id, name, stem : str
        ``stem`` is the name as file names have it.
    plate : Plate
    settings : StrokeSettings or None
        None for a plate.
    left_out : mapping
        Why it stays out, by destination; altogether under "".
    """

    id: str
    name: str
    stem: str
    plate: Plate
    settings: StrokeSettings | None = None
    left_out: Mapping[str, str] = field(default_factory=dict)

    def goes_to(self, destination: str) -> bool:
        """Whether it is delivered for a destination."""
        return not (self.left_out.keys() & {"", destination})


@dataclass(frozen=True)
class Planned:
    """A pack's pieces and destinations.

    Attributes
    ----------
    pieces : tuple of Piece
    destinations : tuple of Destination
    gone : tuple of str
        Ids of pieces that are no longer in the project.
    twice : frozenset of str
        Stems that more than one piece would have.
    """

    pieces: tuple[Piece, ...]
    destinations: tuple[Destination, ...]
    gone: tuple[str, ...]
    twice: frozenset[str]

    @property
    def going(self) -> tuple[Piece, ...]:
        """The pieces that are delivered for one destination at least."""
        return tuple(piece for piece in self.pieces if self.uses_of(piece))

    def uses_of(self, piece: Piece) -> tuple[Destination, ...]:
        """The destinations that a piece is delivered for."""
        return tuple(to for to in self.destinations if piece.goes_to(to.id))

    def icon_sides(self, piece: Piece, pack: Pack) -> tuple[int, ...]:
        """Sides of a piece's icons: those of the pack and those that its uses ask for."""
        return tuple(sorted({*pack.icon_sides, *(side for to in self.uses_of(piece) for side in to.icons)}))

    def left_out(self) -> dict[str, str]:
        """What stays out, and why, in words."""
        found: dict[str, str] = {}
        for piece in self.pieces:
            if "" in piece.left_out:
                found[piece.name] = piece.left_out[""]
            else:
                kept_from = [to for to in self.destinations if to.id in piece.left_out]
                found |= {f"{piece.name} for {to.name}": piece.left_out[to.id] for to in kept_from}
        return found


def plan(project: Project, known: Mapping[str, Destination] | None = None) -> Planned:
    """A project's pack.

    Parameters
    ----------
    known : mapping, optional
        Destinations by id; by default those that ship.

    Raises
    ------
    BadValue
        A destination is unknown, or the pattern of names cannot be used.
    """
    pack = project.pack
    plates, kept = {p.id: p for p in project.plates}, {b.id: b for b in project.brushes}
    there = [item for item in pack.items if item.id in plates or item.id in kept]
    own = [item.name or _name(plates.get(item.id) or kept[item.id]) for item in there]
    # A name that was typed over is what was typed; the pattern is for the others.
    patterned = by_pattern(pack.pattern, own, prefix=pack.prefix) if own else []
    names = [item.name or name for item, name in zip(there, patterned, strict=True)]
    pieces = []
    for item, name in zip(there, names, strict=True):
        brush = kept.get(item.id)
        plate = plates[item.id] if brush is None else plates.get(brush.plate.id, brush.plate)
        settings = brush.settings if brush is not None else None
        pieces.append(Piece(item.id, name, file_stem(name), plate, settings, item.left_out))
    wanted = tuple(destination(id, known) for id in pack.destinations)
    twice = frozenset(alike([p.stem for p in pieces if any(p.goes_to(to.id) for to in wanted)]))
    gone = tuple(item.id for item in pack.items if item not in there)
    return Planned(tuple(pieces), wanted, gone, twice)


def refuse_unfit(planned: Planned) -> None:
    """Raises BadValue where nothing would be in the pack, or two pieces would write the same file."""
    if not planned.pieces:
        raise BadValue("There is nothing in the pack", "", "Add plates or brushes to it")
    if not planned.destinations:
        raise BadValue("The pack is for nothing yet", "", "Choose what it is for")
    if not planned.going:
        raise BadValue("All pieces are left out of the pack", "", "Put one back, or fix what is short")
    if planned.twice:
        names = ", ".join(sorted(planned.twice))
        raise BadValue(f"Two pieces would be called {names}", "", "Give one another name, or add {nn} to the pattern")


def line_of(project: Project, piece: Piece, sources: SourceStore) -> Line:
    """What a piece is computed by: its plate as it is now, or as its brush was kept. Raises EngraverError."""
    if any(p.id == piece.plate.id for p in project.plates):
        return resolve(project, piece.plate.id, sources)

    return resolve(back(project, piece.id), piece.plate.id, sources)


def _name(one: Plate | Brush) -> str:
    return one.name
