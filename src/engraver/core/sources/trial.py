"""A trial as a source: the surface with its marks, live. Exact on a plane, else captured like any mesh."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import ClassVar, Literal

import numpy as np

from engraver.core.mesh.model import together
from engraver.core.mesh.raster import Frame, nearest, on_screen

from ..cache import Cache
from ..cords.body import Cord
from ..cords.trial import cords_of
from ..errors import BadValue, Watch, unwatched
from ..params import StepZero, choice, fraction, integer, number, trial_reference
from ..params.kinds.words import words
from ..pressing.expand import expand
from ..pressing.gesture import Gesture
from ..pressing.relief import Relief, Tip
from ..pressing.replay import Replay
from ..raster import Facts, Pixels, Raster, Zero
from ..recipe.models import Source
from ..recipe.trial import Trial
from ..surfaces.ground import SCENE, Even, Ground, grid_faces
from ..surfaces.own import OwnMesh
from ..surfaces.terrain import height_at
from ..surfaces.view import Eye
from . import mesh as bodies
from .holding import Holding
from .kind import First, Size, SourceKind
from .trial_strip import LEAST_SHAPE, MOST_SHAPE, straightened, whole_repeats

# The side at which the range of heights is found, whatever the plate's side.
_RANGE_SIDE = 512
# The side of a tip that is enough for every preview.
_MOST_TIP = 1024


class TrialFrame(StepZero):
    """Step zero of a plate that is made of a trial: what of it is taken, and how high white is."""

    kind: ClassVar[str] = "trial"

    trial: str = trial_reference("Trial", "The trial that the plate is made of.")
    seen: Literal["plane", "eye", "along"] = choice(
        "plane", {"plane": "Straight down", "eye": "As seen", "along": "Along its curve"}, "Taken",
        "Straight down, exact at any side; as the eye sees it; or straightened along a curve.",
    )  # fmt: skip
    x: float = fraction(0.5, -1.0, 2.0, "Across", "Middle of the frame, as a share of the surface's width.",
                        when={"seen": ("plane", "eye")})  # fmt: skip
    y: float = fraction(0.5, -1.0, 2.0, "Down", "Middle of the frame, as a share of the surface's width.",
                        when={"seen": ("plane", "eye")})  # fmt: skip
    width: float = fraction(
        1.0, 0.01, 3.0, "Width", "Width of the frame, as a share of the surface's.", soft=(0.05, 1.5),
        when={"seen": ("plane", "eye")},
    )  # fmt: skip
    tilt: float = number(0.0, -180.0, 180.0, "Tilt", "How the eye looks down.", unit="°", when={"seen": "eye"})
    turn: float = number(0.0, -3600.0, 3600.0, "Turn", "How the surface is turned.", unit="°", when={"seen": "eye"})
    heights: Literal["whole", "pressed"] = choice(
        "whole", {"whole": "With the body", "pressed": "Pressed alone"}, "Heights",
        "With the form of the body, or over it: what was pressed into it alone.", when={"seen": ("plane", "eye")},
    )  # fmt: skip
    zero: Zero = choice(
        "black", {"black": "Black", "mid": "Mid-grey"}, "Zero", "The tone that leaves the surface untouched."
    )
    height: float = fraction(
        0.0, 0.0, 1.0, "White stands for", "Height of white as a share of the surface's width; 0 finds the greatest.",
        step=0.001, soft=(0.0, 0.2),
    )  # fmt: skip
    side: int = integer(1024, 16, 8192, "Side", "Pixels along the longer side.", unit="px", soft=(256, 4096))
    gesture: str = words("", "Curve", "The gesture along whose curve it is straightened.")
    shape: float = number(
        1.0, LEAST_SHAPE, MOST_SHAPE, "Height over length", "Of the straightened band.", step=0.01,
        when={"seen": "along"},
    )  # fmt: skip

    @property
    def size(self) -> Size:
        """Height and width in pixels."""
        if self.seen != "along":
            return self.side, self.side
        less = self.side * min(self.shape, 1 / self.shape)
        return (max(4, round(less)), self.side) if self.shape <= 1 else (self.side, max(4, round(less)))


Part = Literal["whole", "filled", "pressed", "eye", "strip"]
PARTS: Mapping[Part, str] = MappingProxyType({
    "whole": "The whole surface", "filled": "What the marks fill",
    "pressed": "Only what was pressed, as it is seen now", "eye": "As it is seen now",
    "strip": "The chosen band, straightened to a strip",
})  # fmt: skip
# Room round what the marks fill, as a share of it.
_ROOM = 0.06


def parts_of(trial: Trial, chosen: str = "") -> tuple[Part, ...]:
    """What of a trial can become a plate: a plane straight down, anything as it is seen, of a body what was pressed
    alone, and a band that is chosen, or is the only one, as a strip."""
    flat: tuple[Part, ...] = ("whole", "filled", "eye") if trial.declared.geometry.plane else ("pressed", "eye")
    return (*flat, "strip") if chosen_band(trial, chosen) is not None else flat


def chosen_band(trial: Trial, chosen: str = "") -> Gesture | None:
    """The band that can be straightened: the chosen one, else the only one; None where there is none."""
    bands = [g for g in trial.gestures if g.declared.curve and g.on and g.settings.made == "band"]
    found = [g for g in bands if g.uid == chosen] or (bands if len(bands) == 1 else [])
    return found[0] if found else None


def framed(
    trial: Trial, part: Part, zero: Zero, eye: Eye, own: OwnMesh | None = None, chosen: str = "",
    tips: Mapping[str, Tip] = MappingProxyType({}),
) -> TrialFrame:  # fmt: skip
    """Step zero of a plate that is made of a part of a trial; ``chosen`` is the gesture whose band becomes a strip,
    which needs the tips of the trial's plates. Raises BadValue for a band that cannot be straightened."""
    geometry, band = trial.declared.geometry, chosen_band(trial, chosen)
    if part == "strip" and band is not None:
        shape = whole_repeats(band, tips, geometry, own).shape
        return TrialFrame(trial=trial.id, zero=zero, seen="along", gesture=band.uid, shape=round(shape, 4))
    if part in ("eye", "pressed"):
        wide = min(3.0, max(0.01, round(geometry.reach / eye.zoom, 4)))
        return TrialFrame(
            trial=trial.id, zero=zero, seen="eye", tilt=eye.tilt, turn=eye.turn, width=wide,
            heights="pressed" if part == "pressed" else "whole",
        )  # fmt: skip
    ends = []
    for gesture in trial.gestures if part == "filled" else ():
        marks = expand(gesture, geometry, own)
        ends += [marks.place[:, :2] - marks.radius[:, None], marks.place[:, :2] + marks.radius[:, None]]
    if not sum(map(len, ends)):
        return TrialFrame(trial=trial.id, zero=zero)
    low, high = np.concatenate(ends).min(axis=0), np.concatenate(ends).max(axis=0)
    x, y = geometry.uncharted(np.array([[*(low + high) / 2, 0.0]]))
    wide = float((high - low).max()) * (1 + _ROOM) / SCENE
    return TrialFrame(
        trial=trial.id, zero=zero, x=round(float(x[0]), 4), y=round(float(y[0]), 4),
        width=round(min(3.0, max(0.01, wide)), 4),
    )  # fmt: skip


def made_for(reading: TrialFrame) -> str:
    """The destination that a plate made of a trial is most likely made for; "" for the usual one."""
    if reading.zero == "mid":
        return "sculpt-stamp-mid"
    return "brush-form" if reading.seen == "eye" and reading.heights == "whole" else ""


def tip_side(trial: Trial, own: OwnMesh | None, reading: StepZero, side: int) -> int:
    """Pixels of a plate that are enough where a trial is shown at ``side`` pixels: as many as its largest mark takes
    there, up to the next power of two, so that tips are used again."""
    assert isinstance(reading, TrialFrame)
    if reading.seen == "along":
        return _MOST_TIP
    radii = [expand(g, trial.declared.geometry, own).radius for g in trial.gestures if g.declared.plate]
    largest = 2 * max((float(r.max()) for r in radii if len(r)), default=0.0) / (SCENE * reading.width)
    return int(min(_MOST_TIP, max(64, 2 ** math.ceil(math.log2(max(1.0, largest * side))))))


@dataclass(frozen=True, eq=False)
class Given:
    """What a trial is computed from: itself, the tips of its plates by id, the mesh that it may be made on, and a key
    that names all of it."""

    trial: Trial
    tips: Mapping[str, Tip]
    own: OwnMesh | None
    key: str


def ground_of(trial: Trial, own: OwnMesh | None, cache: Cache, points: int | None = None) -> Ground:
    """The surface of a trial at its density, or at another one; kept in the cache. Raises BadValue or BadMesh."""
    count = points or trial.points
    key = f"ground {trial.surface} {count} {own.key if own is not None else ''}"
    found = cache.get(key)
    if not isinstance(found, Ground):
        found = trial.declared.geometry.build(count, own)
        cache.put(key, found)
    return found


def own_of(trial: Trial, source: Source | None, holding: Holding, check: Watch = unwatched) -> OwnMesh | None:
    """The mesh that a trial is made on; None for a surface of ours.

    Raises
    ------
    BadValue
        The trial needs a mesh and has none.
    BadMesh, FileTrouble
        The mesh cannot be read.
    """
    if not trial.declared.geometry.needs_own:
        return None
    if source is None:
        raise BadValue("This surface is a mesh of your own, and none is chosen", "", "Choose a mesh")
    key = f"own {' '.join(source.digests)} {trial.rounded}"
    found = holding.cache.noted(key)
    if not isinstance(found, OwnMesh):
        found = OwnMesh(bodies.shape_of(source, holding, check).mesh, trial.rounded, key)
        holding.cache.note(key, found)
    return found


def _frame_ground(reading: TrialFrame, size: Size, hills: bool, faces: bool, places: bool) -> Ground:
    """The part of a plane that a frame shows, a point for every pixel; ``places`` where its points are looked at."""
    rows, columns = size
    right, down = SCENE * reading.width / columns, -SCENE * reading.width / rows
    left = SCENE * (reading.x - reading.width / 2) - 1 + right / 2
    top = 1 - SCENE * (reading.y - reading.width / 2) + down / 2
    points, normals = np.empty((rows, columns, 3), np.float32), np.empty((rows * columns, 3), np.float32)
    if places or hills:
        points[..., 0] = left + right * np.arange(columns)
        points[..., 1] = (top + down * np.arange(rows))[:, None]
        points[..., 2] = height_at(points[..., 0].astype(float), points[..., 1].astype(float)) if hills else 0
        normals[:] = (0, 0, 1)
    none = np.zeros((0, 3), np.int32)
    number = np.arange(rows * columns).reshape(rows, columns)
    listed = grid_faces(np.arange(rows), np.arange(columns), number) if faces else none
    return Ground(
        points.reshape(-1, 3), normals, listed, none, "plane", even=Even(rows, columns, left, top, right, down)
    )


def _pressed(given: Given, ground: Ground, check: Watch) -> Relief:
    replay = Replay(ground, given.trial.declared.geometry, given.own, given.key, Cache(0))
    replay.bring(given.trial.gestures, given.tips, check)
    return replay.relief


def heights(
    given: Given, reading: TrialFrame, size: Size, holding: Holding, check: Watch = unwatched
) -> tuple[Pixels, Pixels | None]:
    """Heights in the frame in scene units, float32 (H, W), and their coverage where not all of it is there."""
    geometry = given.trial.declared.geometry
    if reading.seen == "along":
        return straightened(given.trial, given.tips, given.own, reading.gesture, size, check), None
    cords = cords_of(given.trial.gestures, geometry, given.own, given.tips, holding.cache, check)
    tools = any(not g.declared.plate and g.declared.points for g in given.trial.gestures)
    plane = geometry.plane
    if plane and reading.seen == "plane":
        settings = [g.settings for g in given.trial.gestures]
        places = tools or any(s.tooth != "none" or s.push == "mark" for s in settings)
        ground = _frame_ground(reading, size, geometry.day, tools, places)
        relief = _pressed(given, ground, check)
        if relief.moves is None:  # nothing went sideways: every pixel has its own height
            hills = ground.points[:, 2] if geometry.day else np.float32(0)
            tall = _with_cords((relief.height + hills).reshape(size), reading, cords, check)
            return tall - hills.reshape(size) if geometry.day and reading.heights == "pressed" else tall, None
    ground = ground_of(given.trial, given.own, holding.cache)
    relief = _pressed(given, ground, check)
    turned = Eye(reading.tilt, reading.turn) if reading.seen == "eye" else Eye(0.0, 0.0)
    wide = SCENE * reading.width
    frame = Frame(SCENE * reading.x - 1, 1 - SCENE * reading.y, wide)
    to, shift = on_screen(frame, size[1], size[0])
    points, faces = relief.points(), ground.faces
    if cords:
        points, faces = together(((points, faces), *((c.points, c.faces) for c in cords)))
    matrix = to @ turned.rotation().astype(np.float64)
    tall, cover = nearest(points, faces, matrix, shift, size[1], size[0], samples=4, check=check)
    if reading.heights == "whole":
        return tall, cover
    bare, there = nearest(ground.points, ground.faces, matrix, shift, size[1], size[0], samples=4, check=check)
    return _over_body(tall, bare, cover * there, wide / size[1]), None


def _over_body(tall: Pixels, bare: Pixels, cover: Pixels, pixel: float) -> Pixels:
    """How high a surface stands over the body that it was made of, float32 (H, W): 0 beside it.

    Parameters
    ----------
    tall, bare : float32 (H, W)
        Heights towards the eye, of what was made and of the bare body.
    cover : float32 (H, W)
        How much of each pixel both cover, 0..1.
    pixel : float
        The width of a pixel in units of height.

    Notes
    -----
    What lies between both along the eye, times the cosine between the eye and the body's normal: their distance along
    the normal where the body is straight over that distance. Towards the outline it becomes 0.
    """
    down, across = np.gradient(bare, np.float32(pixel))
    cosine = 1 / np.sqrt(1 + down * down + across * across)
    risen: Pixels = ((tall - bare) * cosine * cover).astype(np.float32)
    return risen


def _with_cords(tall: Pixels, reading: TrialFrame, cords: Sequence[Cord], check: Watch) -> Pixels:
    """Heights with cords on them as they are seen from above, the higher of both."""
    if not cords:
        return tall
    rows, columns = tall.shape
    frame = Frame(SCENE * reading.x - 1, 1 - SCENE * reading.y, SCENE * reading.width)
    to, shift = on_screen(frame, columns, rows)
    points, faces = together((c.points, c.faces) for c in cords)
    found, cover = nearest(points, faces, to, shift, columns, rows, samples=4, check=check)
    met: Pixels = tall + cover * np.maximum(found - tall, 0)
    return met


def _range(given: Given, reading: TrialFrame, holding: Holding, check: Watch) -> tuple[float, float]:
    """The tone-zero height and the height of white over it, in scene units."""
    pressed = " ".join(tip.key for tip in given.tips.values())
    key = f"trial range {given.key} {pressed} {reading.but(side=1024).model_dump_json()}"
    known = holding.cache.noted(key)
    if known is None:
        by = min(1.0, _RANGE_SIDE / reading.side)
        rows, columns = (max(1, round(n * by)) for n in reading.size)
        tall, cover = heights(given, reading, (rows, columns), holding, check)
        there = tall if cover is None else tall[cover > 0]
        if reading.seen != "eye" or reading.heights == "pressed" or not there.size:
            base = 0.0
        else:
            base = float(there.min()) if reading.zero == "black" else float(np.median(there))
        known = base, float(np.abs(there - base).max()) if there.size else 0.0
        holding.cache.note(key, known)
    base, most = known
    return base, reading.height * SCENE if reading.height > 0 else max(most, 1e-6)


def made(given: Given, reading: TrialFrame, size: Size, holding: Holding, check: Watch) -> Raster:
    """The plate's source at ``size`` (height, width), grey."""
    base, most = _range(given, reading, holding, check)
    tall, cover = heights(given, reading, size, holding, check)
    share = (tall - np.float32(base)) / np.float32(most)
    if reading.zero == "mid":
        share = share * np.float32(0.5) + np.float32(0.5)
    ground = np.float32(0.5 if reading.zero == "mid" else 0)
    if cover is not None:
        share = np.where(cover > 0, share, ground)
    wrap = (reading.seen == "along", False)
    return Raster.of(np.ascontiguousarray(share, np.float32), coverage=cover, zero=reading.zero, wrap=wrap)


def _facts(source: Source, reading: TrialFrame, holding: Holding) -> Facts:
    rows, columns = reading.size
    strip = reading.seen == "along"
    body = reading.seen == "eye" and reading.heights == "whole"
    return Facts(columns, rows, coverage=body, zero=reading.zero, wrap=(strip, False))


def _raster(source: Source, reading: TrialFrame, size: Size, holding: Holding, check: Watch, coarse: bool) -> Raster:
    raise BadValue("The trial that this plate is made of is gone", "", "Choose another trial, or undo")


def _first(source: Source, holding: Holding, what: str | None, before: StepZero | None, check: Watch) -> First:
    return First(before or TrialFrame(), "trial", ())


_HELP = "What was pressed into a surface, as a new plate."
TRIAL: SourceKind = SourceKind(
    id="trial", name="Trial", help=_HELP, reading=TrialFrame, files="none", facts=_facts, raster=_raster,
    start=lambda source, holding, check: TrialFrame(), first=_first,
    words=lambda source, reading, holding: f"{source.name}, live",
    rows=lambda source: ("seen", "x", "y", "width", "tilt", "turn", "shape", "heights", "zero", "height", "side"),
    from_trial=made,
)  # fmt: skip
