"""Any order of edits on a curve, against a plain list of its points with names of their own."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from engraver.core.curves import edits
from engraver.core.curves.laid import laid
from engraver.core.curves.model import Curve
from engraver.core.curves.spline import beziers, handles_at, sampled

NUMBERS = st.integers(0, 10_000)
PLACES = st.tuples(*[st.floats(-1, 1).map(lambda v: round(v, 3))] * 3).map(np.array)
ENDS = st.sampled_from(("start", "end"))


@dataclass(frozen=True, eq=False)
class Named:
    """A point as the plain list has it: its name goes in the last column of its row."""

    name: int
    place: np.ndarray
    sharp: bool = False
    handles: np.ndarray | None = None


class CurveWalk(RuleBasedStateMachine):
    """The curve, and the list that says what it has to be."""

    points: np.ndarray
    curve: Curve
    names: int
    listed: list[Named]

    @initialize(places=st.lists(PLACES, min_size=2, max_size=6), closed=st.booleans())
    def begin(self, places: list[np.ndarray], closed: bool) -> None:
        rows = np.zeros((len(places), 7))
        rows[:, :3] = places + np.arange(len(places))[:, None] * [2.5, 0, 0]  # no two at one place
        rows[:, 6] = np.arange(len(places))
        self.points, self.curve = rows, Curve(closed=closed and len(places) > 2)
        self.listed = [Named(n, row[:3].copy()) for n, row in enumerate(rows)]
        self.names, self.held = len(places), set[str]()

    def _at(self, number: int) -> int:
        return number % len(self.points)

    def _stays(self, n: int) -> bool:
        ends = {"start": 0, "end": len(self.points) - 1}
        return not self.curve.closed and any(ends[end] == n for end in self.held)

    def _free(self, place: np.ndarray) -> bool:
        return bool(np.linalg.norm(self.points[:, :3] - place, axis=1).min() > 0.05)

    # -- what the hand does ------------------------------------------------------------

    @rule(number=NUMBERS, by=PLACES, reach=st.sampled_from((0.0, 0.0, 1.5)))
    def move(self, number: int, by: np.ndarray, reach: float) -> None:
        n, before = self._at(number), self.points
        self.points = edits.moved(before, self.curve, n, before[n, :3] + by, reach)
        went = self.points[:, :3] - before[:, :3]
        for k, gone in enumerate(went):
            assert np.linalg.norm(gone) <= np.linalg.norm(by) + 1e-12  # nothing goes farther than the hand
            assert np.allclose(np.cross(gone, by), 0, atol=1e-9)  # or another way
            if self._stays(k) or ((self._stays(n) or not reach) and k != n):
                assert not gone.any()
        if not self._stays(n):
            assert np.allclose(went[n], by, atol=1e-12)
        places = self.points[:, :3].copy()
        self.listed = [replace(one, place=place) for one, place in zip(self.listed, places, strict=True)]

    @rule(number=NUMBERS, side=st.integers(0, 1), by=PLACES)
    def pull_handle(self, number: int, side: int, by: np.ndarray) -> None:
        n = self._at(number)
        old = handles_at(self.points, self.curve, n)
        self.curve = edits.with_handle(self.points, self.curve, n, side, self.points[n, :3] + by)
        new = self.curve.handle_of(n)
        assert new is not None and np.allclose(new[side], by, atol=1e-6)
        if self.listed[n].sharp:
            assert np.allclose(new[1 - side], old[1 - side], atol=1e-5)
        elif np.linalg.norm(by) > 1e-6:  # a smooth point stays one, and its other handle as long as it was
            assert np.allclose(np.cross(*new), 0, atol=1e-5) and new[0] @ new[1] <= 1e-9
            assert abs(np.linalg.norm(new[1 - side]) - np.linalg.norm(old[1 - side])) < 1e-5
        self.listed[n] = replace(self.listed[n], handles=new)

    @rule(number=NUMBERS)
    def let_handles_go(self, number: int) -> None:
        n = self._at(number)
        self.curve = edits.found_again(self.curve, n)
        self.listed[n] = replace(self.listed[n], handles=None)

    @rule(number=NUMBERS)
    def corner(self, number: int) -> None:
        n = self._at(number)
        self.curve = edits.sharpened(self.curve, n)
        self.listed[n] = replace(self.listed[n], sharp=not self.listed[n].sharp)

    @rule(number=NUMBERS, share=st.floats(0.2, 0.8))
    def add(self, number: int, share: float) -> None:
        legs = len(self.points) if self.curve.closed else len(self.points) - 1
        after_corners = [n for n in self.curve.sharp if n < legs] if number % 2 else []
        leg = (after_corners or list(range(legs)))[number // 2 % len(after_corners or range(legs))]
        made = beziers(self.points, self.curve)[leg]
        t = np.array([(1 - share) ** 3, 3 * share * (1 - share) ** 2, 3 * share**2 * (1 - share), share**3])
        if not self._free(t @ made):
            return
        self.points, self.curve = edits.inserted(self.points, self.curve, leg, t @ made, share)
        self.points[leg + 1, 6] = self.names
        self.listed.insert(leg + 1, Named(self.names, t @ made))
        self.names += 1

    @rule(number=NUMBERS)
    def take_out(self, number: int) -> None:
        n, few = self._at(number), len(self.points) <= (3 if self.curve.closed else 2)
        self.points, self.curve = edits.removed(self.points, self.curve, n)
        if not few:
            del self.listed[n]

    @rule(number=NUMBERS)
    def straighten_one(self, number: int) -> None:
        n, count = self._at(number), len(self.points)
        a, b = (self.points[(n + k) % count, :3].copy() for k in (-1, 1))
        self.points, self.curve = edits.straightened(self.points, self.curve, n)
        if self.curve.closed or 0 < n < count - 1:
            place = self.points[n, :3].copy()
            assert np.allclose(np.cross(place - a, b - a), 0, atol=1e-9)
            assert abs(np.linalg.norm(place - a) + np.linalg.norm(b - place) - np.linalg.norm(b - a)) < 1e-9
            self.listed[n] = replace(self.listed[n], place=place, handles=None)

    @precondition(lambda self: not self.curve.closed)
    @rule()
    def straighten_all(self) -> None:
        self.points, self.curve = edits.straightened(self.points, self.curve, None)
        places, _ = sampled(beziers(self.points, self.curve), 0.1)
        way = self.points[-1, :3] - self.points[0, :3]
        assert np.allclose(np.cross(places - self.points[0, :3], way), 0, atol=1e-6)
        rows = zip(self.listed, self.points, strict=True)
        self.listed = [Named(one.name, row[:3].copy()) for one, row in rows]

    @rule()
    def turn_round(self) -> None:
        before, _ = sampled(beziers(self.points, self.curve), 0.05)
        self.points, self.curve = edits.turned_round(self.points, self.curve)
        after, _ = sampled(beziers(self.points, self.curve), 0.05)
        away = np.linalg.norm(before[::7, None] - after[None], axis=2).min(axis=1)
        assert away.max() < 0.06  # the same line: its places lie at most half a step from those of the other
        self.listed = [
            replace(one, handles=None if one.handles is None else one.handles[::-1]) for one in self.listed[::-1]
        ]
        self.held = {{"start": "end", "end": "start"}[end] for end in self.held}

    @rule(end=ENDS)
    def hold(self, end: edits.End) -> None:
        self.curve = edits.holding(self.curve, end)
        self.held ^= {end}

    @precondition(lambda self: len(self.points) > 2)
    @rule()
    def close(self) -> None:
        self.curve = self.curve.but(closed=not self.curve.closed)

    @precondition(lambda self: not self.curve.closed and len(self.points) < 14)
    @rule(end=ENDS, places=st.lists(PLACES, min_size=1, max_size=3))
    def carry_on(self, end: edits.End, places: list[np.ndarray]) -> None:
        rows = np.zeros((len(places), 7))
        outside = 3 * np.abs(self.points[:, :3]).max() + 3  # far from all others
        rows[:, :3] = places + (outside + 2.5 * np.arange(len(places)))[:, None] * [0, 1, 0]
        if outside > 60:
            return
        rows[:, 6] = self.names + np.arange(len(places))
        self.points, self.curve = edits.carried_on(self.points, self.curve, end, rows)
        new = [Named(int(row[6]), row[:3].copy()) for row in rows]
        self.listed = [*self.listed, *new] if end == "end" else [*new[::-1], *self.listed]
        self.names += len(places)

    # -- what has to be so -------------------------------------------------------------------

    @invariant()
    def what_belongs_to_a_point_goes_with_it(self) -> None:
        assert [int(row[6]) for row in self.points] == [one.name for one in self.listed]
        assert np.allclose(self.points[:, :3], [one.place for one in self.listed], atol=1e-12)
        assert self.curve.sharp == tuple(n for n, one in enumerate(self.listed) if one.sharp)
        assert self.curve.handled == tuple(n for n, one in enumerate(self.listed) if one.handles is not None)
        for n, one in enumerate(self.listed):
            if one.handles is not None:
                assert np.allclose(self.curve.handle_of(n), one.handles, atol=1e-6)
        assert set(self.curve.held) == self.held

    @invariant()
    def it_runs_through_its_points_and_is_written_down_whole(self) -> None:
        made = beziers(self.points, self.curve)
        assert np.isfinite(made).all() and np.allclose(made[:, 0], self.points[: len(made), :3], atol=1e-9)
        assert np.allclose(made[:-1, 3], made[1:, 0], atol=1e-9)
        again = Curve.model_validate_json(self.curve.model_dump_json())
        assert again == self.curve and again.digest == self.curve.digest

    def teardown(self) -> None:
        if hasattr(self, "points") and len(np.unique(self.points[:, :3].round(6), axis=0)) > 2:
            way = laid(self.points, self.curve, step=0.05, least=0.02).way
            assert np.isfinite(way.place).all() and np.allclose(np.linalg.norm(way.ahead, axis=1), 1, atol=1e-6)


CurveWalk.TestCase.settings = settings(max_examples=40, stateful_step_count=30, deadline=None)
TestCurveWalk = CurveWalk.TestCase
