"""What a surface declares: its points, how marks lie on it, and how it is first looked at and lit.

To add a surface: write one :class:`SurfaceKind` in a module of its own, add it to the list in
``__init__.py``, and test it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from ..raster import Pixels, Wrap, Zero
from .ground import Ground, Places
from .view import FIRST_EYE, FIRST_LAMP, SURROUND, Colour, Eye, Lamp

WORDS = "SALT QUAY"
# Letters that a mask is tried over, at most.
MOST_WORDS = 60


@dataclass(frozen=True, slots=True)
class Single:
    """How the bench tries a plate on a surface in plaster: one mark in front.

    Attributes
    ----------
    half : float
        Half the mark's width, in scene units along the surface.
    covered : float
        By so much tiles go beyond the mark when they cover the surface.
    reach, upright : float
        Half the width that has to fit into the view, and how much taller than wide the view may cut it.
    """

    half: float
    covered: float
    reach: float
    upright: float = 1.0


@dataclass(frozen=True, slots=True)
class Paper:
    """How a page is painted.

    Attributes
    ----------
    ink, ground : (r, g, b)
    flow : float
        How much of the ink one mark leaves, 0..1; marks build up.
    mask : bool
        The plate is a mask: where it reveals, ``second`` shows through large lettering.
    second : (r, g, b)
    words : str
        What is lettered, up to ``MOST_WORDS`` letters.
    """

    ink: Colour = (31, 36, 48)
    ground: Colour = (244, 240, 232)
    flow: float = 0.8
    mask: bool = False
    second: Colour = (176, 78, 38)
    words: str = WORDS


@dataclass(frozen=True, slots=True)
class Sheet:
    """All that a proof is drawn from, whatever the surface.

    ``height`` is the finished plate's heights (H, W), 1 for white; ``strength`` the height of white as a
    share of the mark's width; ``points`` how many the surface has; ``repeats`` how often the plate covers it
    as a tile, 0 for one mark; ``size`` is (width, height) of the picture in pixels; ``smooth`` draws at twice
    the size and averages.
    """

    height: Pixels
    strength: float
    points: int
    size: tuple[int, int]
    cut: bool = False
    eye: Eye = FIRST_EYE
    lamp: Lamp = FIRST_LAMP
    repeats: int = 0
    wrap: Wrap = (True, True)
    zero: Zero = "black"
    paper: Paper = Paper()
    smooth: bool = True
    surround: Colour = SURROUND


@dataclass(frozen=True, slots=True)
class Geometry:
    """A surface that a trial is made on, at any density.

    Attributes
    ----------
    build : (points, own) -> Ground
        With about so many points; ``own`` is the artist's mesh, where the surface is one.
    onto : (places (k, 3), own) -> (places, normals)
        The nearest places on it without marks, float64 (k, 3), and its normals there.
    chart : (x, y) -> places (k, 3)
        Its own coordinates, 0..1 to the right and down, as scene places.
    uncharted : (places (k, 3)) -> (x, y)
        Places on it in its own coordinates: the way back.
    axis : {0, 1, 2}
        The scene axis round which arms of a symmetry stand.
    alike : bool
        Its two halves are alike, and so is every turn of it that arms take: mirrored places lie on it.
    needs_own : bool
        It is made from a mesh of the artist's.
    day : bool
        It is seen out of doors: lit by the sun under a sky.
    page : bool
        It is a page on which marks leave ink.
    reach : float
        Half the width that has to fit into the view at zoom 1.
    between : (one, other, own) -> places (k, 3), optional
        The shortest way along it between two places, both among them; None where straight ahead, brought onto the
        surface, leads there.
    """

    build: Callable[[int, Any], Ground]
    onto: Callable[[Places, Any], tuple[Places, Places]]
    chart: Callable[[Places, Places], Places]
    uncharted: Callable[[Places], tuple[Places, Places]]
    axis: int = 1
    alike: bool = True
    needs_own: bool = False
    day: bool = False
    page: bool = False
    reach: float = 1.16
    between: Callable[[Places, Places, Any], Places] | None = None

    @property
    def plane(self) -> bool:
        """Whether it is seen from above as a plane: marks go straight down, it is exact at any side, its light is
        its own."""
        return self.axis == 2


@dataclass(frozen=True, slots=True)
class SurfaceKind:
    """One thing that a plate can be tried on.

    Attributes
    ----------
    id, name, help : str
    geometry : Geometry
        What a trial is made on.
    command : str
        What the action of the bench is called that chooses it, "" where the bench does not offer it; ``key`` is
        its shortcut.
    eye, lamp
        How it is first looked at, and lit.
    tilts : (float, float)
        How far it can be tilted, in degrees.
    foot : {"plaster", "paper"}
        Which settings stand below it: strength and light, or ink and flow.
    suits : tuple of str
        Kinds of destination that are judged on it.
    single : Single or None
        Of a surface in plaster that the bench offers.
    """

    id: str
    name: str
    help: str
    geometry: Geometry
    command: str = ""
    key: str = ""
    eye: Eye = FIRST_EYE
    lamp: Lamp = FIRST_LAMP
    tilts: tuple[float, float] = (0.0, 80.0)
    foot: Literal["plaster", "paper"] = "plaster"
    suits: tuple[str, ...] = ("height",)
    single: Single | None = None

    def __post_init__(self) -> None:
        if not self.id or self.id != self.id.lower() or not self.name or not self.help.endswith("."):
            raise TypeError(f"surface {self.id!r}: it needs an id in lower case, a name, and a sentence of help")
        if self.command and (self.foot == "plaster") != (self.single is not None):
            raise TypeError(f"surface {self.id}: plaster has a single mark on the bench, paper has none")
