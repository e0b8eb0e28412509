"""Captures: draws the chosen plate's mesh for the capture view, and turns what is pressed there into edits."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from engraver.core.errors import BadMesh, Watch
from engraver.core.mesh import pose
from engraver.core.mesh.capture import AutoFrame, Capture, level, rotation
from engraver.core.mesh.raster import Frame
from engraver.core.mesh.shape import MeshFacts
from engraver.core.proof.mesh_view import Seen, home, see
from engraver.core.recipe.first_mesh import first_capture
from engraver.core.recipe.models import Source
from engraver.core.sources.mesh import auto_frame, facts_at_hand, facts_of, known_frame, shape_of

from .pictures import Pictures
from .studio import Studio

NAMES = {
    "top": "Top", "bottom": "Bottom", "front": "Front", "back": "Back", "left": "Left", "right": "Right",
    "flat": "Laid flat",
}  # fmt: skip
Chosen = tuple[Source, Capture]
# How long the hand rests before the mesh is drawn from all its triangles.
REST_MS = 70
# Degrees that still count as straight.
_STRAIGHT = 0.005


@dataclass(frozen=True, slots=True)
class Drawn:
    """A picture of the mesh, what it was drawn for, the straight view that it is nearest to with degrees off, and
    the rotation from its axes to the eye's about its middle. ``size`` is the picture's height and width, ``anew``
    whether no frame that was shown before was asked to stay."""

    seen: Seen
    sha256: str
    reading: Capture
    found: AutoFrame | None
    span: tuple[float, float]
    moving: bool
    straight: tuple[str, float]
    matrix: NDArray[np.float64]
    origin: NDArray[np.float64]
    size: tuple[int, int]
    anew: bool


class Captures(QObject):
    """One per window; the small and the large view both look at it."""

    drawn = Signal(object)
    known = Signal()
    rested = Signal()
    large_changed = Signal(bool)
    picking_changed = Signal(bool)

    def __init__(self, studio: Studio, pictures: Pictures, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.studio, self.pictures = studio, pictures
        self.large = self.picking = False
        self._asked: set[str] = set()
        self._last: Drawn | None = None
        self.rest = pictures.rest_timer(REST_MS, self._rested)
        studio.selection_changed.connect(self._selected)
        studio.project_changed.connect(self._selected)

    # -- what is chosen ------------------------------------------------------------

    def chosen(self) -> Chosen | None:
        """The chosen plate's mesh and its capture, when it is a mesh."""
        plate = self.studio.plate
        if plate is None or not isinstance(plate.reading, Capture):
            return None
        return self.studio.project.source(plate.source), plate.reading  # step zero is that of its source's kind

    def _selected(self) -> None:
        if self.chosen() is None or self.studio.step is not None:
            self.show_large(False)
            self.pick(False)

    def _rested(self) -> None:
        """The hand rests: all triangles again."""
        self.rested.emit()
        if self.pictures.lane("capture").idle:
            self._calm()

    def _calm(self) -> None:
        """The plate is looked at again once the mesh itself has been drawn whole."""
        if not self.rest.isActive() and self.studio.coarse_mesh(False):
            self.pictures.refresh()

    def show_large(self, on: bool) -> None:
        """The capture view in the place of the plate view, or small in the settings again."""
        if on and self.chosen() is None:
            return
        if on:
            self.studio.choose_step("")
        if on != self.large:
            self.large = on
            self.large_changed.emit(on)

    def pick(self, on: bool) -> None:
        """Whether the next press on the mesh says what is zero."""
        if on != self.picking:
            self.picking = on
            self.picking_changed.emit(on)

    # -- drawing -------------------------------------------------------------------

    def draw(
        self, frame: Frame | None, size: tuple[int, int], *, moving: bool, tints: Any, now: Frame | None = None
    ) -> None:
        """Draw the mesh into ``size`` (height, width); without a frame all of it, in the frame that is shown ``now``
        while it moves."""
        chosen = self.chosen()
        if chosen is None:
            return
        (source, reading), store, surround = chosen, self.studio.sources, self.pictures.surround

        def work(check: Watch) -> Drawn:
            shape = shape_of(source, store, check)
            whole = frame or (now if moving and now is not None else home(shape, reading, size[1], size[0], now))
            found: AutoFrame | None = None
            try:
                found = auto_frame(source, reading, store, check, coarse=moving)
            except BadMesh:  # told by the plate; the mesh is still shown
                found = None
            seen = see(
                shape, reading, whole, size, found=found, surround=surround, tints=tints,
                check=check, coarse=moving,
            )  # fmt: skip
            span = (shape.reach, shape.reach)
            if reading.roll_out:
                rolled = shape.body(reading.body).rolled(reading.axis, reading.form, reading.turn, coarse=moving)
                span = (rolled.width, rolled.high - rolled.low)
            body = shape.body(reading.body)
            matrix = rotation(body, reading)
            straight = pose.off_straight(matrix, body.flat)
            return Drawn(
                seen, source.file.sha256, reading, found, span, moving, straight, matrix, body.mesh.origin,
                size, now is None,
            )  # fmt: skip

        self.pictures.lane("capture").submit(work, self._drawn, lambda error: None)
        self._ask_facts(source)

    def _drawn(self, drawn: Drawn) -> None:
        chosen = self.chosen()
        if chosen is not None and chosen[0].file.sha256 == drawn.sha256:
            self._last = drawn
            self.drawn.emit(drawn)
            if not drawn.moving:
                self._calm()

    def _ask_facts(self, source: Source) -> None:
        sha256, store = source.file.sha256, self.studio.sources
        if sha256 in self._asked or facts_at_hand(source, store) is not None:
            return
        self._asked.add(sha256)

        def done(_: object) -> None:
            self._asked.discard(sha256)
            self.known.emit()

        self.pictures.ask(
            "", lambda check: facts_of(source, store, check), done, lambda error: self._asked.discard(sha256)
        )

    def facts(self) -> MeshFacts | None:
        """What is told of the chosen mesh, once it is known."""
        chosen = self.chosen()
        return None if chosen is None else facts_at_hand(chosen[0], self.studio.sources)

    def found(self) -> AutoFrame | None:
        """Frame, range and zero of the chosen capture, once they are known."""
        chosen = self.chosen()
        if chosen is None:
            return None
        store = self.studio.sources
        return known_frame(*chosen, store) or known_frame(*chosen, store, coarse=True)

    def height_words(self) -> str:
        """How high white is in the source's own unit, as long as no step has bent the tones."""
        line = self.studio.attempt(self.studio.line)
        return "" if line is None else line.facts[-1].height_words()

    def spacing_words(self) -> str:
        """How wide a pixel of the plate is on the ground, where the source tells it."""
        line = self.studio.attempt(self.studio.line)
        wide = "" if line is None else line.facts[-1].spacing_words()
        return f"a pixel is {wide}" if wide else ""

    # -- words ---------------------------------------------------------------------

    def detail_words(self) -> str:
        """How many pixels of true detail the mesh holds at this framing."""
        chosen, facts, found = self.chosen(), self.facts(), self.found()
        if chosen is None or facts is None or found is None or facts.edge <= 0:
            return ""
        detail = round(found.frame.width / facts.edge)
        more = "" if detail >= chosen[1].side else ": a larger side adds nothing"
        return f"Holds about {detail:,} px of true detail at this framing{more}."

    def hole_words(self) -> str:
        """Whether a few deep places take most of the depth range."""
        found = self.found()
        if found is None or found.hole is None:
            return ""
        places, taken = f"{max(0.1, found.hole.places * 100):.2g}", f"{found.hole.range * 100:.0f}"
        return f"{places} % of the picture lie so deep that they take {taken} % of the depth range."

    def without_hole(self) -> None:
        """The depth range of all the other places: what lies deeper is cut flat."""
        found = self.found()
        if found is not None and found.hole is not None:
            self.change("Range without the hole", "", depth="set", lo=found.hole.edge, hi=found.hi)

    def straight_words(self) -> tuple[str, bool]:
        """How straight the mesh is looked at, and whether it is nearly straight but not quite."""
        chosen, near = self.chosen(), self._nearest()
        if chosen is None or near is None:
            return "", False
        reading, (name, off) = chosen[1], near
        if reading.roll_out:
            return "Rolled out", False
        if off > pose.SNAP_BELOW:
            return "Free view", False
        if off > _STRAIGHT:
            return f"{off:.1f}° off {NAMES[name].lower()}", True
        return NAMES[name] + (f" · rolled {reading.roll:g}°" if abs(reading.roll) > _STRAIGHT else ""), False

    def _nearest(self) -> tuple[str, float] | None:
        """The nearest straight view, as it was found when the mesh was last drawn in this pose."""
        chosen, last = self.chosen(), self._last
        same = chosen is not None and last is not None and last.sha256 == chosen[0].file.sha256
        return (
            last.straight if same and chosen is not None and last is not None and last.reading == chosen[1] else None
        )

    # -- edits ---------------------------------------------------------------------

    def change(self, label: str = "Turn the mesh", merge: str = "reading", **changes: Any) -> None:
        """Change the capture; a drag is one entry of the history until it is sealed."""
        if merge:
            self.studio.coarse_mesh(True)
            self.rest.start()
        self.studio.attempt(lambda: self.studio.set_reading(label, merge, **changes))

    def look_from(self, view: str) -> None:
        """A straight view, or laid flat, without any turn, tilt or roll."""
        if self.chosen() is not None:
            words = "Lay flat" if view == "flat" else f"Look from the {view}"
            self.change(words, "", view=view, turn=0.0, tilt=0.0, roll=0.0, roll_out=False)

    def snap(self) -> None:
        """Take out the few degrees that are left to a straight view."""
        chosen = self.chosen()
        if chosen is None or chosen[1].roll_out or not self.straight_words()[1]:
            return
        near = self._nearest()
        if near is None:
            return
        name, _ = near
        roll = chosen[1].roll
        upright = 90.0 * round(roll / 90)
        roll = upright if abs(roll - upright) < pose.SNAP_BELOW else roll
        self.change("Snap straight", "", view=name, turn=0.0, tilt=0.0, roll=roll)

    def level(self) -> None:
        """Take out the tilt that is left in what the frame shows."""
        chosen = self.chosen()
        if chosen is None or chosen[1].roll_out:
            return
        source, reading = chosen
        store = self.studio.sources

        def done(turn: pose.Turn) -> None:
            if self.chosen() == chosen:
                self.change("Level", "", turn=round(turn.turn, 3), tilt=round(turn.tilt, 3), roll=round(turn.roll, 3))

        self.pictures.ask("", lambda check: level(shape_of(source, store, check), reading, check), done)

    def roll_out(self, on: bool) -> None:
        """Unroll the mesh round its axis with a fitting band, or look at it whole again."""
        chosen = self.chosen()
        if chosen is None:
            return
        source, reading = chosen
        store = self.studio.sources

        def work(check: Watch) -> Capture:
            shape = shape_of(source, store, check)
            return first_capture(shape, "rolled" if on else "object", reading)

        def done(better: Capture) -> None:
            if self.chosen() == chosen:
                self.change("Roll out" if on else "Look at it whole", "", **better.values())

        self.pictures.ask("", work, done)
