"""The bench's own actions, with their keys. Keys are our own."""

from __future__ import annotations

from functools import partial
from typing import cast

from engraver.core.mesh.pose import STRAIGHT
from engraver.core.starters import STARTERS
from engraver.core.steps import KINDS
from engraver.core.surfaces import ON_BENCH

from ... import dialogs
from ...beginnings import begin_from, begin_solids
from ...commands import Command
from ...editor_kinds import editor_of, is_painted
from ...host import Host
from ...leaps import take_back_leap
from .desk import Bench


def bench_commands(host: Host) -> tuple[Command, ...]:
    """Every action of the bench."""
    s, c, hand = host.studio, host.captures, host.hand

    def desk() -> Bench:
        return cast(Bench, host.desk("bench"))

    def plate() -> bool:
        return s.plate is not None

    def step() -> bool:
        return s.step is not None

    def strokes() -> bool:
        return is_painted(s.step)

    def traces() -> bool:
        return editor_of(s.step).traces

    def mesh() -> bool:
        return c.chosen() is not None

    def reveals() -> bool:
        return s.step is not None and s.step.declared.reveal is not None

    def overlay(name: str) -> None:
        desk().plate_view.toggle_overlay(name)

    def fold(name: str) -> None:
        host.looks.set(**{name: not getattr(host.looks.bench, name)})

    def paint(place: int) -> None:
        paints = editor_of(s.step).paints
        if place < len(paints):
            hand.set(tag=paints[place].tag)

    def brush(by: float) -> None:
        hand.set(radius=hand.brush.radius * by)

    def roll_out() -> None:
        chosen = c.chosen()
        c.roll_out(chosen is not None and not chosen[1].roll_out)

    return (
        Command("paste", "Paste a picture", "Ctrl+V", host.arrivals.paste),
        Command("watch", "Watch a folder, or stop…", "", partial(dialogs.watch_folder, host)),
        Command("scan", "Scan a sheet…", "Ctrl+Shift+N", partial(dialogs.scan, host), synonyms=("flatbed",)),
        Command("camera", "Practice camera: take a photo", "", host.arrivals.shoot),
        Command("export", "Export…", "Ctrl+E", lambda: desk().deliveries.export(), when=plate,
                synonyms=("deliver", "write")),
        Command("export-together", "Export several plates together…", "", lambda: desk().deliveries.together(),
                when=plate, synonyms=("many", "batch")),
        Command("export-all", "Export all plates…", "Ctrl+Alt+E", lambda: desk().deliveries.all_together(),
                when=plate, synonyms=("everything", "deliver", "batch")),
        Command("fix-all", "Fix all that can be fixed", "Ctrl+Shift+F", host.pictures.fixing.fix_all, when=plate,
                synonyms=("ready", "repair", "gauges")),
        Command("export-again", "Export again", "Ctrl+Shift+E", lambda: desk().deliveries.export_again(), when=plate),
        Command("what-arrives", "What arrives: the files as another program reads them…", "",
                lambda: desk().deliveries.what_arrives(), when=plate, synonyms=("receive", "import", "test")),
        Command("copy", "Copy picture", "Ctrl+C", lambda: desk().deliveries.copy_picture(), when=plate),
        Command("destinations", "Edit destinations…", "", lambda: desk().deliveries.edit_destinations()),
        Command("recipe", "Keep the line as a recipe…", "", partial(dialogs.keep_recipe, host), when=plate),
        Command("new", "New plate…", "Ctrl+N", partial(dialogs.new_plate, host), synonyms=("start", "shape", "text")),
        Command("blank", "New blank plate", "", s.add_blank, synonyms=("empty",)),
        Command("solids", "New plate of solids", "", partial(_solids, host), "Start", synonyms=("box", "boolean")),
        *(Command(f"start-{one.id}", f"New plate: {one.name.lower()}", "", partial(_begin, host, one.id), "Start",
                  synonyms=one.words) for one in STARTERS.values()),
        Command("add-step", "Add a step…", "A", lambda: desk().add_step(), "Step", plate),
        Command("toggle", "Switch the step on or off", "O", lambda: s.toggle_step(s.step_uid), "Step", step),
        Command("remove", "Remove the step", "Del", lambda: s.remove_step(s.step_uid), "Step", step, ("delete",)),
        Command("earlier", "Move the step earlier", "Alt+Left", lambda: desk().line.shift(s.step_uid, -1),
                "Step", step),
        Command("later", "Move the step later", "Alt+Right", lambda: desk().line.shift(s.step_uid, 1), "Step", step),
        Command("before", "Choose the step before", ",", lambda: desk().choose_beside(-1), "Step", plate),
        Command("after", "Choose the step after", ".", lambda: desk().choose_beside(1), "Step", plate),
        Command("paint-first", "Brush: keep, automatic or leave out", "K", lambda: paint(0), "Brush", strokes),
        Command("paint-second", "Brush: remove, from here or only here", "M", lambda: paint(1), "Brush", strokes),
        Command("leap", "Take back the last leap of a mark", "L", partial(take_back_leap, s), "Brush", strokes),
        Command("take-here", "Take from the place under the pointer", "H",
                lambda: desk().plate_view.canvas.pick_here(), "Brush", strokes),
        Command("flip", "Turn the direction of taking round", "Y",
                lambda: hand.set(flipped=not hand.brush.flipped), "Brush", strokes),
        Command("finer", "Smaller brush", "Alt+Down", lambda: brush(1 / 1.25), "Brush", strokes),
        Command("broader", "Larger brush", "Alt+Up", lambda: brush(1.25), "Brush", strokes),
        Command("trace", "Trace the source", ";", lambda: s.trace(not s.tracing), "Step", traces),
        Command("capture-large", "Mesh: capture view large or small", "Q", lambda: c.show_large(not c.large), "Mesh",
                mesh),
        *(Command(f"capture-{v}", f"Mesh: look from the {v}", str(n + 4), partial(c.look_from, v), "Mesh", mesh)
          for n, v in enumerate(STRAIGHT)),
        Command("capture-flat", "Mesh: lay flat", "0", partial(c.look_from, "flat"), "Mesh", mesh),
        Command("capture-level", "Mesh: level", "J", c.level, "Mesh", mesh),
        Command("capture-snap", "Mesh: snap straight", "N", c.snap, "Mesh", mesh),
        Command("capture-zero", "Mesh: pick what is zero", "Z", lambda: c.pick(not c.picking), "Mesh", mesh),
        Command("capture-roll", "Mesh: roll out round its axis, or whole", "", roll_out, "Mesh", mesh, ("unroll",)),
        Command("reveal", "Show what the step found", "I", lambda: s.reveal(not s.revealing), "View", reveals),
        Command("duplicate", "Duplicate the plate", "Ctrl+D", lambda: desk().plates.duplicate(), "Plate", plate,
                ("copy",)),
        Command("from-source", "New plate from this source", "Ctrl+Shift+D",
                lambda: desk().plates.from_source(), "Plate",
                plate),
        Command("family", "Family over the chosen step…", "", lambda: desk().plates.family(), "Plate", plate,
                ("variants",)),
        Command("replace-source", "Replace the source…", "", lambda: desk().plates.replace_source(), "Plate", plate),
        Command("split", "Split a sheet…", "", lambda: desk().plates.split(), "Plate", plate),
        Command("share", "Use this line on more plates…", "U", lambda: desk().plates.share(), "Plate", plate),
        Command("plate-rename", "Rename the plate…", "F2", lambda: desk().plates.rename(), "Plate", plate),
        Command("plate-up", "Move the plate up the tray", "Ctrl+Up", lambda: desk().plates.move(-1), "Plate", plate,
                synonyms=("order", "sort")),
        Command("plate-down", "Move the plate down the tray", "Ctrl+Down", lambda: desk().plates.move(1), "Plate",
                plate, synonyms=("order", "sort")),
        Command("remove-plate", "Remove the plate", "", lambda: desk().plates.remove(), "Plate", plate,
                ("delete",)),
        Command("choose-all", "Choose all plates", "",
                lambda: host.besides.choose(p.id for p in s.project.plates), "Plate", plate, ("select", "several")),
        Command("polarity", "Turn the polarity round", "P", s.flip_polarity, "Plate", plate,
                ("invert", "black", "white")),
        Command("turn-over", "Turn the relief over: what is high becomes low", "Shift+P", s.turn_over, "Plate", plate,
                ("invert", "raise", "cut", "joints")),
        Command("finished", "Show the finished plate", "E", lambda: s.show_finished(not s.finished), "View", plate),
        Command("peek", "Hold: the plate before this step", "B", lambda: s.peek(not s.peeking), "View", plate,
                hold=True),
        Command("compare", "Compare with the plate before this step", "Shift+B", host.pictures.parting.switch, "View",
                plate, ("split", "beside", "before and after")),
        Command("fit", "Fit the plate", "F", lambda: desk().plate_view.canvas.set_zoom(None), "View", plate,
                ("zoom",)),
        Command("hundred", "Plate at 100 %", "1", lambda: desk().plate_view.show_scale(1.0), "View", plate,
                ("zoom",)),
        Command("views", "Both views, plate only, proof only", "V", lambda: desk().next_view(), "View"),
        Command("tray", "Fold the tray", "T", lambda: fold("tray"), "View", synonyms=("hide", "show")),
        Command("settings", "Fold the settings", "S", lambda: fold("settings"), "View", synonyms=("hide", "show")),
        Command("clipping", "Overlay: clipping", "C", lambda: overlay("clipping"), "View", plate),
        Command("border", "Overlay: border ring", "R", lambda: overlay("border"), "View", plate),
        Command("repeat", "Overlay: the plate repeated", "W", lambda: overlay("repeat"), "View", plate, ("tile",)),
        Command("guides", "Overlay: centre guides", "G", lambda: overlay("guides"), "View", plate),
        Command("strokes", "Overlay: strokes", "D", lambda: overlay("strokes"), "View", strokes, ("marks", "hide")),
        *(Command(kind.id, kind.command, kind.key, partial(s.set_proof, surface=kind.id, of_trial=False), "Proof")
          for kind in ON_BENCH.values()),
        Command("proof-trial", "Proof: the trial, or one mark", "",
                lambda: s.set_proof(of_trial=not s.proof.of_trial), "Proof"),
        Command("cut", "Raise or cut", "X", lambda: s.set_proof(cut=not s.proof.cut), "Proof"),
        Command("auto", "Automatic strength", "", lambda: s.set_proof(strength=None), "Proof"),
        *(Command(f"add-{k.id}", f"Add {k.name.lower()}", "", partial(_add, host, k.id), "Step", plate,
                  k.words) for k in KINDS.values()),
    )  # fmt: skip


def _solids(host: Host) -> None:
    host.studio.attempt(lambda: begin_solids(host.studio))


def _begin(host: Host, starter: str) -> None:
    host.studio.attempt(lambda: begin_from(host.studio, starter))


def _add(host: Host, kind: str) -> None:
    host.studio.attempt(lambda: host.studio.add_step(kind))
