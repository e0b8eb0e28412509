"""Any sequence of edits keeps a project whole: it saves, opens, resolves and computes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from conftest import png_bytes
from engraver.core.engine import Engine, Request, SourceStore, StepFailed, resolve
from engraver.core.errors import BadValue
from engraver.core.params import FieldSpec, Stroke, specs
from engraver.core.project.codec import project_json, read_project
from engraver.core.raster import Facts
from engraver.core.recipe import History, Plate, Project, Source, Step, edits, many
from engraver.core.recipe.references import referred
from engraver.core.steps import KINDS, kind_of
from engraver.core.steps.frame import Crop, crop_box

KIND = st.sampled_from(list(KINDS))


def value_for(spec: FieldSpec) -> st.SearchStrategy[Any]:
    """Values a field allows."""
    if spec.choices:
        return st.sampled_from([value for value, _ in spec.choices])
    if spec.kind.id == "flag":
        return st.booleans()
    if spec.kind.id == "integer":
        return st.integers(int(spec.lo or 0), min(int(spec.hi or 0), 96))
    if spec.kind.id == "curve":
        return st.sampled_from([((0.0, 0.0), (1.0, 1.0)), ((0.1, 0.9), (0.5, 0.2), (0.8, 0.7))])
    if spec.kind.id == "points":
        return st.sampled_from(
            [((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)), ((0.1, 0.1), (0.9, 0.2), (0.8, 0.9), (0.2, 0.7))]
        )
    if spec.kind.id == "colour":
        return st.tuples(*[st.floats(0, 1)] * 3)
    if spec.kind.id == "strokes":
        places = st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=1, max_size=4)
        tags = st.sampled_from(["auto", "keep", "remove-only", "out"])
        stroke = st.builds(Stroke.through, places, st.floats(0.01, 0.4), tags)
        return st.lists(stroke, max_size=3).map(tuple)
    if spec.kind.refers:
        return st.just("")
    return st.floats(spec.lo or 0.0, spec.hi or 0.0, allow_nan=False)


class Bench(RuleBasedStateMachine):
    """Edits in any order, as an impatient artist makes them."""

    @initialize()
    def begin(self) -> None:
        self.store = SourceStore()
        pixels = np.random.default_rng(3).integers(0, 256, (24, 36, 3), dtype=np.uint8)
        self.source = self.store.add(png_bytes(pixels), "cork.png")
        project, self.plate = edits.add_plate(Project(name="Quay"), self.source, "Cork", (Step.make("grey"),))
        board = self.store.add(png_bytes(pixels[::-1]), "empty board.png")
        project, _ = edits.add_plate(project, board, "Board", ())
        self.history = History.start(project)

    @property
    def project(self) -> Project:
        return self.history.project

    def push(self, project: Project) -> None:
        self.history = self.history.push(project, "edit")

    def some(self, data: st.DataObject) -> Step:
        return data.draw(st.sampled_from(self.project.line(self.plate)))

    @rule(kind=KIND, share=st.floats(0, 1))
    def insert(self, kind: str, share: float) -> None:
        line = self.project.line(self.plate)
        if len(line) < 6:
            place = round(share * len(line))
            more = {"side": 80} if kind == "grow" else {}
            self.push(edits.insert_step(self.project, self.plate, Step.make(kind, **more), place))

    @precondition(lambda self: self.project.line(self.plate))
    @rule(data=st.data())
    def change(self, data: st.DataObject) -> None:
        step = self.some(data)
        fields = specs(step.declared.params)
        if not fields:
            return
        name = data.draw(st.sampled_from(list(fields)))
        value = data.draw(value_for(fields[name]))
        try:
            project = edits.set_params(self.project, self.plate, step.uid, **{name: value})
        except BadValue:
            return  # two fields that do not go together, told in words
        self.push(project)
        now = next(s for s in project.line(self.plate) if s.uid == step.uid)
        assert getattr(now.params, name) == value

    @precondition(lambda self: self.project.line(self.plate))
    @rule(data=st.data(), share=st.floats(0, 1))
    def move(self, data: st.DataObject, share: float) -> None:
        step = self.some(data)
        before = sorted(s.uid for s in self.project.line(self.plate))
        place = round(share * (len(before) - 1))
        self.push(edits.move_step(self.project, self.plate, step.uid, place))
        line = [s.uid for s in self.project.line(self.plate)]
        assert line[place] == step.uid and sorted(line) == before

    @precondition(lambda self: self.project.line(self.plate))
    @rule(data=st.data())
    def switch(self, data: st.DataObject) -> None:
        step = self.some(data)
        self.push(edits.set_on(self.project, self.plate, step.uid, not step.on))

    @precondition(lambda self: self.project.line(self.plate))
    @rule(data=st.data())
    def remove(self, data: st.DataObject) -> None:
        self.push(edits.remove_step(self.project, self.plate, self.some(data).uid))
        plates = self.project.plates
        needed = {p.source for p in plates} | set(referred(self.project, plates, "source"))
        assert needed == {s.id for s in self.project.sources}

    @precondition(lambda self: self.project.line(self.plate))
    @rule(data=st.data())
    def reset(self, data: st.DataObject) -> None:
        step = self.some(data)
        project = edits.reset_params(self.project, self.plate, step.uid)
        now = next(s for s in project.line(self.plate) if s.uid == step.uid)
        assert now.params == step.declared.params()
        self.push(project)

    @rule()
    def flip(self) -> None:
        self.push(edits.flip_polarity(self.project, self.plate))

    @rule()
    def undo_and_redo(self) -> None:
        before = self.project
        if self.history.undo_label is not None:
            assert self.history.undo().redo().project is before
            self.history = self.history.undo()

    # -- several plates: shared recipes, and plates that follow each other ----------

    @precondition(lambda self: len(self.project.plates) < 4)
    @rule(kin=st.sampled_from([many.duplicate_plate, many.plate_from_source]))
    def one_more(self, kin: Any) -> None:
        project, _ = kin(self.project, self.plate)
        self.push(project)

    @rule(data=st.data())
    def choose(self, data: st.DataObject) -> None:
        self.plate = data.draw(st.sampled_from([p.id for p in self.project.plates]))

    @rule(data=st.data())
    def share(self, data: st.DataObject) -> None:
        others = data.draw(st.lists(st.sampled_from([p.id for p in self.project.plates]), max_size=2))
        try:
            self.push(many.share_recipe(self.project, self.plate, [o for o in others if o != self.plate]))
        except BadValue as told:
            assert "circle" in str(told)

    @rule()
    def part(self) -> None:
        self.push(many.part_from_recipe(self.project, self.plate))

    def needs(self, data: st.DataObject, make: Callable[[Plate], Step]) -> None:
        other = data.draw(st.sampled_from(self.project.plates))
        if len(self.project.line(self.plate)) < 6:
            try:
                self.push(edits.insert_step(self.project, self.plate, make(other), 0))
            except BadValue as told:
                assert "circle" in str(told)

    @rule(data=st.data())
    def follow_tones(self, data: st.DataObject) -> None:
        self.needs(data, lambda other: Step.make("match", plate=other.id))

    @rule(data=st.data())
    def press_with(self, data: st.DataObject) -> None:
        def hand(other: Plate) -> Step:
            stroke = Stroke.through([(0.2, 0.2), (0.7, 0.6)], 0.2)
            return Step.make("hand", strokes=(stroke.model_copy(update={"tip_plate": other.id}),))

        self.needs(data, hand)

    @rule(data=st.data())
    def light_by(self, data: st.DataObject) -> None:
        self.needs(data, lambda other: Step.make("even-light", light="blank", blank=other.source))

    @precondition(lambda self: len(self.project.plates) > 1)
    @rule(data=st.data())
    def take_away(self, data: st.DataObject) -> None:
        gone = data.draw(st.sampled_from(self.project.plates))
        others = [p for p in self.project.plates if p.id != gone.id]
        needed = {p.source for p in others} | set(referred(self.project, others, "source"))
        self.push(edits.remove_plate(self.project, gone.id))
        assert needed == {s.id for s in self.project.sources}

    @rule(picture=st.integers(0, 3))
    def another_picture(self, picture: int) -> None:
        pixels = np.random.default_rng(picture).integers(0, 256, (20, 20 + picture), dtype=np.uint8)
        self.push(many.replace_source(self.project, self.plate, self.store.add(png_bytes(pixels), f"{picture}.png")))

    @invariant()
    def a_plate_is_chosen(self) -> None:
        if hasattr(self, "history") and not any(p.id == self.plate for p in self.project.plates):
            self.plate = self.project.plates[0].id

    @invariant()
    def nothing_is_missing_and_nothing_is_left_over(self) -> None:
        if not hasattr(self, "history"):
            return
        recipes, sources = ([x.id for x in some] for some in (self.project.recipes, self.project.sources))
        plates = self.project.plates
        assert sorted(recipes) == sorted({p.recipe for p in plates})
        named = {p.source for p in plates} | set(referred(self.project, plates, "source"))
        assert named <= set(sources) and len(sources) == len(set(sources))

    @invariant()
    def it_saves_and_opens(self) -> None:
        if hasattr(self, "history"):
            data, strokes = project_json(self.project)
            assert read_project(data, "quay", strokes) == self.project

    @invariant()
    def facts_told_before_are_facts_found(self) -> None:
        if not hasattr(self, "history"):
            return
        line = resolve(self.project, self.plate, self.store)
        try:
            raster = Engine(self.store).evaluate(line, Request(exact=True)).raster
        except StepFailed as failed:
            assert failed.uid and failed.why  # a step that cannot work here says which it is, and why
            return
        told, found = line.facts[-1], raster.facts()
        assert found.but(coverage=told.coverage) == told
        assert told.coverage or not found.coverage
        assert np.isfinite(raster.flat()).all() and raster.channels == 1


TestBench = Bench.TestCase
TestBench.settings = settings(
    max_examples=40, stateful_step_count=14, deadline=None, suppress_health_check=[HealthCheck.too_slow]
)


@given(
    width=st.integers(1, 500), height=st.integers(1, 500), x=st.floats(0, 1), y=st.floats(0, 1),
    w=st.floats(0.005, 50), h=st.floats(0.005, 50), angle=st.floats(-45, 45),
    shape=st.sampled_from(["square", "free"]),
)  # fmt: skip
@settings(max_examples=200, deadline=None)
def test_a_crop_lies_in_its_picture_and_its_map_goes_both_ways(
    width: int, height: int, x: float, y: float, w: float, h: float, angle: float, shape: Any
) -> None:
    params, facts = Crop(shape=shape, x=x, y=y, width=w, height=h, angle=angle), Facts(width, height)
    left, top, cw, ch = crop_box(params, facts)
    assert left >= 0 and top >= 0 and cw >= 1 and ch >= 1 and left + cw <= width and top + ch <= height
    assert shape == "free" or cw == ch
    kind = kind_of("crop")
    assert kind.matrix is not None
    out, matrix = kind.extent(params, facts), kind.matrix(params, facts)
    assert (out.width, out.height) == (cw, ch)
    centre = matrix @ [left + cw / 2, top + ch / 2, 1]
    assert np.allclose(centre, [cw / 2, ch / 2, 1], atol=1e-6)
    assert abs(np.linalg.det(matrix) - 1) < 1e-9


def test_plates_come_and_go_with_what_only_they_use() -> None:
    project = Project()
    blank = Source(id="b", kind="blank", name="Blank")
    project, first = edits.add_plate(project, blank, "Tile", ())
    project, second = edits.add_plate(project, blank, "Tile", ())
    assert [p.name for p in project.plates] == ["Tile", "Tile 2"] and len(project.sources) == 1
    project = edits.remove_plate(project, first)
    assert len(project.sources) == len(project.recipes) == 1
    project = edits.rename_plate(project, second, "  Glazed tile ")
    assert project.plate(second).name == "Glazed tile"
    empty = edits.remove_plate(project, second)
    assert (empty.plates, empty.sources, empty.recipes) == ((), (), ())
