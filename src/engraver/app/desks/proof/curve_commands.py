"""The proof desk's actions on curves, with their keys."""

from __future__ import annotations

from functools import partial

from ...active_curve import REACHES
from ...commands import Command
from ...curve_sources import CurveSources
from ...host import Host

_DESK = "Proof desk: curves"


def curve_commands(host: Host) -> tuple[Command, ...]:
    """Every action of the proof desk on the chosen curve, and curves that come from elsewhere."""
    active, curve, found = host.trials, host.trials.curve, CurveSources(host)

    def chosen() -> bool:
        return curve.gesture is not None

    def point() -> bool:
        return curve.gesture is not None and curve.point >= 0

    def opened() -> bool:
        return curve.gesture is not None and not curve.gesture.way.closed

    def ring() -> bool:
        return curve.gesture is not None and curve.gesture.way.closed

    def reach() -> None:
        listed = list(REACHES)
        at = min(range(len(listed)), key=lambda n: abs(listed[n] - active.state.reach))
        active.set(reach=listed[(at + 1) % len(listed)])
        active.studio.told.emit(f"A point of a curve: {REACHES[active.state.reach].lower()}.", "")

    def step(by: int) -> None:
        gesture = curve.gesture
        if gesture is not None:
            curve.choose_point((curve.point + by) % len(gesture.points))

    def lift(by: float) -> None:
        if curve.gesture is not None:
            curve.lift(round(curve.gesture.way.offset + by, 4))

    return (
        Command("curve-corner", "Curve: a corner at the point, or none", "K", curve.sharpen, _DESK, point,
                ("sharp",)),
        Command("curve-smooth", "Curve: smooth through the point, without handles", "Shift+K", curve.free_handles,
                _DESK, point),
        Command("curve-straight", "Curve: straighten at the point, or all of it", "L", curve.straighten, _DESK,
                chosen),
        Command("curve-close", "Curve: close it, or open it", "J", curve.close, _DESK, chosen, ("ring", "join")),
        Command("curve-true", "Curve: make the ring a true circle", "Shift+J", curve.make_true, _DESK, ring,
                ("round",)),
        Command("curve-grow", "Curve: carry it on from its end", "A", lambda: curve.grow("end"), _DESK, opened,
                ("extend",)),
        Command("curve-hold-start", "Curve: hold its start, or let it go", "H", partial(curve.hold, "start"), _DESK,
                opened, ("pin", "fix")),
        Command("curve-hold-end", "Curve: hold its end, or let it go", "Shift+H", partial(curve.hold, "end"), _DESK,
                opened, ("pin", "fix")),
        Command("curve-reach", "Curve: how far a point pulls its neighbours", "Q", reach, _DESK,
                synonyms=("soft", "pull")),
        Command("curve-turn", "Curve: turn it round, its end is its start", "", curve.turn_round, _DESK, chosen,
                ("reverse",)),
        Command("curve-up", "Curve: lift it off the surface", "Alt+Shift+Up", partial(lift, 0.005), _DESK, chosen,
                ("offset", "raise")),
        Command("curve-down", "Curve: lower it into the surface", "Alt+Shift+Down", partial(lift, -0.005), _DESK,
                chosen, ("offset", "sink")),
        Command("curve-next", "Curve: next point", "E", partial(step, 1), _DESK, chosen),
        Command("curve-before", "Curve: point before", "Shift+E", partial(step, -1), _DESK, chosen),
        Command("curve-round", "Curve: run it round the body", "", found.round_body, _DESK, chosen, ("ring", "band")),
        Command("curve-file", "A curve from an SVG or a JSON file…", "", found.ask_file, _DESK, synonyms=("import",)),
        Command("curve-outline", "A curve round the plate's outline", "", found.outline, _DESK,
                lambda: bool(host.studio.plate_id), ("border", "shape")),
        Command("curve-border", "A curve along a border or a sharp edge of the mesh", "", found.border, _DESK,
                lambda: active.trial.declared.geometry.needs_own, ("rim", "edge")),
    )  # fmt: skip
