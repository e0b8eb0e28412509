"""The list of all actions of the window, with their keys. Keys are our own."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from engraver.core.mesh.pose import STRAIGHT
from engraver.core.proof.surfaces import SURFACES
from engraver.core.steps import KINDS

from . import dialogs
from .commands import Command, Commands
from .editor_kinds import editor_of

if TYPE_CHECKING:
    from .window import Window


def make_commands(w: Window) -> Commands:
    """Every action of ``w``. Menus, the finder and the list of keys are built from this."""
    s, c = w.studio, w.captures

    def overlay(name: str) -> None:
        w.plate_view.toggle_overlay(name)

    def remove() -> None:
        s.remove_step(s.step_uid)

    def toggle() -> None:
        s.toggle_step(s.step_uid)

    def peek() -> None:
        s.peek(not s.peeking)

    def fold(name: str) -> None:
        widget = getattr(w, name)
        widget.setVisible(not widget.isVisible())

    def paint(place: int) -> None:
        paints = editor_of(s.step).paints
        if place < len(paints):
            w.hand.set(tag=paints[place].tag)

    def brush(by: float) -> None:
        w.hand.set(radius=w.hand.brush.radius * by)

    def roll_out() -> None:
        chosen = c.chosen()
        c.roll_out(chosen is not None and not chosen[1].roll_out)

    steps = tuple(
        Command(f"add-{k.id}", f"Add {k.name.lower()}", "", "plate", partial(s.add_step, k.id), "Step")
        for k in KINDS.values()
    )
    return Commands((
        Command("find", "Find a command", "Ctrl+K", "nothing", w.find_command, "Help"),
        Command("open", "Open pictures, meshes or a project…", "Ctrl+O", "nothing", w.open_dialog, "Project"),
        Command("recent", "Open recent…", "Ctrl+Shift+O", "nothing", partial(dialogs.open_recent, w), "Project"),
        Command("stop", "Stop taking in", "Ctrl+.", "nothing", w.filing.stop, "Project"),
        Command("paste", "Paste a picture", "Ctrl+V", "nothing", w.arrivals.paste, "Project"),
        Command("watch", "Watch a folder, or stop…", "", "nothing", partial(dialogs.watch_folder, w), "Project"),
        Command("scan", "Scan a sheet…", "Ctrl+Shift+N", "nothing", partial(dialogs.scan, w), "Project"),
        Command("camera", "Practice camera: take a photo", "", "nothing", w.arrivals.shoot, "Project"),
        Command("save", "Save", "Ctrl+S", "nothing", w.save, "Project"),
        Command("save-as", "Save under another name…", "Ctrl+Shift+S", "nothing", w.save_as, "Project"),
        Command("export", "Export…", "Ctrl+E", "plate", w.deliveries.export, "Project"),
        Command("export-again", "Export again", "Ctrl+Shift+E", "plate", w.deliveries.export_again, "Project"),
        Command("copy", "Copy picture", "Ctrl+C", "plate", w.deliveries.copy_picture, "Project"),
        Command("destinations", "Edit destinations…", "", "nothing", w.deliveries.edit_destinations, "Project"),
        Command("recipe", "Keep the line as a recipe…", "", "plate", partial(dialogs.keep_recipe, w), "Project"),
        Command("demo", "Open the demo, Saltmarrow Quay", "", "nothing", w.open_demo, "Project"),
        Command("blank", "New blank plate", "Ctrl+N", "nothing", s.add_blank, "Project"),
        Command("undo", "Undo", "Ctrl+Z", "undo", s.undo, "Project"),
        Command("redo", "Redo", "Ctrl+Shift+Z", "redo", s.redo, "Project"),
        Command("add-step", "Add a step…", "A", "plate", w.add_step, "Step"),
        Command("toggle", "Switch the step on or off", "O", "step", toggle, "Step"),
        Command("remove", "Remove the step", "Del", "step", remove, "Step"),
        Command("earlier", "Move the step earlier", "Alt+Left", "step", lambda: w.line.shift(s.step_uid, -1), "Step"),
        Command("later", "Move the step later", "Alt+Right", "step", lambda: w.line.shift(s.step_uid, 1), "Step"),
        Command("before", "Choose the step before", ",", "plate", lambda: w.choose_beside(-1), "Step"),
        Command("after", "Choose the step after", ".", "plate", lambda: w.choose_beside(1), "Step"),
        Command("paint-first", "Brush: keep, automatic or leave out", "K", "strokes", lambda: paint(0), "Brush"),
        Command("paint-second", "Brush: remove, from here or only here", "M", "strokes", lambda: paint(1), "Brush"),
        Command("leap", "Take back the last leap of a mark", "L", "strokes", s.take_back_leap, "Brush"),
        Command("take-here", "Take from the place under the pointer", "H", "strokes",
                lambda: w.plate_view.canvas.pick_here(), "Brush"),
        Command("flip", "Turn the direction of taking round", "Y", "strokes",
                lambda: w.hand.set(flipped=not w.hand.brush.flipped), "Brush"),
        Command("finer", "Smaller brush", "[", "strokes", lambda: brush(1 / 1.25), "Brush"),
        Command("broader", "Larger brush", "]", "strokes", lambda: brush(1.25), "Brush"),
        Command("capture-large", "Mesh: capture view large or small", "Q", "mesh",
                lambda: c.show_large(not c.large), "Mesh"),
        *(Command(f"capture-{v}", f"Mesh: look from the {v}", str(n + 4), "mesh", partial(c.look_from, v), "Mesh")
          for n, v in enumerate(STRAIGHT)),
        Command("capture-flat", "Mesh: lay flat", "0", "mesh", partial(c.look_from, "flat"), "Mesh"),
        Command("capture-level", "Mesh: level", "J", "mesh", c.level, "Mesh"),
        Command("capture-snap", "Mesh: snap straight", "N", "mesh", c.snap, "Mesh"),
        Command("capture-zero", "Mesh: pick what is zero", "Z", "mesh", lambda: c.pick(not c.picking), "Mesh"),
        Command("capture-roll", "Mesh: roll out round its axis, or whole", "", "mesh", roll_out, "Mesh"),
        Command("trace", "Hand: trace the source", ";", "strokes", lambda: s.trace(not s.tracing), "Brush"),
        Command("reveal", "Show what the step found", "I", "reveal", lambda: s.reveal(not s.revealing), "View"),
        Command("duplicate", "Duplicate the plate", "Ctrl+D", "plate", w.plates.duplicate, "Plate"),
        Command("from-source", "New plate from this source", "Ctrl+Shift+D", "plate", w.plates.from_source, "Plate"),
        Command("family", "Family over the chosen step…", "", "plate", w.plates.family, "Plate"),
        Command("replace-source", "Replace the source…", "", "plate", w.plates.replace_source, "Plate"),
        Command("split", "Split a sheet…", "", "plate", w.plates.split, "Plate"),
        Command("share", "Use this line on more plates…", "U", "plate", w.plates.share, "Plate"),
        Command("remove-plate", "Remove the plate", "", "plate", s.remove_plate, "Plate"),
        Command("polarity", "Turn the polarity round", "P", "plate", s.flip_polarity, "Plate"),
        Command("finished", "Show the finished plate", "E", "plate", lambda: s.show_finished(not s.finished), "View"),
        Command("peek", "Hold: the plate before this step", "B", "plate", peek, "View", hold=True),
        Command("fit", "Fit the plate", "F", "plate", lambda: w.plate_view.canvas.set_zoom(None), "View"),
        Command("hundred", "Plate at 100 %", "1", "plate", lambda: w.plate_view.show_scale(1.0), "View"),
        Command("views", "Both views, plate only, proof only", "V", "nothing", w.next_view, "View"),
        Command("tray", "Fold the tray", "T", "nothing", lambda: fold("tray"), "View"),
        Command("settings", "Fold the settings", "S", "nothing", lambda: fold("settings"), "View"),
        Command("clipping", "Overlay: clipping", "C", "plate", lambda: overlay("clipping"), "View"),
        Command("border", "Overlay: border ring", "R", "plate", lambda: overlay("border"), "View"),
        Command("repeat", "Overlay: the plate repeated", "W", "plate", lambda: overlay("repeat"), "View"),
        Command("guides", "Overlay: centre guides", "G", "plate", lambda: overlay("guides"), "View"),
        *(Command(kind.id, kind.command, kind.key, "nothing", partial(s.set_proof, surface=kind.id), "Proof")
          for kind in SURFACES.values()),
        Command("cut", "Raise or cut", "X", "nothing", lambda: s.set_proof(cut=not s.proof.cut), "Proof"),
        Command("auto", "Automatic strength", "", "nothing", lambda: s.set_proof(strength=None), "Proof"),
        Command("theme", "Day or lamp", "Ctrl+L", "nothing", w.change_theme, "View"),
        Command("larger", "Larger text", "Ctrl++", "nothing", lambda: w.change_text(1), "View"),
        Command("smaller", "Smaller text", "Ctrl+-", "nothing", lambda: w.change_text(-1), "View"),
        Command("keys", "Keys", "F1", "nothing", w.show_keys, "Help"),
        *steps,
    ))  # fmt: skip
