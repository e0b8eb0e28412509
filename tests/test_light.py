"""Even light: against NumPy's least squares, on open textures, with marks and a blank picture."""

from __future__ import annotations

import numpy as np
import pytest
from skimage import data

from conftest import png_bytes
from engraver.core.engine import Engine, Request, SourceStore, StepFailed
from engraver.core.engine.line import assemble
from engraver.core.files.picture import Reading
from engraver.core.numeric import resample, surface
from engraver.core.params import Stroke
from engraver.core.recipe import Step
from lines import line_of, run


def lamp(height: int, width: int) -> np.ndarray:
    """Natural vignetting (cos^4 law, the handbook's) to 40 % in the corners, times a slanted ramp."""
    y = ((np.arange(height) + 0.5) / height * 2 - 1)[:, None]
    x = (np.arange(width) + 0.5) / width * 2 - 1
    tangent2 = (x * x + y * y) / 2 * (0.4**-0.5 - 1)  # cos^4 = 1 / (1 + tan^2)^2
    return ((1 + tangent2) ** -2 * (1 + 0.25 * (0.8 * x + 0.3 * y))).astype(np.float32)


def blocks(picture: np.ndarray) -> np.ndarray:
    small = resample.area(picture.astype(np.float32), 8, 8)
    return small / small.mean()


TEXTURES = {name: getattr(data, name)().astype(np.float32) / 255 for name in ("brick", "grass", "gravel")}
TEXTURES |= {f"part of {name}": p[100:420, 60:500].copy() for name, p in TEXTURES.items()}


@pytest.mark.parametrize("name", list(TEXTURES))
def test_open_textures_come_back_from_under_a_lamp(name: str) -> None:
    """scikit-image's CC0 textures: blocks depart by at most 0.15 of before, correlation at least 0.985."""
    truth = TEXTURES[name]
    dirty = truth * lamp(*truth.shape)
    result = run("even-light", dirty).pixels
    before, after = (np.abs(blocks(p) - blocks(truth)).mean() for p in (dirty, result))
    assert after <= 0.15 * before
    assert np.corrcoef(result.ravel(), truth.ravel())[0, 1] >= 0.985
    assert result.mean() == pytest.approx(dirty.mean(), rel=1e-4)


@pytest.mark.parametrize("name", list(TEXTURES))
def test_an_even_picture_is_left_alone(name: str) -> None:
    truth = TEXTURES[name]
    change = np.abs(run("even-light", truth).pixels - truth) / truth.mean()
    assert change.mean() <= 0.015 and np.percentile(change, 99) <= 0.06


def test_it_says_that_the_light_is_even() -> None:
    step = Step.make("even-light")
    line, engine = line_of(TEXTURES["gravel"], step)
    autos = engine.evaluate(line, Request(exact=True)).autos[step.uid]
    assert "is even" in step.declared.tells(step.params, autos)
    line, engine = line_of(TEXTURES["gravel"] * lamp(512, 512), step)
    autos = engine.evaluate(line, Request(exact=True)).autos[step.uid]
    assert "varies by" in step.declared.tells(step.params, autos)


@pytest.mark.parametrize("order", [1, 2, 3, 4])
def test_the_surface_is_numpys_least_squares(order: int) -> None:
    rng = np.random.default_rng(order)
    values = rng.random((24, 30)).astype(np.float32)
    found, left = surface.fit_polynomial(values, order, robust=False)
    y = ((np.arange(24) + 0.5) / 24)[:, None] + np.zeros((24, 30))
    x = ((np.arange(30) + 0.5) / 30) + np.zeros((24, 30))
    base = np.stack([(x**i * y**j).ravel() for i in range(order + 1) for j in range(order + 1 - i)], axis=1)
    expected = (base @ np.linalg.lstsq(base, values.ravel(), rcond=None)[0]).reshape(24, 30)
    assert np.abs(surface.polynomial(24, 30, found, order) - expected).max() < 1e-5
    assert np.abs(values - left - expected).max() < 1e-5


def test_a_subject_does_not_bend_the_surface() -> None:
    y, x = np.mgrid[0:32, 0:32] / 16 - 1
    plane = (0.5 + 0.1 * x - 0.05 * y + 0.001 * np.random.default_rng(1).standard_normal((32, 32))).astype(np.float32)
    spoilt = plane.copy()
    spoilt[10:18, 12:20] = 0.05
    found, _ = surface.fit_polynomial(spoilt, 2)
    assert np.abs(surface.polynomial(32, 32, found, 2) - plane).max() < 0.006
    plain, _ = surface.fit_polynomial(spoilt, 2, robust=False)
    assert np.abs(surface.polynomial(32, 32, plain, 2) - plane).max() > 0.05


def test_the_paper_leaves_no_halo_round_ink() -> None:
    """A local mean is dragged down beside a thick stroke, a high percentile is not."""
    light = (0.7 + 0.3 * np.linspace(0, 1, 256, dtype=np.float32)) * np.ones((256, 1), np.float32)
    page = 0.85 * light
    page[110:130, 40:216] *= 0.15
    bare = np.ones((256, 256), bool)
    bare[100:140, 30:226] = False
    beside = np.zeros((256, 256), bool)
    beside[100:108, 60:200] = True
    left = {}
    for how in ({"light": "paper", "window": 0.15}, {"light": "blur", "radius": 0.08}):
        result = run("even-light", page, **how).pixels
        left[how["light"]] = abs(result[beside].mean() / result[bare].mean() - 1)
    assert left["paper"] < 0.03 < left["blur"]


@pytest.mark.parametrize("counted", ["all", "half", "one line", "few"])
@pytest.mark.parametrize("order", [0, 1, 4])
def test_a_weighted_fit_is_numpys(counted: str, order: int) -> None:
    """By singular values (LAPACK), of NumPy's own Legendre polynomials; also where a fit is not unique."""
    rng = np.random.default_rng(order)
    values, weight = rng.random((24, 30)).astype(np.float32), np.zeros((24, 30), np.float32)
    where = {"all": np.s_[:], "half": np.s_[:, :15], "one line": np.s_[7], "few": np.s_[3:7, 20:24]}[counted]
    weight[where] = 0.2 + rng.random(weight[where].shape)
    found, left = surface.fit_polynomial(values, order, weight, robust=False)
    across, down = ((np.arange(n) + 0.5) * 2 / n - 1 for n in (30, 24))
    every = np.polynomial.legendre.legvander2d(*np.meshgrid(across, down), (order, order))
    base = every[..., np.add.outer(np.arange(order + 1), np.arange(order + 1)).ravel() <= order].reshape(720, -1)
    root = np.sqrt(weight.ravel().astype(np.float64))
    expected = np.linalg.lstsq(base * root[:, None], values.ravel() * root, rcond=None)[0]
    assert np.allclose(found, expected, rtol=1e-6, atol=1e-7 * max(1, np.abs(expected).max()))
    assert np.allclose(left.ravel(), values.ravel() - base @ expected, atol=1e-5 * max(1, np.abs(expected).max()))


@pytest.mark.parametrize("some", [False, True])
def test_a_local_percentile_is_numpys_where_something_counts(some: bool) -> None:
    rng = np.random.default_rng(9)
    values = rng.random((21, 25)).astype(np.float32)
    weight = (rng.random((21, 25)) > 0.4).astype(np.float32) if some else None
    found = surface.local_percentile(values, 5, 70, weight)
    grown = np.pad(values if weight is None else np.where(weight > 0.5, values, np.nan), 2, mode="symmetric")
    expected = [[np.nanpercentile(grown[r : r + 5, c : c + 5], 70) for c in range(25)] for r in range(21)]
    assert np.abs(found - expected).max() < 1e-5


def test_areas_painted_out_do_not_count() -> None:
    """Half of the picture is another material; painted out, the lamp on the rest comes off."""
    light = lamp(240, 240)
    picture = 0.6 * light
    picture[:, 150:] = 0.15
    out = Stroke.through([(0.8, 0.0), (0.8, 1.0)], 0.24, "out")
    result = run("even-light", picture, strokes=(out,)).pixels[:, :130]
    assert result.std() / result.mean() < 0.02
    inside = Stroke.through([(0.25, 0.0), (0.25, 1.0)], 0.28, "in")
    result = run("even-light", picture, strokes=(inside,)).pixels[:, :130]
    assert result.std() / result.mean() < 0.02
    everything = Stroke.through([(0.5, 0.0), (0.5, 1.0)], 0.9, "out")
    with pytest.raises(StepFailed, match="too little is left"):
        run("even-light", picture, strokes=(everything,))


def test_a_blank_picture_of_the_same_set_up_is_divided_out() -> None:
    store, size = SourceStore(), (150, 200)
    rng = np.random.default_rng(6)
    texture = 0.5 + 0.3 * rng.random(size)
    light = np.clip(lamp(*size) * (1 + 0.15 * np.sin(np.arange(200) / 9)), 0, 1)

    def source(values: np.ndarray, name: str):  # type: ignore[no-untyped-def]
        return store.add(png_bytes((values * 255 + 0.5).clip(0, 255).astype(np.uint8)), name)

    photo, blank = source(texture * light, "photo.png"), source(0.8 * light, "blank.png")
    small = source(light[:80], "small.png")
    others = {s.id: s for s in (photo, blank, small)}
    crop = Step.make("crop", x=0.6, width=0.7)
    step = Step.make("even-light", light="blank", blank=blank.id)
    line = assemble(photo, Reading(), (crop, step), 1, store, others)
    result = Engine(store).evaluate(line, Request(exact=True)).raster.pixels
    kept = texture[23:128, 68:173]
    assert np.corrcoef(result.ravel(), kept.ravel())[0, 1] > 0.985
    for id, words in ((small.id, "does not fit"), ("", "no blank picture")):
        wrong = assemble(photo, Reading(), (crop, step.with_params(blank=id)), 1, store, others)
        with pytest.raises(StepFailed, match=words):
            Engine(store).evaluate(wrong, Request(exact=True))
    # Another blank picture gives another key, so no stale result is shown.
    same = assemble(photo, Reading(), (crop, step), 1, store, {**others, blank.id: small})
    assert same.keys[-1] != line.keys[-1]


def test_the_light_itself_can_be_looked_at() -> None:
    step = Step.make("even-light")
    light = lamp(200, 200)
    line, engine = line_of(0.5 * light, step)
    shown = engine.evaluate(line, Request(upto=step.uid, reveal=True, side=100, exact=True)).raster.pixels
    assert np.corrcoef(shown.ravel(), resample.area(light, 100, 100).ravel())[0, 1] > 0.995


def test_the_mean_is_kept_where_an_old_project_blurs() -> None:
    """Version 1 had one way: its files still mean it."""
    old = Step.model_validate({"uid": "s", "kind": "even-light", "version": 1, "params": {"radius": 0.2}})
    assert old.params.light == "blur" and old.params.method == "subtract"  # type: ignore[attr-defined]
