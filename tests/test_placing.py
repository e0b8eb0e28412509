"""Where new steps go, several plates that are moved or removed at once, and files that are opened together."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import settle
from engraver.app.opened_together import OpenedTogether
from engraver.app.window import Window
from engraver.core.errors import BadPicture
from engraver.core.recipe import Project, Step, edits
from engraver.core.recipe.changed import beside
from engraver.core.recipe.models import Source
from engraver.core.recipe.placing import place_for, places
from engraver.core.sources.blank import Blank
from engraver.core.steps import GROUPS, KINDS

IDS = st.sampled_from(sorted(KINDS))


def _plates(count: int) -> tuple[Project, list[str]]:
    project, ids = Project(), []
    for n in range(count):
        project, id = edits.add_plate(project, Source(id=f"s{n}", kind=Blank.kind, name=f"P{n}"), f"P{n}", ())
        ids.append(id)
    return project, ids


@given(kinds=st.lists(IDS, max_size=7), new=IDS, chosen=st.integers(0, 7))
def test_a_step_goes_where_it_can_work_and_the_other_place_is_offered_once(
    kinds: list[str], new: str, chosen: int
) -> None:
    project, (id,) = _plates(1)
    for n, kind in enumerate(kinds):
        project = edits.insert_step(project, id, Step.make(kind), n)
    steps, kind = project.line(id), KINDS[new]
    uid = ["", *(s.uid for s in steps)][min(chosen, len(steps))]
    found, usual = places(project, id, kind, uid), place_for(project, id, kind)
    assert found.here == min(chosen, len(steps))
    assert found.first in (usual, found.here) and found.other in (None, usual, found.here)
    assert found.other != found.first and 0 <= found.first <= len(steps)
    if kind.stands_first:
        assert found.first == usual and (found.other is None or found.other < usual)
    elif found.here != usual:
        assert {found.first, found.other} == {usual, found.here}  # both are offered
    order = [GROUPS.index(s.declared.group) for s in steps]
    if order == sorted(order) and not kind.stands_first:  # a line in the order of work stays one
        order.insert(found.first, GROUPS.index(kind.group))
        assert order == sorted(order)


@given(count=st.integers(1, 7), chosen=st.sets(st.integers(0, 6), min_size=1), to=st.integers(-3, 9))
def test_plates_move_together_and_leave_a_neighbour(count: int, chosen: set[int], to: int) -> None:
    project, ids = _plates(count)
    moving = [ids[n] for n in sorted(chosen) if n < count]
    moved = [p.id for p in edits.move_plates(project, list(reversed(moving)), to).plates]
    rest = [id for id in ids if id not in moving]
    at = min(max(0, to), len(rest))
    assert moved == [*rest[:at], *moving, *rest[at:]]
    if not moving:
        return
    left = edits.remove_plates(project, moving)
    assert [p.id for p in left.plates] == rest
    near = beside(project, moving)
    if not rest:
        assert near is None
    else:  # the next one below the last that goes, else the nearest above
        after = [id for id in rest if ids.index(id) > ids.index(moving[-1])]
        assert near == (after[0] if after else rest[-1])


@given(ends=st.lists(st.sampled_from(["good", "bad", "cancelled"]), min_size=1, max_size=12))
def test_all_that_could_not_be_opened_is_told_once(ends: list[str]) -> None:
    told: list[tuple[str, str]] = []
    taken: list[int] = []
    together = OpenedTogether(len(ends), lambda words, kind: told.append((words, kind)))
    for n, end in enumerate(ends):
        assert not told  # not before the last of them has ended
        path = Path(f"slab{n:02}.png")
        done, failed, cancelled = together.one(path, taken.append)
        if end == "good":
            done(n)
        elif end == "bad":
            failed(BadPicture(f"{path.name} cannot be read", "it is cut short", "Copy it again"))
        else:
            cancelled()
    bad = [f"slab{n:02}.png" for n, end in enumerate(ends) if end == "bad"]
    assert taken == [n for n, end in enumerate(ends) if end == "good"]
    assert len(told) == bool(bad)
    if bad:
        words, kind = told[0]
        assert kind == "fault" and all(words.count(name) == 1 for name in bad)
        assert words.count("it is cut short") == min(3, len(bad))
        assert (f"{len(bad)} of {len(ends)} files" in words) == (len(ends) > 1)


def test_plates_that_others_follow_go_together_and_leave_their_pictures(window: Window) -> None:
    """Two of four go: one is followed by the other, and by one that stays; all of it is one entry."""
    studio = window.studio
    for n in range(4):
        studio.add_blank(64, grey=0.2 * (n + 1))
        studio.edit(edits.rename_plate(studio.project, studio.plate_id or "", f"P{n}"), "name")
    ids = [p.id for p in studio.project.plates]
    project = studio.project
    for follower, followed in ((1, 0), (2, 0), (3, 2)):
        step = Step.make("place", plate=ids[followed], width=0.5, meets="over")
        project = edits.insert_step(project, ids[follower], step, 0)
    studio.edit(project, "follow")
    settle(window)

    def seen(id: str) -> np.ndarray:
        from engraver.core.engine import Request, resolve

        return studio.engine.evaluate(resolve(studio.project, id, studio.sources), Request(exact=True)).raster.flat()

    before, told = {id: seen(id) for id in ids[2:]}, []
    studio.told.connect(lambda words, _: told.append(words))
    studio.choose_plate(ids[1])
    window.besides.choose(ids[:2])
    window.commands["remove-plate"].do()
    settle(window)
    assert [p.name for p in studio.project.plates] == ["P2", "P3", "P0, as it was"]
    assert told == ["2 plates are gone: P0, P1; P2 now follow it as it was, in pictures of their own."]
    assert studio.plate_id == ids[2] and studio.history.undo_label == "Remove 2 plates"
    for id, was in before.items():
        assert np.abs(seen(id) - was).max() < 2e-5
    studio.undo()
    assert [p.id for p in studio.project.plates] == ids
    with pytest.raises(StopIteration):
        next(p for p in studio.project.plates if p.name == "P0, as it was")
