"""What plates take from each other: kept while it is needed, followed as it changes, never in a circle."""

from __future__ import annotations

import json

import numpy as np
import pytest

from conftest import band_limited, png_bytes
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.errors import BadValue, EngraverError
from engraver.core.params import Stroke
from engraver.core.project.codec import project_json, read_project
from engraver.core.recipe import Project, Source, Step, edits, many
from engraver.core.recipe.references import followers, referred
from engraver.core.sources.blank import Blank


def _plates(*names: str) -> tuple[Project, dict[str, str], SourceStore]:
    """A plate per name, of a picture each, with an even tone curve and a match that follows nobody yet."""
    store, project, ids = SourceStore(), Project(), {}
    for n, name in enumerate(names):
        pixels = (band_limited(40, 40, 0.1, n) * (200 - 60 * n)).astype(np.uint8)
        source = store.add(png_bytes(pixels), f"{name}.png")
        steps = (Step.make("grey"), Step.make("match"))
        project, ids[name] = edits.add_plate(project, source, name, steps)
    return project, ids, store


def _follow(project: Project, plate: str, other: str) -> Project:
    return edits.set_params(project, plate, project.line(plate)[-1].uid, plate=other)


def _tones(project: Project, plate: str, store: SourceStore) -> np.ndarray:
    return Engine(store).evaluate(resolve(project, plate, store), Request(exact=True)).raster.pixels


def test_the_tones_of_another_plate_are_followed_as_they_change() -> None:
    project, ids, store = _plates("Rope", "Chain")
    rope, chain = ids["Rope"], ids["Chain"]
    project = _follow(project, rope, chain)
    assert [p.id for p in followers(project, chain)] == [rope] and not followers(project, rope)
    before = _tones(project, rope, store)
    # Both have the same many pixels: matched, their sorted tones are the same ones (histogram specification).
    assert np.abs(np.sort(before, axis=None) - np.sort(_tones(project, chain, store), axis=None)).mean() < 0.008
    key = resolve(project, rope, store).keys[-1]
    project = edits.insert_step(project, chain, Step.make("curve", points=((0.0, 0.0), (0.5, 0.1), (1.0, 1.0))), 2)
    assert resolve(project, rope, store).keys[-1] != key
    after = _tones(project, rope, store)
    assert abs(float(after.mean()) - float(_tones(project, chain, store).mean())) < 0.01
    assert abs(float(after.mean() - before.mean())) > 0.1


def test_a_circle_is_refused_with_its_way_and_nothing_changes() -> None:
    project, ids, _ = _plates("Rope", "Chain", "Cork")
    project = _follow(_follow(project, ids["Rope"], ids["Chain"]), ids["Chain"], ids["Cork"])
    with pytest.raises(BadValue) as told:
        _follow(project, ids["Cork"], ids["Rope"])
    assert "Rope → Chain → Cork → Rope" in str(told.value)
    with pytest.raises(BadValue, match="Cork → Cork"):
        _follow(project, ids["Cork"], ids["Cork"])
    # Also round by a shared recipe: Cork would follow Chain, which follows Cork.
    with pytest.raises(BadValue, match="circle"):
        many.share_recipe(project, ids["Chain"], [ids["Cork"]])
    data, strokes = project_json(project)
    told_of = json.loads(data)
    told_of["recipes"][2]["steps"][1]["params"]["plate"] = ids["Rope"]
    with pytest.raises(EngraverError, match="circle"):
        read_project(json.dumps(told_of).encode(), "quay", strokes)


def test_what_only_a_step_names_stays_while_it_does() -> None:
    project, ids, store = _plates("Rope", "Chain")
    blank = store.add(png_bytes(np.full((40, 40), 120, np.uint8)), "empty board.png")
    project, board = edits.add_plate(project, blank, "Board", ())
    light = Step.make("even-light", light="blank", blank=blank.id)
    project = edits.insert_step(project, ids["Rope"], light, 0)
    alone = edits.remove_plate(project, board)
    assert blank.id in {s.id for s in alone.sources}
    assert resolve(alone, ids["Rope"], store).steps
    data, strokes = project_json(alone)
    assert read_project(data, "quay", strokes) == alone
    gone = edits.remove_plate(alone, ids["Rope"])
    assert blank.id not in {s.id for s in gone.sources} and len(gone.sources) == len(gone.recipes) == 1
    # A part with a recipe of its own leaves the other's references alone.
    shared, other = many.plate_from_source(project, ids["Rope"])
    parted = edits.remove_plate(many.part_from_recipe(shared, other), ids["Rope"])
    assert blank.id in {s.id for s in parted.sources} and len(parted.recipes) == 3


def test_a_plate_that_is_gone_is_told_with_what_to_do() -> None:
    project, ids, store = _plates("Rope", "Chain")
    project = edits.remove_plate(_follow(project, ids["Rope"], ids["Chain"]), ids["Chain"])
    with pytest.raises(Exception, match="undo its removal"):
        _tones(project, ids["Rope"], store)


def test_two_blanks_are_two_references() -> None:
    """By the digest of their files they would be one: they have none."""
    store = SourceStore()
    small, large = Blank(side=64, grey=0.2), Blank(side=64, grey=0.8)
    source = Source(id="b", kind="blank", name="Blank")
    assert store.key(source, small) != store.key(source, large)
    project, first = edits.add_plate(Project(), source, "Dark", (), reading=small)
    project, second = edits.add_plate(project, source, "Pale", (), reading=large)
    lines = []
    for tip in (first, second):
        canvas, plate = edits.add_plate(project, source, "Tile", (), reading=Blank(side=64, grey=0.0))
        stroke = Stroke.through([(0.2, 0.5), (0.8, 0.5)], 0.2).model_copy(update={"tip_plate": tip})
        step = Step.make("hand", strokes=(stroke,))
        lines.append(resolve(edits.insert_step(canvas, plate, step, 0), plate, store).keys[-1])
    assert lines[0] != lines[1]


def test_the_terms_of_the_project_name_plates_and_sources_apart() -> None:
    project, ids, _ = _plates("Rope", "Chain")
    project = _follow(project, ids["Rope"], ids["Chain"])
    assert list(referred(project, project.plates, "plate")) == [ids["Chain"]]
    assert not referred(project, project.plates, "source")
