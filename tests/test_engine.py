"""The engine: keys, scales, automatic values, grain steps, stopping, and recipes of plates."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from conftest import band_limited, png_bytes
from engraver.core import steps as step_package
from engraver.core.engine import Cache, Engine, Request, SourceStore, StepFailed, resolve
from engraver.core.engine.line import GREY_BEFORE, Line, assemble
from engraver.core.errors import BadValue, Cancelled
from engraver.core.files import png, read
from engraver.core.files.picture import Decoded, Reading
from engraver.core.params import Params, grain
from engraver.core.raster import Raster
from engraver.core.recipe import Plate, Project, Recipe, Source, SourceFile, Step, edits
from engraver.core.steps import StepContext, StepKind
from lines import line_of

PIXELS = band_limited(300, 400, 0.05, 21)
LINE = (
    Step.make("crop", width=0.8),
    Step.make("levels"),
    Step.make("falloff"),
    Step.make("size", side=200),
)  # fmt: skip


def test_automatic_values_are_measured_at_full_size_and_used_at_every_scale() -> None:
    line, engine = line_of(PIXELS, *LINE)
    uid = LINE[1].uid
    rough = engine.evaluate(line, Request(side=64))
    assert rough.provisional and uid in rough.autos
    exact = engine.evaluate(line, Request(exact=True))
    assert not exact.provisional
    again = engine.evaluate(line, Request(side=64))
    assert not again.provisional and again.autos[uid] == exact.autos[uid]
    fresh, other = line_of(PIXELS, *LINE)
    assert other.evaluate(fresh, Request(side=64, exact=True)).autos[uid] == exact.autos[uid]


def test_another_outline_is_measured_again() -> None:
    """The falloff's margin changes what automatic levels see; its fade does not."""
    found = []
    for changes in ({}, {"margin": 0.3}, {"fade": 0.4}):
        line, _ = line_of(PIXELS, *LINE[:2], LINE[2].with_params(**changes))
        found.append(line.keys[2])
    assert found[0] != found[1] and found[0] == found[2]


def test_a_small_crop_of_a_large_source_is_previewed_sharp() -> None:
    """The source is read at the scale the view needs, not at one fitted to the whole picture."""
    fine = np.zeros((1024, 1024), np.float32)
    fine[:, ::8] = 1
    line, engine = line_of(fine, Step.make("crop", width=0.125))
    preview = engine.evaluate(line, Request(side=128))
    assert preview.scale == 1.0 and np.array_equal(preview.raster.pixels, fine[448:576, 448:576])


def test_a_smaller_size_step_does_not_lower_what_full_size_computes() -> None:
    line, engine = line_of(PIXELS, Step.make("invert"), Step.make("size", side=50))
    full = engine.evaluate(line, Request(upto=line.steps[0].uid, exact=True)).raster
    assert (full.width, full.height) == (400, 300)


def test_colour_meets_a_plain_grey_before_the_first_step_that_wants_grey() -> None:
    line, engine = line_of(band_limited(30, 30, 0.1, 1, 3), Step.make("crop"), Step.make("invert"))
    assert [s.kind for s in line.steps] == ["crop", "grey", "invert"] and line.steps[1].uid == GREY_BEFORE
    assert engine.evaluate(line, Request()).raster.channels == 1
    own, _ = line_of(band_limited(30, 30, 0.1, 1, 3), Step.make("grey", mix="red"), Step.make("invert"))
    assert GREY_BEFORE not in [s.uid for s in own.steps]


def test_chance_comes_from_the_plates_seed_and_the_steps_uid() -> None:
    step = Step.make("falloff", ragged=1.0)
    store = line_of(PIXELS, step)[1].sources
    source = Source(id="s", name="x", files=(SourceFile(sha256="0" * 64),))
    pictures = []
    for seed, uid in ((1, "a"), (1, "a"), (2, "a"), (1, "b")):
        line = assemble(source, Reading(), (step.model_copy(update={"uid": uid}),), seed, store)
        pictures.append(Engine(store).evaluate(line, Request(side=100)).raster.flat())
    assert np.array_equal(pictures[0], pictures[1])
    assert all(np.abs(pictures[0] - p).max() > 0.05 for p in pictures[2:])


def test_the_cache_is_bounded_and_forgets_what_was_used_longest_ago() -> None:
    cache = Cache(1000 * 4)
    for n in range(10):
        cache.put(str(n), Raster.of(np.zeros((10, 20), np.float32)))
        cache.get("0")
    assert cache.used <= 4000 and cache.get("0") is not None and cache.get("9") is not None and cache.get("2") is None
    cache.put("huge", Raster.of(np.zeros((100, 100), np.float32)))
    assert cache.get("huge") is None


def test_what_stands_before_a_change_is_not_computed_again(monkeypatch: pytest.MonkeyPatch) -> None:
    line, engine = line_of(PIXELS, *LINE)
    engine.evaluate(line, Request(side=100))
    calls = []
    monkeypatch.setattr(Engine, "_step", lambda *words, _own=Engine._step: calls.append(words[3]) or _own(*words))
    changed = LINE[2].with_params(fade=0.4)
    engine.evaluate(line_of(PIXELS, LINE[0], LINE[1], changed, LINE[3])[0], Request(side=100))
    # The outline is part of what automatic levels measure; fade is not.
    assert calls == [2, 3]


def test_a_large_photo_is_kept_as_it_is_stored_and_its_cut_is_made_again(monkeypatch: pytest.MonkeyPatch) -> None:
    """With little room only the file's own samples stay of a photo, and what a step has truly computed."""
    decoded: list[str] = []
    decode = png.decode

    def counted(data: bytes, name: str, page: int) -> Decoded:
        decoded.append(name)
        return decode(data, name, page)

    changed = tuple(replace(f, decode=counted) if f.name == "PNG" else f for f in read.FORMATS)
    monkeypatch.setattr(read, "FORMATS", changed)
    rgb = (np.random.default_rng(5).random((200, 300, 3)) * 255).astype(np.uint8)
    steps = Step.make("crop", x=0.5, y=0.5, width=0.8, height=0.8), Step.make("grey"), Step.make("invert")

    def made(room: int) -> tuple[SourceStore, Line, np.ndarray]:
        store = SourceStore(room)
        line = assemble(store.add(png_bytes(rgb), "photo.png"), Reading(), steps, 1, store)
        return store, line, Engine(store).evaluate(line, Request(exact=True)).raster.pixels

    large, small = made(100_000_000), made(4 * rgb.nbytes)
    assert np.array_equal(large[2], small[2])
    for (store, line, _), kept in ((large, True), (small, False)):
        decoded.clear()
        again = Engine(store)
        plan = again._plan(line, 3, None, True)
        assert store.cache.holds(plan.keys[1]) == kept  # the cut
        assert store.cache.holds(plan.keys[3])
        assert not store.cache.holds(plan.keys[0])  # the store has it; here it would count twice
        again.evaluate(line, Request(upto=line.steps[0].uid, exact=True))
        assert not decoded


def test_work_nobody_waits_for_stops() -> None:
    line, engine = line_of(PIXELS, *LINE)
    left = iter(range(3))

    def check() -> None:
        if next(left, None) is None:
            raise Cancelled

    with pytest.raises(Cancelled):
        engine.evaluate(line, Request(exact=True), check)


class Speck(Params):
    size: float = grain(2.0, 0.0, 50.0, "Size", "Width of a speck.")


def _speck(raster: Raster, params: Speck, context: StepContext) -> Raster:
    assert context.scale == 1.0 or raster.width < 400
    return raster.but(pixels=np.where(raster.pixels > 0.99, np.float32(0), raster.pixels))


def test_a_grain_step_runs_at_full_size_and_is_then_reduced(monkeypatch: pytest.MonkeyPatch) -> None:
    kind = StepKind("speck", "Speck", "clean", "Takes out specks.", Speck, _speck, agreement="grain")
    monkeypatch.setattr("engraver.core.steps.catalogue.KINDS", {**step_package.KINDS, "speck": kind})
    pixels = np.full((400, 400), 0.5, np.float32)
    pixels[::10, ::10] = 1.0
    line, engine = line_of(pixels, Step.make("speck"))
    draft = engine.evaluate(line, Request(side=100))
    exact = engine.evaluate(line, Request(side=100, exact=True))
    assert draft.draft and draft.raster.pixels.max() > 0.5
    assert (
        not exact.draft and exact.raster.width == 100 and exact.raster.pixels.max() == pytest.approx(0.495, abs=0.006)
    )


def test_a_failing_step_is_named_and_the_source_too() -> None:
    step = Step.make("levels")
    line, engine = line_of(np.zeros((8, 8), np.float32), Step.make("crop"), step)
    monkey = Raster.of(np.zeros((8, 8), np.float32), np.zeros((8, 8), np.float32))
    engine.sources.whole = monkey  # type: ignore[attr-defined]
    with pytest.raises(StepFailed) as caught:
        engine.evaluate(line, Request(exact=True))
    assert caught.value.uid == step.uid
    missing = SourceStore()
    data = png_bytes(np.zeros((4, 4), np.uint8))
    source = missing.add(data, "gone.png")
    missing.provide(source.file.sha256, lambda: b"\x89PNG broken")
    with pytest.raises(StepFailed) as caught:
        Engine(missing).evaluate(assemble(source, Reading(), (), 1, missing), Request())
    assert caught.value.uid == ""


def _shared() -> tuple[Project, str, str, SourceStore]:
    store = SourceStore()
    source = store.add(png_bytes(np.arange(256, dtype=np.uint8).reshape(16, 16)), "a.png")
    recipe = Recipe(id="r", steps=(Step(uid="c", kind="crop", params=Step.make("crop").params),
                                   Step(uid="i", kind="soften", params=Step.make("soften").params)))  # fmt: skip
    plates = tuple(Plate(id=id, name=id, source=source.id, recipe="r") for id in ("p", "q"))
    return Project(sources=(source,), recipes=(recipe,), plates=plates), "p", "q", store


def test_plates_share_a_recipe_but_not_what_is_only_here() -> None:
    project, p, q, store = _shared()
    project = edits.set_params(project, p, "c", width=0.5)
    project = edits.set_params(project, p, "i", radius=0.1)
    assert project.line(p)[0].params.width == 0.5 and project.line(q)[0].params.width == 1.0  # type: ignore[attr-defined]
    assert project.line(q)[1].params.radius == 0.1  # type: ignore[attr-defined]
    assert resolve(project, p, store).facts[-1].width == 8 and resolve(project, q, store).facts[-1].width == 16
    assert edits.set_params(project, p, "c", width=1.0).line(p)[0].params.width == 1.0  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("kind", "values", "words"),
    [
        ("falloff", {"fade": 0.9}, "0 to 0.5"),
        ("falloff", {"fade": float("nan")}, "0 to 0.5"),
        ("falloff", {"width": 1}, "has no setting"),
        ("curve", {"points": ((0.5, 0.1), (0.2, 0.9))}, "left to right"),
        ("levels", {"find": "held", "black": 0.6, "white": 0.2}, "above black"),
        ("grey", {"mix": "weights", "red": -2.0, "green": 0.5, "blue": 0.5}, "sum"),
        ("size", {"side": 0}, "1 to 16384"),
        ("polish", {}, "no step called"),
    ],
)
def test_a_wrong_value_is_told_in_words(kind: str, values: dict[str, Any], words: str) -> None:
    with pytest.raises(BadValue, match=words):
        Step.make(kind, **values)


def test_a_step_that_is_off_has_found_nothing() -> None:
    """It passes on the key before it, and must not be told what the step before it found."""
    first, off = Step.make("levels"), Step.make("levels").model_copy(update={"on": False})
    line, engine = line_of(PIXELS, first, off)
    for request in (Request(side=40), Request(exact=True)):
        assert set(engine.evaluate(line, request).autos) == {first.uid}
