"""Stroke settings: how marks vary and repeat. Declared once; the desk, the terminal and the files read them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType
from typing import Any, Literal

from pydantic import ValidationError

from ..errors import BadValue
from ..params import CurvePoints, Params, choice, curve, fraction, integer, number, plate_reference, specs
from ..params import surface_share as share
from ..surfaces.ground import SCENE
from .tooth import TEETH

Acts = Literal["raise", "cut", "level", "gather"]
Joins = Literal["add", "highest", "keep", "replace"]
Push = Literal["point", "mark"]
Direction = Literal["fixed", "along", "pen"]
Fall = Literal["none", "soft", "round", "peak", "drawn"]
Tooth = Literal["none", "weave", "grit", "pores", "fibres", "ripples", "dapple", "plate"]
Fixed = Literal["surface", "mark"]
Made = Literal["band", "body"]
Fits = Literal["whole", "own", "count"]
Top = Literal["left", "right"]
Alternates = Literal["none", "along", "across", "both"]
Ends = Literal["open", "flat", "round"]
Joined = Literal["weld", "apart"]


class StrokeSettings(Params):
    """How the marks of a gesture come to be. Shares are of the mark's size unless their help says otherwise."""

    size: float = share(0.16, 0.002, 2.0, "Size", "Width of a mark, as a share of the surface's.", soft=(0.01, 0.6))
    strength: float = fraction(
        0.03, 0.0, 0.5, "Strength", "Height of white, as a share of the mark's width.", step=0.001, soft=(0.0, 0.12)
    )
    acts: Acts = choice(
        "raise", {"raise": "Raise", "cut": "Cut", "level": "To a level", "gather": "Gather"}, "Acts",
        "Raises, cuts in, brings everything to one level, or pulls towards the middle of the mark.",
    )  # fmt: skip
    level: float = fraction(
        0.02, -0.5, 0.5, "Level", "Height over the surface, as a share of the mark's width.", step=0.001,
        when={"acts": "level"}, soft=(-0.1, 0.1),
    )  # fmt: skip
    push: Push = choice(
        "point", {"point": "Point by point", "mark": "All one way"}, "Pushes",
        "Along the normal of each point, or all points along that of the mark's middle.",
        when={"acts": ("raise", "cut")},
    )  # fmt: skip
    meets: Joins = choice(
        "add", {"add": "Add", "highest": "Highest wins", "keep": "First stays", "replace": "Replace"},
        "Marks meet", "What becomes of a place that more than one mark reaches.", when={"acts": ("raise", "cut")},
    )  # fmt: skip
    flow: float = fraction(1.0, 0.0, 1.0, "Flow", "How much of its effect one mark has.")
    spacing: float = fraction(
        0.25, 0.01, 4.0, "Spacing", "Way between two marks of a stroke, as a share of the size.", soft=(0.01, 2.0)
    )
    steady: float = fraction(
        0.0, 0.0, 4.0, "Steady", "Length of the string on which the mark follows the hand, in sizes.", soft=(0.0, 2.0)
    )
    direction: Direction = choice(
        "fixed", {"fixed": "Fixed", "along": "Along the way", "pen": "By the pen's lean"}, "Direction",
        "What marks are turned after.",
    )  # fmt: skip
    turn: float = number(0.0, -180.0, 180.0, "Turn", "Turns every mark, clockwise.", step=5, unit="°")
    taper_in: float = fraction(0.0, 0.0, 1.0, "Taper in", "Share of a stroke over which marks grow at its beginning.")
    taper_out: float = fraction(0.0, 0.0, 1.0, "Taper out", "Share of a stroke over which marks shrink at its end.")
    turn_jitter: float = fraction(0.0, 0.0, 1.0, "Turn jitter", "By chance to either side; 100 % is any way round.")
    size_jitter: float = fraction(0.0, 0.0, 1.0, "Size jitter", "Smaller by chance, by up to this much.")
    size_least: float = fraction(
        0.15, 0.01, 1.0, "Smallest", "No mark is made smaller than this by chance or by pressure."
    )
    roundness: float = fraction(1.0, 0.05, 1.0, "Roundness", "Height of a mark over its width.")
    round_jitter: float = fraction(0.0, 0.0, 1.0, "Roundness jitter", "Flatter by chance, by up to this much.")
    flip_across: float = fraction(0.0, 0.0, 1.0, "Flip across", "Chance that left and right change places.")
    flip_down: float = fraction(0.0, 0.0, 1.0, "Flip down", "Chance that top and bottom change places.")
    scatter_across: float = fraction(
        0.0, 0.0, 4.0, "Scatter across", "By chance to either side of the way, in sizes.", soft=(0.0, 2.0)
    )
    scatter_along: float = fraction(
        0.0, 0.0, 4.0, "Scatter along", "By chance forth and back, in sizes.", soft=(0.0, 2.0)
    )
    count: int = integer(1, 1, 16, "Marks a step", "Marks at every place of a stroke.")
    count_jitter: float = fraction(0.0, 0.0, 1.0, "Count jitter", "Fewer by chance, by up to this much.")
    press_size: float = fraction(0.0, 0.0, 1.0, "Pressure: size", "How far the pen's pressure rules the size.")
    press_least: float = fraction(0.1, 0.0, 1.0, "At no pressure", "Share of the size that is left at no pressure.")
    press_strength: float = fraction(
        0.0, 0.0, 1.0, "Pressure: strength", "How far the pen's pressure rules the strength."
    )
    press_flow: float = fraction(0.0, 0.0, 1.0, "Pressure: flow", "How far the pen's pressure rules the flow.")
    tooth: Tooth = choice(
        "none", {"none": "None", **TEETH, "plate": "A plate"}, "Tooth", "A tiling texture that breaks up each mark."
    )
    tooth_plate: str = plate_reference("Plate", "The tiling plate that is the tooth.", when={"tooth": "plate"})
    tooth_depth: float = fraction(0.5, 0.0, 1.0, "Depth", "How much of a mark the tooth takes away at most.")
    tooth_scale: float = share(
        0.08, 0.005, 2.0, "Scale", "Width of one repeat, as a share of the surface's.", soft=(0.01, 0.5)
    )
    tooth_contrast: float = number(1.0, 0.0, 8.0, "Contrast", "Steepens the tooth about its middle.", soft=(0.0, 4.0))
    tooth_brightness: float = number(0.0, -1.0, 1.0, "Brightness", "More of the mark, or less.", soft=(-0.5, 0.5))
    tooth_fixed: Fixed = choice(
        "surface", {"surface": "The surface", "mark": "Each mark"}, "Fixed to", "What the tooth moves with."
    )
    fall: Fall = choice(
        "none", {"none": "None", "soft": "Soft", "round": "Round", "peak": "Peaked", "drawn": "Drawn"}, "Falloff",
        "What the receiving brush itself fades a mark with.",
    )  # fmt: skip
    fall_curve: CurvePoints = curve(
        ((0.0, 1.0), (0.5, 0.5), (1.0, 0.0)), "Curve", "From the middle of a mark to its border.",
        when={"fall": "drawn"}, editor="",
    )  # fmt: skip
    made: Made = choice(
        "band", {"band": "A band", "body": "A body"}, "Becomes",
        "The plate pressed as one band of height, or the mesh that it is made from, repeated as a body of its own.",
    )  # fmt: skip
    fits: Fits = choice(
        "whole", {"whole": "Whole number", "own": "Own length", "count": "So many"}, "Repeats",
        "Stretched to fit a whole number, at its own length with the last one cut, or so many times.",
    )  # fmt: skip
    times: int = integer(12, 1, 5000, "Times", "How often it stands along the curve.", when={"fits": "count"},
                         soft=(1, 100))  # fmt: skip
    pitch: float = fraction(
        1.0, 0.05, 4.0, "Pitch", "Way from one to the next, as a share of its own length.", soft=(0.25, 2.0)
    )
    top: Top = choice("left", {"left": "Left", "right": "Right"}, "Its top lies", "As one goes along the curve.")
    roll: float = number(0.0, -180.0, 180.0, "Roll", "Turns the cord about its way.", step=5, unit="°",
                         when={"made": "body"})  # fmt: skip
    twist: float = number(0.0, -60.0, 60.0, "Twist", "Whole turns about its way, from end to end.", step=0.25,
                          soft=(-6.0, 6.0))  # fmt: skip
    next_turn: float = number(
        0.0, -180.0, 180.0, "Every next one", "Turned about its way by so much: links of a chain.", step=5, unit="°",
        when={"made": "body"},
    )  # fmt: skip
    alternate: Alternates = choice(
        "none", {"none": "No", "along": "Along", "across": "Across", "both": "Both ways"}, "Every second flips",
        "Every second one is turned over.", when={"made": "band"},
    )  # fmt: skip
    joined: Joined = choice(
        "weld", {"weld": "Joined", "apart": "Apart"}, "Pieces", "Joined at their open ends, or each one for itself.",
        when={"made": "body"},
    )  # fmt: skip
    ends: Ends = choice(
        "flat", {"open": "Open", "flat": "Closed flat", "round": "Closed round"}, "Ends", "How the cord ends.",
        when={"made": "body", "joined": "weld"},
    )  # fmt: skip
    first_piece: str = plate_reference(
        "First piece", "A plate at the start of the curve; its right side meets the band."
    )
    last_piece: str = plate_reference(
        "Last piece", "A plate at the end of the curve, mirrored: its right side meets the band."
    )
    bend: float = fraction(
        0.5, 0.0, 4.0, "Least bend", "Tighter corners are rounded to this radius, as a share of the width.",
        soft=(0.0, 2.0),
    )  # fmt: skip
    size_along: CurvePoints = curve(
        ((0.0, 1.0), (1.0, 1.0)), "Size along", "Width from the start to the end.", editor=""
    )
    twist_along: CurvePoints = curve(
        ((0.0, 0.0), (1.0, 1.0)), "Twist along", "Where along the curve it turns.", editor=""
    )
    pitch_along: CurvePoints = curve(
        ((0.0, 1.0), (1.0, 1.0)), "Spacing along", "How far apart pieces stand, from the start to the end.", editor=""
    )

    @property
    def width(self) -> float:
        """Width of a mark, in scene units."""
        return self.size * SCENE

    def follows(self, old: str, new: str) -> StrokeSettings:
        """The same with one plate in the place of another wherever a plate is named."""
        named = [n for n, spec in specs(StrokeSettings).items() if spec.kind.refers == "plate"]
        changes = {n: new for n in named if getattr(self, n) == old}
        return self.but(**changes) if changes else self


@dataclass(frozen=True, slots=True)
class Group:
    """Settings that belong together: an id, a name, and the fields in order; ``curve``: of what lies along a curve,
    and of nothing else."""

    id: str
    name: str
    fields: tuple[str, ...]
    curve: bool = False


GROUPS: tuple[Group, ...] = (
    Group("mark", "Mark", ("size", "strength", "acts", "level", "push", "meets", "flow")),
    Group("way", "Way", ("spacing", "steady", "direction", "turn", "taper_in", "taper_out")),
    Group("chance", "Chance", (
        "turn_jitter", "size_jitter", "size_least", "roundness", "round_jitter", "flip_across", "flip_down",
    )),
    Group("scatter", "Scatter", ("scatter_across", "scatter_along", "count", "count_jitter")),
    Group("pressure", "Pressure", ("press_size", "press_least", "press_strength", "press_flow")),
    Group("tooth", "Tooth", (
        "tooth", "tooth_plate", "tooth_depth", "tooth_scale", "tooth_contrast", "tooth_brightness", "tooth_fixed",
    )),
    Group("fall", "Falloff", ("fall", "fall_curve")),
    Group("along", "Along the curve", (
        "made", "fits", "times", "pitch", "top", "roll", "twist", "next_turn", "alternate", "bend",
    ), curve=True),
    Group("ends", "Ends and pieces", ("joined", "ends", "first_piece", "last_piece"), curve=True),
    Group("course", "From start to end", ("size_along", "twist_along", "pitch_along"), curve=True),
)  # fmt: skip
# What stays when everything else is turned off: the plate alone is seen.
_KEPT = ("size", "strength", "acts", "level", "push", "meets", *(n for g in GROUPS if g.curve for n in g.fields))


@lru_cache(maxsize=1)
def _usual() -> StrokeSettings:
    return StrokeSettings()


def neutral(settings: StrokeSettings) -> StrokeSettings:
    """The same size, strength and way of acting, and nothing else."""
    kept = {name: getattr(settings, name) for name in _KEPT}
    return checked(**kept, spacing=max(settings.spacing, _usual().spacing))


def group_is_off(group: Group, settings: StrokeSettings) -> bool:
    """Whether all settings of a group are as they are at first."""
    return all(getattr(settings, name) == getattr(_usual(), name) for name in group.fields)


def checked(base: StrokeSettings | None = None, /, **values: Any) -> StrokeSettings:
    """Settings from plain values, over those of ``base``. Raises BadValue that names the setting and its range."""
    known = specs(StrokeSettings)
    odd = [name for name in values if name not in known]
    if odd:
        raise BadValue(f"Stroke settings have no {odd[0]!r}", "", f"They have: {', '.join(known)}")
    try:
        return StrokeSettings.model_validate({**(base.values() if base is not None else {}), **values})
    except ValidationError as error:
        name = str(error.errors()[0]["loc"][0])
        spec = known[name]
        told = f"It goes from {spec.lo:g} to {spec.hi:g}" if spec.lo is not None else ""
        told = f"Choose {', '.join(v for v, _ in spec.choices)}" if spec.choices else told
        raise BadValue(f"{spec.label} ({name}) has a value it cannot have", "", told) from None


# What a stroke of each kind of plate begins with, by what the plate was read as; common practice.
_STARTS: Mapping[str, Mapping[str, Any]] = MappingProxyType({
    "surface": {"size_jitter": 0.25, "size_least": 0.15, "turn_jitter": 1.0, "flip_across": 0.5, "flip_down": 0.5,
                "spacing": 0.55, "meets": "highest"},
    "tip": {"spacing": 0.03, "size": 0.08, "tooth": "grit", "tooth_depth": 0.08, "press_size": 0.6,
            "press_flow": 0.5},
    "drawing": {"spacing": 1.0, "direction": "along", "meets": "highest"},
})  # fmt: skip
_AS = {"relief": "surface", "subject": "surface", "object": "drawing", "plain": "drawing", "sheet": "surface",
       "detail": "surface", "rolled": "surface"}  # fmt: skip


def start_for(read_as: str, size: float = 0.16) -> StrokeSettings:
    """A sensible beginning for a plate that was read as something: organic stamps vary, tips follow closely, hard
    shapes stand side by side."""
    values = _STARTS.get(_AS.get(read_as, read_as), _STARTS["drawing"])
    return checked(**{"size": size, **values})


def _whole() -> None:
    listed = [name for group in GROUPS for name in group.fields]
    if sorted(listed) != sorted(specs(StrokeSettings)):
        raise TypeError("every stroke setting belongs to one group")


_whole()
