"""The curve in the hand: drawn in one stroke or point by point, carried on, and edited by its points."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from engraver.core.curves import edits
from engraver.core.curves.model import Curve, End
from engraver.core.curves.round_body import round_body
from engraver.core.errors import BadValue
from engraver.core.pressing.gesture import GESTURES, Gesture, packed_points
from engraver.core.pressing.way import steadied
from engraver.core.recipe import Plate, Project, Trial, new_id, trials
from engraver.core.sources import source_kind
from engraver.core.surfaces.ground import SCENE
from engraver.standins.pen import PracticePen

if TYPE_CHECKING:
    from .active_trial import ActiveTrial

Place = NDArray[np.float64]
# Points on which a body is cut to find the way round it.
_ROUND_POINTS = 60_000
# How far a point pulls its neighbours along, as shares of the surface's width.
REACHES = {0.0: "It moves alone", 0.15: "Pulls what is near", 0.4: "Pulls what is far"}


def bodily(project: Project, plate: Plate) -> bool:
    """Whether along a curve a plate is first taken as the mesh that it is made from."""
    source = next((s for s in project.sources if s.id == plate.source), None)
    return source is not None and source_kind(source.kind).body is not None


@dataclass(frozen=True, slots=True)
class Grip:
    """What of a curve is held: a point (``side`` -1), or the handle before (0) or after it (1)."""

    point: int
    side: int = -1


class ActiveCurve:
    """Edits the curve of the chosen gesture; what was done lies in the project.

    Attributes
    ----------
    point : int
        The chosen point; -1 for none.
    growing : {"", "start", "end"}
        The end from which presses carry it on.
    live : Gesture or None
        What the hand draws or moves, as far as it has come.
    """

    def __init__(self, active: ActiveTrial) -> None:
        self._active = active
        self.point = -1
        self.growing: End | str = ""
        self.live: Gesture | None = None
        self._rows: list[tuple[float, ...]] = []
        self._uid = ""
        self._dragged: tuple[Gesture, str] | None = None

    # -- what there is -----------------------------------------------------------------

    @property
    def gesture(self) -> Gesture | None:
        """The chosen gesture, where it lies along a curve; as the hand has moved it so far."""
        gesture = self._active.gesture
        if gesture is not None and self._dragged is not None and self._dragged[0].uid == gesture.uid:
            return self._dragged[0]
        return gesture if gesture is not None and gesture.declared.curve else None

    @property
    def moving(self) -> bool:
        """Whether the hand is drawing or moving a curve, so that pictures have to follow at once."""
        return bool(self._rows) or self._dragged is not None

    @property
    def ready(self) -> bool:
        """Whether the surface is there to lie on; a mesh is once it was drawn."""
        return not self._active.trial.declared.geometry.needs_own or self._active.own is not None

    def chosen(self) -> None:
        """Another gesture is chosen, or none."""
        self.point, self.growing = -1, ""

    def take_plate(self, id: str) -> None:
        """A plate that the hand picks in the tray lies along the chosen curve at once."""
        gesture, active = self.gesture, self._active
        names = {p.id: p.name for p in active.studio.project.plates}
        if gesture is None or gesture.plate == id or id not in names:
            return
        if active.edit_trial(
            lambda p, trial: trials.set_gesture(p, trial, gesture.uid, plate=id), f"{names[id]} along the curve"
        ):
            words = f"{names[id]} lies along the chosen curve now. Esc first begins another curve with it."
            active.studio.told.emit(words, "")

    def followed(self) -> None:
        """The project is another: a point that is gone is not held."""
        gesture = self.gesture
        if gesture is None or self.point >= len(gesture.points):
            self.point = -1
        if gesture is None or gesture.way.closed:
            self.growing = ""

    def _onto(self, places: Place) -> Place:
        active = self._active
        places = np.atleast_2d(places)
        found: Place = active.trial.declared.geometry.onto(places, active.own)[0] if self.ready else places
        return found

    @property
    def _width(self) -> float:
        """Width of what lies along it, in scene units."""
        return float(self._active.settings.size) * SCENE

    # -- drawn -----------------------------------------------------------------------------

    def begin(self, place: Place, pressure: float, lean: float, time: float) -> None:
        """The hand sets down."""
        self._rows = [(*self._onto(place)[0], pressure, time, lean)]
        self._uid = new_id("g")

    def go_on(self, place: Place, pressure: float, lean: float, time: float) -> None:
        """The hand moves: what it draws is seen at once."""
        self._rows.append((*self._onto(place)[0], pressure, time, lean))
        made = self._drawn()
        if made is not None:
            self._show(made)

    def _show(self, gesture: Gesture | None) -> None:
        if gesture is not self.live:
            self.live = gesture
            self._active.refresh()

    def give_up(self) -> None:
        """What the hand draws or moves is not done."""
        self._rows, self._dragged = [], None
        self._show(None)

    def end(self, *, moved: bool, off: bool, towards: Place | None = None) -> None:
        """The hand lifts off.

        Parameters
        ----------
        moved : bool
            It drew a way; else it pressed for one point.
        off : bool
            It left the body behind its silhouette, so that the curve runs on round it.
        towards : float64 (3,), optional
            Where the eye stands, for the plane in which it does.
        """
        rows, made = np.array(self._rows, float), self._drawn()
        self._rows = []
        self._show(None)
        if not len(rows):
            return
        closed = not self._active.trial.declared.geometry.plane
        if off and moved and closed and towards is not None and not self.growing and self._round(rows, towards):
            return
        if self.growing and self.gesture is not None:
            self._carry_on(rows, moved)
        elif moved and made is not None:
            self._add(made, self._drawn_label)
        elif not moved:
            self._add(self._made(rows[:1], Curve(), self._uid), self._drawn_label)
            self.growing, self.point = "end", 0
            self._active.changed.emit()

    def _drawn(self) -> Gesture | None:
        rows = self._pressed(np.array(self._rows, float))
        settings, width = self._active.settings, self._width
        rows = steadied(rows, settings.steady * width)
        if len(rows) < 2:
            return None
        points, curve = edits.drawn(rows, width, max(width, 0.06))
        return self._made(points, curve, self._uid) if len(points) > 1 else None

    def _pressed(self, rows: NDArray[np.float64]) -> NDArray[np.float64]:
        """With the practice pen's pressure, where that plays it."""
        if self._active.state.practice and len(rows) > 1:
            rows = rows.copy()
            rows[:, 3] = PracticePen().pressures([(p[0], p[1]) for p in rows])
        return rows

    def _made(self, points: NDArray[np.float64], curve: Curve, uid: str) -> Gesture:
        active, state = self._active, self._active.state
        settings = state.settings_for(GESTURES["along"])
        return Gesture(
            uid=uid, kind="along", plate=active.studio.plate_id or "",
            settings=settings, mirror=state.mirror, arms=state.arms,
            data=packed_points(self._onto(points[:, :3]), *points.T[3:6]), curve=curve,
        )  # fmt: skip

    @property
    def _drawn_label(self) -> str:
        return f"A curve on {self._active.trial.declared.name.lower()}"

    def _add(self, gesture: Gesture, label: str) -> None:
        active = self._active
        if active.edit_trial(lambda p, id: trials.add_gesture(p, id, gesture), label):
            active.choose(gesture.uid)

    def add_points(self, places: Place, curve: Curve, label: str) -> None:
        """A curve from elsewhere: scene places (n, 3), brought onto the surface."""
        active = self._active
        if active.studio.plate is None:
            active.studio.told.emit("There is no plate to lay along it: open or begin one first.", "look")
            return
        rows = np.zeros((len(places), 6))
        rows[:, :3], rows[:, 3] = places, 1.0
        self._add(self._made(rows, curve, new_id("g")), label)

    def across(self, places: list[Place]) -> None:
        """Without a mouse: a curve through places, its first point chosen."""
        if len(places) > 1:
            self.add_points(np.array(places), Curve(), "A curve across")
            self.choose_point(0)

    def _round(self, rows: NDArray[np.float64], towards: Place) -> bool:
        """Round the body along the plane of the stroke and the eye; whether it goes round there."""
        begin, last = rows[0, :3], rows[-1, :3]
        normal = np.cross(last - begin, towards - begin)
        size = float(np.linalg.norm(normal))
        try:
            return size > 1e-9 and self.round_along(begin, normal / size)
        except BadValue:
            return False  # the surface is open there: what was drawn stays as it is

    def round_along(self, begin: Place, normal: Place) -> bool:
        """A ring round the body where a plane through a place cuts it. Raises BadValue where it does not go round."""
        active = self._active
        ground = active.trial.declared.geometry.build(_ROUND_POINTS, active.own)
        ring = round_body(ground.points.astype(np.float64), ground.faces, begin, normal)
        self.add_points(ring, Curve(closed=True), f"A ring round the {active.trial.declared.name.lower()}")
        return True

    def _carry_on(self, rows: NDArray[np.float64], moved: bool) -> None:
        gesture = self.gesture
        assert gesture is not None
        end: End = "start" if self.growing == "start" else "end"
        rows = self._pressed(rows)
        if moved:
            rows = edits.drawn(rows, self._width, 0.0)[0]
            tip = gesture.points[0 if end == "start" else -1, :3]
            if len(rows) > 1 and np.linalg.norm(rows[0, :3] - tip) < self._width:
                rows = rows[1:]
        else:
            rows = rows[:1]
        points, curve = edits.carried_on(gesture.points, gesture.way, end, rows)
        growing = self.growing
        self._change(points, curve, "Carry the curve on")
        self.growing, self.point = growing, 0 if end == "start" else len(points) - 1
        self._active.changed.emit()

    # -- edited ----------------------------------------------------------------------------

    def _change(self, points: NDArray[np.float64], curve: Curve, label: str) -> None:
        gesture = self.gesture
        if gesture is None:
            return
        data = packed_points(self._onto(points[:, :3]), *points.T[3:6])
        self._active.edit_trial(lambda p, id: trials.set_gesture(p, id, gesture.uid, data=data, curve=curve), label)

    def choose_point(self, n: int) -> None:
        """Choose a point of the curve; -1 for none."""
        if n != self.point:
            self.point = n
            self._active.changed.emit()

    def stop(self) -> bool:
        """No longer carried on; whether it was."""
        was, self.growing = bool(self.growing), ""
        if was:
            self._active.changed.emit()
        return was

    def grow(self, end: End) -> None:
        """Carried on from an end by the next press."""
        self.growing = end
        self._active.changed.emit()

    def drag(self, grip: Grip, place: Place, begun: Gesture) -> None:
        """A point or a handle moved from where it was in ``begun`` to a scene place; it is seen at once, and
        lies in the project when the hand lets go."""
        points, curve, label = begun.points, begun.way, "Move a curve's point"
        if grip.side >= 0:
            curve, label = edits.with_handle(points, curve, grip.point, grip.side, place), "Bend a curve"
        else:
            reach = self._active.state.reach * SCENE
            points = edits.moved(points, curve, grip.point, self._onto(place)[0], reach)
        made = begun.but(data=packed_points(self._onto(points[:, :3]), *points.T[3:6]), curve=curve)
        self._dragged = made, label
        self._show(made)

    @staticmethod
    def in_place(trial: Trial, live: Gesture | None) -> tuple[Trial, Gesture | None]:
        """A trial with a gesture that the hand moves where it stands in it; one that is new comes after all."""
        if live is None or all(g.uid != live.uid for g in trial.gestures):
            return trial, live
        moved = tuple(live if g.uid == live.uid else g for g in trial.gestures)
        return trial.model_copy(update={"gestures": moved}), None

    def let_go(self) -> None:
        """The hand lifts off: what it moved is in the project."""
        dragged, self._dragged = self._dragged, None
        if dragged is not None:
            self._show(None)
            made, label = dragged
            self._active.edit_trial(
                lambda p, id: trials.set_gesture(p, id, made.uid, data=made.data, curve=made.curve), label
            )

    def insert(self, leg: int, share: float, place: Place) -> None:
        """A point more, on the curve."""
        gesture = self.gesture
        if gesture is not None:
            points, curve = edits.inserted(gesture.points, gesture.way, leg, self._onto(place)[0], share)
            self._change(points, curve, "A point more on a curve")
            self.choose_point(leg + 1)

    def remove_point(self) -> bool:
        """Take the chosen point out; whether there was one that could be."""
        gesture, n = self.gesture, self.point
        if gesture is None or n < 0:
            return False
        points, curve = edits.removed(gesture.points, gesture.way, n)
        if len(points) == len(gesture.points):  # as few as a curve can have
            return False
        self._change(points, curve, "A point less on a curve")
        self.choose_point(min(n, len(points) - 1))
        return True

    def edit(self, label: str, change: Callable[[Place, Curve], tuple[Place, Curve]]) -> None:
        """Change the chosen curve by a function of its points and what they are."""
        gesture = self.gesture
        if gesture is not None:
            points, curve = change(gesture.points, gesture.way)
            self._change(points, curve, label)

    def sharpen(self) -> None:
        """A corner at the chosen point, or none."""
        n = self.point
        if n >= 0:
            self.edit("A corner, or a smooth point", lambda p, c: (p, edits.found_again(edits.sharpened(c, n), n)))

    def free_handles(self) -> None:
        """The chosen point without handles of its own."""
        n = self.point
        if n >= 0:
            self.edit("Smooth through the point", lambda p, c: (p, edits.found_again(c, n)))

    def straighten(self) -> None:
        """The chosen point on the straight between its neighbours; without one, all of the curve."""
        n = self.point if self.point >= 0 else None
        self.edit("Straighten", lambda p, c: edits.straightened(p, c, n))

    def close(self) -> None:
        """Closed, or open again."""
        gesture = self.gesture
        if gesture is not None and len(gesture.points) > 2:
            self.growing = ""
            self.edit("Close or open the curve", lambda p, c: (p, c.but(closed=not c.closed)))

    def turn_round(self) -> None:
        """Its end is its start."""
        self.edit("Turn the curve round", edits.turned_round)
        self.choose_point(-1)

    def hold(self, end: End) -> None:
        """Hold an end, or let it go."""
        self.edit(f"Hold the {end}, or let it go", lambda p, c: (p, edits.holding(c, end)))

    def lift(self, offset: float) -> None:
        """How far over the surface it runs, as a share of the surface's width."""
        self.edit("Lift the curve", lambda p, c: (p, c.but(offset=min(1.0, max(-1.0, offset)))))

    def make_true(self) -> None:
        """A closed curve as a true circle, where it is near to one."""
        gesture = self.gesture
        if gesture is None or not gesture.way.closed:
            return
        ring = edits.ring_of(np.vstack([gesture.points, gesture.points[:1]]))
        if ring is None:
            self._active.studio.told.emit("The curve strays too far from a circle to be made one.", "look")
        else:
            self.edit("A true ring", lambda p, c: (ring, Curve(closed=True, offset=c.offset)))
