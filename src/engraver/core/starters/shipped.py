"""The starters that ship, few enough to choose from; all things of a harbour, all of numbers."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from ..errors import BadValue
from ..recipe.models import Step
from ..shapes.model import Shape, begun
from .kind import Starter

# Eight pixels of 512.
_MARGIN = 1 / 64
_STAMP, _MID, _FORM = "sculpt-stamp", "sculpt-stamp-mid", "brush-form"
_TILE, _STRIP = "tiling-height", "stroke-strip"


def _shapes(*items: Shape) -> Step:
    return Step.make("shapes", items=items)


def _soft_disc() -> tuple[Step, ...]:
    return (_shapes(Shape(width=1 - 2 * _MARGIN, border="ogee", border_width=0.5 - _MARGIN)),)


def _hard_disc() -> tuple[Step, ...]:
    return (_shapes(Shape(width=1 - 2 * _MARGIN, border="straight", border_width=0.012)),)


def _cushion() -> tuple[Step, ...]:
    return (_shapes(Shape(kind="square", width=1 - 2 * _MARGIN, corner=0.16, border="round", border_width=0.47)),)


def _rivet() -> tuple[Step, ...]:
    return (
        _shapes(
            Shape(width=0.92, level=0.25, border="round", border_width=0.05),
            Shape(width=0.7, top="domed", meets="add", level=0.75),
        ),
    )


def _ringed() -> tuple[Step, ...]:
    return (
        _shapes(
            Shape(width=0.92, level=1.0, border="round", border_width=0.22),
            Shape(kind="ring", width=0.56, inner=0.72, level=0.45, meets="take", border="round", border_width=0.035),
        ),
    )


def _boss() -> tuple[Step, ...]:
    return (
        _shapes(
            Shape(width=0.94, level=0.3, border="round", border_width=0.04),
            Shape(kind="polygon", sides=6, width=0.78, level=0.7, top="pointed", meets="add"),
        ),
    )


def _seal() -> tuple[Step, ...]:
    return (
        _shapes(
            Shape(kind="ring", width=0.94, inner=0.84, level=0.8, border="round", border_width=0.035),
            Shape(kind="star", sides=8, width=0.66, inner=0.5, level=1.0, top="pointed"),
            Shape(width=0.05, level=0.7, top="domed", repeat="ring", count=24, radius=0.35),
        ),
    )


def _panel() -> tuple[Step, ...]:
    levels = ((0.94, 0.3), (0.78, 0.25), (0.62, 0.25), (0.46, 0.2))
    return (
        _shapes(*(
            Shape(kind="square", width=width, level=level, meets="add", corner=0.03, border="straight",
                  border_width=0.025)
            for width, level in levels
        )),
    )  # fmt: skip


def _slot() -> tuple[Step, ...]:
    return (_shapes(Shape(kind="slot", width=0.9, height=0.34, border="round", border_width=0.12)),)


def _board() -> tuple[Step, ...]:
    return (
        _shapes(
            Shape(kind="rectangle", width=0.94, height=0.42, corner=0.05, level=0.4, border="round",
                  border_width=0.03),
            Shape(width=0.035, level=0.3, top="domed", meets="add", repeat="grid", rows=1, columns=2, across=0.84),
        ),
        Step.make("lettering", text="MARROW", size=0.16, spacing=0.04, level=0.45, border="round",
                  border_width=0.012),
    )  # fmt: skip


def _crest() -> tuple[Step, ...]:
    wave = ((-0.24, 0.03), (-0.12, -0.03), (0.0, 0.03), (0.12, -0.03), (0.24, 0.03))
    return (
        _shapes(
            begun("outline").but(width=0.74, height=0.88, y=0.55, level=0.45, border="round", border_width=0.05),
            *(Shape(kind="path", points=wave, y=0.47 + 0.14 * n, thick=0.05, level=0.4, meets="add", border="round",
                    border_width=0.025) for n in range(3)),
            Shape(kind="star", sides=5, width=0.16, y=0.29, level=0.5, top="pointed", meets="add"),
        ),
    )  # fmt: skip


def _plank() -> tuple[Step, ...]:
    return (
        Step.make("noise", kind="billowed", size=0.1, stretch=10.0, octaves=3, gain=0.5, level=0.5, height=0.4,
                  bend=0.15),
        Step.make("levels", low=10.0, high=99.8, toe=0.1, gamma=0.8),
        Step.make("falloff", outline="square", fade=0.05, margin=0.04, ragged=0.25, profile="round"),
        Step.make("centre", by="heights", fit=False),
    )  # fmt: skip


def _pits() -> tuple[Step, ...]:
    return (
        Step.make("zero", zero="mid", tones="convert"),
        Step.make("scatter", kind="pit", count=90, least=0.07, size=0.03, size_to=0.11, bias=-0.4, height=0.3,
                  height_to=1.0),
        Step.make("falloff", fade=0.2, margin=_MARGIN, ragged=0.0),
    )  # fmt: skip


def _barnacles() -> tuple[Step, ...]:
    return (
        Step.make("scatter", kind="dot", count=160, least=0.065, size=0.08, size_to=0.16, bias=-0.2, hardness=0.05,
                  height=0.55, height_to=1.0),
        Step.make("noise", kind="ridged", size=0.04, octaves=3, level=0.85, height=0.15, meets="multiply"),
        Step.make("falloff", fade=0.14, margin=_MARGIN, ragged=0.3),
    )  # fmt: skip


def _ripple() -> tuple[Step, ...]:
    return (Step.make("noise", kind="waves", size=0.125, octaves=1, level=0.5, height=0.42, bend=0.35, tiles=True),)


def _slabs() -> tuple[Step, ...]:
    return (
        Step.make("pattern", kind="running", across=4, down=6, joint=0.1, bevel=0.15, worn=0.35, jitter=0.35,
                  level=0.98),
        Step.make("noise", kind="smooth", size=0.02, octaves=5, gain=0.95, level=0.8, height=0.2, tiles=True,
                  meets="multiply"),
    )  # fmt: skip


def _cells() -> tuple[Step, ...]:
    return (Step.make("pattern", kind="six-sided", across=7, down=8, joint=0.1, bevel=0.6, jitter=0.25, level=0.95),)


def _weave() -> tuple[Step, ...]:
    return (Step.make("pattern", kind="weave", across=8, down=8, width=0.86, level=0.95),)


def _roof() -> tuple[Step, ...]:
    return (Step.make("pattern", kind="rows", across=5, down=6, overlap=0.4, bevel=0.5, jitter=0.2, level=1.0),)


def _hammered() -> tuple[Step, ...]:
    return (
        Step.make("noise", kind="cells", size=0.06, octaves=1, level=0.5, height=0.42, tiles=True),
        Step.make("invert"),
    )


def _strands(across: int, down: int, fade: float) -> tuple[Step, ...]:
    """Cords along a stroke: they go on across, and fade above and below."""
    return (
        Step.make("pattern", kind="strands", across=across, down=down, twist=4, width=1.0, level=1.0),
        Step.make("falloff", outline="square", left=False, right=False, fade=fade, margin=0.03, ragged=0.0,
                  profile="round"),
    )  # fmt: skip


def _cord() -> tuple[Step, ...]:
    return _strands(3, 1, 0.16)


def _lashing() -> tuple[Step, ...]:
    return _strands(2, 4, 0.1)


_ALL = (
    Starter("soft-disc", "Soft disc", "Falls off evenly and never touches its border.", _FORM, _soft_disc,
            words=("round", "brush", "circle")),
    Starter("hard-disc", "Hard disc", "A disc with a margin of exactly 16 of 1024 pixels.", _FORM, _hard_disc,
            words=("round", "circle")),
    Starter("cushion", "Rounded cushion", "A square with round corners and a round border.", _FORM, _cushion,
            words=("square", "pillow")),
    Starter("rivet", "Domed rivet", "A dome on a low collar.", _FORM, _rivet, words=("button", "stud")),
    Starter("ringed-rivet", "Ringed rivet", "A round head with a groove turned in.", _FORM, _ringed,
            words=("stud", "groove")),
    Starter("boss", "Six-sided boss", "Six sides that meet in a point, on a round collar.", _FORM, _boss,
            words=("hexagon",)),
    Starter("seal", "Seal", "A star in a ring with beads.", _STAMP, _seal, words=("coin", "mark")),
    Starter("panel", "Stepped panel", "Four exact levels, each on the one before.", _FORM, _panel,
            words=("frame", "levels")),
    Starter("slot", "Slot", "A long round-ended form to raise or cut.", _FORM, _slot, words=("groove",)),
    Starter("name-board", "Name board", "Letters on a board between two studs.", _FORM, _board,
            words=("text", "lettering", "sign")),
    Starter("crest", "Crest", "A shield with three waves and a star.", _FORM, _crest, words=("shield", "emblem")),
    Starter("plank", "Plank", "Long-grained timber with worn borders.", _STAMP, _plank, words=("wood", "grain")),
    Starter("pits", "Pits", "Hollows strewn with a least distance, for iron.", _MID, _pits, grey=0.0,
            words=("pores", "rust", "holes")),
    Starter("barnacles", "Barnacle scatter", "Mounds of all sizes, close together.", _STAMP, _barnacles,
            words=("bumps", "growth")),
    Starter("ripple", "Ripple", "Sand in waves that go on over every border.", _TILE, _ripple, tiles=True,
            words=("water", "sand")),
    Starter("slabs", "Slabs", "Paving in a running bond, unevenly laid.", _TILE, _slabs, 512, tiles=True,
            words=("bricks", "paving")),
    Starter("cells", "Six-sided cells", "A floor of six-sided tiles.", _TILE, _cells, tiles=True,
            words=("honeycomb", "tiles")),
    Starter("weave", "Weave", "Over and under, as baskets and mats are.", _TILE, _weave, tiles=True,
            words=("basket", "cloth")),
    Starter("roof", "Roof tiles", "Rows that lie over each other.", _TILE, _roof, tiles=True, words=("shingles",)),
    Starter("hammered", "Hammered copper", "Dents beside dents.", _TILE, _hammered, tiles=True, words=("metal",)),
    Starter("cord", "Twisted cord", "One cord along a stroke.", _STRIP, _cord, tiles=True, words=("rope",)),
    Starter("lashing", "Net lashing", "Four cords side by side along a stroke.", _STRIP, _lashing, tiles=True,
            words=("rope", "net")),
)  # fmt: skip

STARTERS: Mapping[str, Starter] = MappingProxyType({one.id: one for one in _ALL})


def starter(id: str) -> Starter:
    """The starter with this id. Raises BadValue for an unknown one."""
    if id not in STARTERS:
        raise BadValue(f"There is no starter called {id!r}", "", f"Starters are: {', '.join(STARTERS)}")
    return STARTERS[id]
