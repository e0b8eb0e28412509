"""The proof desk's own actions, with their keys. Keys are our own."""

from __future__ import annotations

from functools import partial
from typing import cast

from engraver.core.mesh.pose import STRAIGHT
from engraver.core.pressing.gesture import GESTURES, MOST_ARMS
from engraver.core.surfaces import SURFACES
from engraver.core.surfaces.view import Eye

from ...commands import Command
from ...host import Host
from .curve_commands import curve_commands
from .desk import ProofDesk

_DESK = "Proof desk"
# Keys of the tools by the kind of gesture.
_KEYS = {"single": "1", "drag-out": "2", "stroke": "3", "along": "C", "smooth": "Z", "scrape": "X", "wipe": "W"}
# Straight-on views: tilt and turn of the eye.
_EYES = {
    "front": (0.0, 0.0), "back": (0.0, 180.0), "left": (0.0, 90.0), "right": (0.0, -90.0), "top": (90.0, 0.0),
    "bottom": (-90.0, 0.0),
}  # fmt: skip


def proof_commands(host: Host) -> tuple[Command, ...]:
    """Every action of the proof desk."""
    t, b = host.trials, host.brushes

    def desk() -> ProofDesk:
        return cast(ProofDesk, host.desk("proof"))

    def chosen() -> bool:
        return t.gesture is not None

    def something() -> bool:
        return bool(t.trial.gestures)

    def arms(by: int) -> None:
        t.set(arms=min(MOST_ARMS, max(1, t.state.arms + by)))

    def look(view: str) -> None:
        tilt, turn = _EYES[view]
        t.look(Eye(tilt, turn))

    def size(by: float) -> None:
        t.set_settings(size=min(2.0, max(0.002, t.settings.size * by)))

    def facets() -> None:
        word = "Leave the facets" if t.trial.rounded else "Smooth the facets"
        t.set_trial(word, rounded=not t.trial.rounded)

    def leave_out() -> None:
        if t.gesture is not None:
            t.set_gesture("Leave a gesture out, or bring it back", on=not t.gesture.on)

    def remove() -> None:
        if not t.curve.remove_point():
            t.remove(t.chosen)

    def side_by_side() -> None:
        t.set(second=0 if t.state.second else 60_000)

    return (
        *(Command(f"tool-{k.id}", f"Gesture: {k.name.lower()}", _KEYS[k.id], partial(t.use, k.id), _DESK)
          for k in GESTURES.values()),
        *(Command(f"on-{k.id}", f"Try on: {k.name.lower()}", f"Shift+F{n + 1}", partial(_try_on, host, k.id),
                  _DESK) for n, k in enumerate(SURFACES.values())),
        *(Command(f"eye-{v}", f"Trial: look from the {v}", str(n + 4), partial(look, v), _DESK)
          for n, v in enumerate(STRAIGHT)),
        Command("eye-home", "Trial: as it is first seen", "F", lambda: t.look(t.trial.declared.eye), _DESK),
        Command("neutral", "Neutral: the plate alone", "N", t.neutral, _DESK, synonyms=("jitter", "off")),
        Command("mirror", "Mirror", "M", lambda: t.set(mirror=not t.state.mirror), _DESK, synonyms=("symmetry",)),
        Command("arms-more", "One arm more", "R", lambda: arms(1), _DESK, synonyms=("symmetry", "radial")),
        Command("arms-fewer", "One arm fewer", "Shift+R", lambda: arms(-1), _DESK),
        Command("mark-larger", "Larger mark", "Alt+Up", lambda: size(1.15), _DESK),
        Command("mark-smaller", "Smaller mark", "Alt+Down", lambda: size(1 / 1.15), _DESK),
        Command("hold-size", "Hold and drag: size and strength", "D", lambda: None, _DESK, hold=True),
        Command("hold-smooth", "Hold: the tool under the hand smooths", "S", lambda: None, _DESK, hold=True),
        Command("brush-keep", "Keep as a brush", "B", b.keep, _DESK, synonyms=("preset", "save")),
        Command("brush-next", "Next brush", "Shift+B", b.next, _DESK, lambda: bool(b.all), ("cycle",)),
        Command("brush-change", "Keep the brush's change", "", b.keep_change, _DESK, lambda: bool(b.change_words())),
        Command("brush-back", "Brush: back to as it was", "", b.back, _DESK, lambda: bool(b.change_words())),
        Command("trial-lines", "Show the grid", "G", lambda: t.set(lines=not t.state.lines), _DESK),
        Command("side-by-side", "Two densities side by side", "V", side_by_side, _DESK),
        Command("stroke-settings", "Fold the stroke settings", "T", lambda: t.set(panel=not t.state.panel), _DESK),
        Command("gesture-remove", "Take the chosen point or gesture out", "Del", remove, _DESK, chosen),
        Command("gesture-off", "Leave the chosen gesture out, or bring it back", "O",
                leave_out, _DESK, chosen),
        Command("make-plate", "Make a plate of the trial…", "Ctrl+Return",
                lambda: desk().trial_actions.ask_make_plate(), _DESK, something, ("take back", "bake")),
        Command("trial-save", "Save the trial as a mesh or a picture…", "",
                lambda: desk().trial_actions.ask_save(), _DESK, something, ("export", "ply", "obj", "stl", "glb")),
        Command("trial-new", "New trial", "", t.new_trial, _DESK),
        Command("trial-rename", "Rename the trial…", "F2", lambda: desk().trial_actions.rename(), _DESK,
                lambda: bool(t.trial.id)),
        Command("trial-remove", "Remove the trial", "", lambda: desk().trial_actions.remove(), _DESK,
                lambda: bool(t.trial.id)),
        Command("trial-rounded", "Smooth the mesh's facets, or leave them", "", facets, _DESK,
                lambda: t.trial.declared.geometry.needs_own, ("round", "phong")),
        Command("trial-mesh", "Try on a mesh of your own…", "", lambda: desk().trial_actions.choose_mesh(), _DESK),
        Command("cords-save", "Save only the cords as a mesh…", "", lambda: desk().trial_actions.ask_save_cords(),
                _DESK, lambda: bool(t.trial.bodies), ("rope", "chain", "export")),
        *curve_commands(host),
    )  # fmt: skip


def _try_on(host: Host, id: str) -> None:
    if SURFACES[id].geometry.needs_own:
        cast(ProofDesk, host.desk("proof")).trial_actions.choose_mesh()
    else:
        host.trials.set_surface(id)
