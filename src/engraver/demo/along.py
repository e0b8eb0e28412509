"""The quay's curves: a lashed post, a moulded rim, a mooring chain, a plait round a ball, and one taken back."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from engraver.core import mesh
from engraver.core.curves.model import Curve
from engraver.core.params import StepZero
from engraver.core.pressing.gesture import Gesture, packed_points
from engraver.core.pressing.settings import checked
from engraver.core.recipe import Project, brushes, edits, trials
from engraver.core.recipe.models import Source, new_id
from engraver.core.sources.trial import TrialFrame
from engraver.core.surfaces import surface

from .casts import Cast
from .cordage import Drawn, chain_link, moulding, moulding_end, plait, rope_lay

# The trials of each.
POST, RIM, CHAIN, BELT, BRAID = "Lashed post", "Moulded rim", "Mooring chain", "Belted ball", "Plaited band"
ROPE, LINK, SCROLL, SCROLL_END, PLAIT = "Rope lay", "Chain link", "Scroll moulding", "Scroll end", "Flat plait"
STRIP = "Plaited strip"
Keep = Callable[[Callable[[], Any], str], Source]
# By name: what it is made by, its file, and how it is read.
_LIE = mesh.Capture(view="front", depth="exact", side=512, unit="mm")
_PLATES: dict[str, tuple[Callable[[], Cast | Drawn], str, StepZero | None, str]] = {
    ROPE: (rope_lay, "rope_lay.ply", _LIE, "object"),
    LINK: (chain_link, "chain_link.ply", mesh.Capture(view="top", depth="exact", side=512, unit="mm"), "object"),
    SCROLL: (moulding, "moulding.png", None, "plain"), SCROLL_END: (moulding_end, "moulding_end.png", None, "plain"),
    PLAIT: (plait, "plait.png", None, "plain"),
}  # fmt: skip
# The hull is this much of a scene unit to a millimetre, its middle so far over the deck.
_HULL, _DECK = 2 / 140.4, 10.08


def _along(uid: str, places: NDArray[np.float64], plate: str, *, curve: Curve, **settings: Any) -> Gesture:
    return Gesture(
        uid=uid,
        kind="along",
        plate=plate,
        settings=checked(**settings),
        seed=5,
        data=packed_points(places),
        curve=curve,
    )


def _rings(plate: str) -> list[Gesture]:
    """Three turns of rope round a post, side by side, and one across them."""
    angle = 2 * np.pi * np.arange(16) / 16
    how: dict[str, Any] = {"size": 0.085, "made": "body"}
    made = []
    for n, x in enumerate((-0.24, -0.07, 0.1)):
        ring = np.stack([np.full(16, x), 0.46 * np.sin(angle), 0.46 * np.cos(angle)], -1)
        made.append(_along(f"ring-{n}", ring, plate, curve=Curve(closed=True, offset=0.034), **how))
    return made


def _rim(plate: str, end: str) -> Gesture:
    """Along the hull's side, a little over the deck, from near its stern to near its bow."""
    along = np.linspace(-0.86, 0.86, 15)
    breadth = 26 * (1 - np.abs(along) ** 2.6) ** 0.55
    depth = 24 * (1 - np.abs(along) ** 4) ** 0.5
    angle = np.radians(38.0)
    across, up = breadth * np.cos(angle) ** 0.8, depth * np.sin(angle) ** 0.75
    places = np.stack([70 * along, -across, up - _DECK], -1) * _HULL
    return _along(
        "rim", places, plate, curve=Curve(held=("start", "end")), size=0.13, strength=0.07, first_piece=end,
        last_piece=end, top="left", meets="highest",
    )  # fmt: skip


def _chain(plate: str) -> Gesture:
    x = np.linspace(0.16, 0.84, 9)
    places = surface("terrain").geometry.chart(x, 0.5 + 0.2 * np.sin(7 * x))
    return _along(
        "chain",
        places,
        plate,
        curve=Curve(offset=0.02),
        size=0.06,
        made="body",
        pitch=0.62,
        next_turn=90.0,
        roll=45.0,
    )


def _belt(plate: str) -> Gesture:
    angle = 2 * np.pi * np.arange(16) / 16
    ring = 0.95 * np.stack([np.cos(angle), -np.sin(angle) * 0.35, np.sin(angle) * 0.94], -1)
    on, _ = surface("ball").geometry.onto(ring, None)
    return _along("belt", on, plate, curve=Curve(closed=True), size=0.13, strength=0.16, meets="highest")


def _braid(plate: str) -> Gesture:
    angle = 2 * np.pi * np.arange(16) / 16
    places = surface("flat").geometry.chart(0.5 + 0.33 * np.cos(angle), 0.5 - 0.33 * np.sin(angle))
    return _along("braid", places, plate, curve=Curve(closed=True), size=0.15, strength=0.12, meets="highest")


def with_curves(project: Project, keep: Keep, start: Callable[[Source], StepZero], hull: str) -> Project:
    """The project with what lies along curves: plates, trials, a brush, and a strip that is taken back.

    ``keep`` makes a source of one of our own files, ``start`` says how a picture is read, ``hull`` is the id of the
    hull's source.
    """
    plate: dict[str, str] = {}
    for n, (name, (make, file, reading, read_as)) in enumerate(_PLATES.items()):
        source = keep(make, file)
        project, plate[name] = edits.add_plate(
            project, source, name, (), reading=reading or start(source), read_as=read_as, seed=40 + n
        )
    braid = _braid(plate[PLAIT])
    wanted: tuple[tuple[str, str, list[Gesture], dict[str, Any]], ...] = (
        (POST, "pipe", _rings(plate[ROPE]), {}),
        (RIM, "own", [_rim(plate[SCROLL], plate[SCROLL_END])], {"own": hull, "points": 500_000}),
        (CHAIN, "terrain", [_chain(plate[LINK])], {}), (BELT, "ball", [_belt(plate[PLAIT])], {}),
        (BRAID, "flat", [braid], {}),
    )  # fmt: skip
    made = ""
    for name, on, gestures, more in wanted:
        project, made = trials.add_trial(project, on, name=name, **more)
        for gesture in gestures:
            project = trials.add_gesture(project, made, gesture)
    source = Source(id=new_id("src"), kind="trial", name=BRAID)
    reading = TrialFrame(trial=made, seen="along", gesture=braid.uid, shape=0.1447, side=1024)
    project, _ = edits.add_plate(project, source, STRIP, (), reading=reading, read_as="trial")
    return brushes.keep(project, plate[PLAIT], braid.settings, "black", name="Plait along")[0]
