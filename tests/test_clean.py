"""Cleaning: specks with known places, ruled lines, noise of known size, terraces of known reliefs."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import data

from conftest import png_bytes
from engraver.core.engine import Engine, Request, SourceStore, StepFailed
from engraver.core.engine.line import assemble
from engraver.core.files.picture import Reading
from engraver.core.numeric import deband, denoise, harmonic, noise, ruled
from engraver.core.recipe import Step
from lines import line_of, run


def test_a_harmonic_function_is_filled_in_exactly() -> None:
    """x^2 - y^2 and 3x - y + xy solve the five-point Laplace equation to the letter (analytic)."""
    y, x = np.mgrid[0:60, 0:80] / 40.0
    mask = np.zeros((60, 80), bool)
    mask[12:40, 20:61] = True
    mask[45:50, 70:80] = False
    for truth in (x**2 - y**2, 3 * x - y + x * y):
        spoilt = truth.astype(np.float32)
        spoilt[mask] = 9.0
        found = harmonic.fill(spoilt, mask)
        assert np.abs(found - truth).max() < 2e-5
        assert np.array_equal(found[~mask], spoilt[~mask])


def test_a_large_hole_is_refined_to_the_direct_solution(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(2)
    values = cv2.GaussianBlur(rng.random((150, 150)).astype(np.float32), (0, 0), 6)
    mask = np.hypot(*(np.mgrid[0:150, 0:150] - 75)) < 60
    direct = harmonic.fill(values, mask)
    monkeypatch.setattr(harmonic, "DIRECT", 500)
    assert np.abs(harmonic.fill(values, mask) - direct).max() < 2e-4


def test_a_hole_over_the_border_wraps_only_where_the_picture_does() -> None:
    x = np.cos(2 * np.pi * (np.arange(64) + 0.5) / 64)
    values = np.tile(x, (20, 1)).astype(np.float32)
    mask = np.zeros((20, 64), bool)
    mask[5:15, :6] = True
    wrapped = harmonic.fill(values, mask, (True, False))
    alone = harmonic.fill(values, mask)
    assert np.abs(wrapped - values)[mask].mean() < 0.6 * np.abs(alone - values)[mask].mean()


def dusty(seed: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A relief with noise; the same with specks and hairs; and where those lie."""
    rng = np.random.default_rng(seed)
    clean = 0.35 + 0.3 * noise.lattice(360, 360, 0.3, seed) + 0.004 * rng.standard_normal((360, 360))
    layer = np.zeros((360, 360), np.uint8)
    for _ in range(60):
        cv2.circle(layer, rng.integers(8, 352, 2).tolist(), int(rng.integers(1, 3)), 255, -1)
    for _ in range(4):
        a = rng.integers(20, 300, 2)
        cv2.line(layer, a.tolist(), (a + rng.integers(15, 45, 2)).tolist(), 255, 1, cv2.LINE_AA)
    count, labels = cv2.connectedComponents((layer > 0).astype(np.uint8), connectivity=8)
    sign = np.where(rng.random(count) < 0.5, -1.0, 1.0)[labels]
    spoilt = clean + sign * layer / 255 * 0.28
    return clean.astype(np.float32), np.clip(spoilt, 0, 1).astype(np.float32), labels


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_specks_go_and_nothing_else_changes(seed: int) -> None:
    """At least 95 % of the known specks gone; outside a one-pixel ring around them not a bit changed."""
    clean, spoilt, labels = dusty(seed)
    result = run("dust", spoilt, contrast=0.06).pixels
    ring = cv2.dilate((labels > 0).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    assert np.array_equal(result[~ring], spoilt[~ring])
    ids = np.arange(1, labels.max() + 1)
    gone = [np.abs(result - clean)[labels == n].max() < 0.06 for n in ids]
    assert np.mean(gone) >= 0.95
    assert np.abs(spoilt - clean)[labels > 0].mean() > 0.15


def test_only_the_specks_asked_for_go() -> None:
    picture = np.full((60, 60), 0.5, np.float32)
    picture[10:13, 10:13], picture[40:43, 40:43] = 0.9, 0.1
    picture[20:22, 5:50] = 0.9
    bright = run("dust", picture, which="bright", hairs=False).pixels
    assert bright[11, 11] == 0.5 and bright[41, 41] == np.float32(0.1) and bright[20, 30] == np.float32(0.9)
    assert run("dust", picture, which="bright").pixels[20, 30] == 0.5


def ruled_page(angle: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Paper with a thick drawing; the same under ruled lines; and the lines' share of darkness."""
    y, x = np.mgrid[0:420, 0:420] + 0.5
    page = np.full((420, 420), 0.86)
    ink = np.abs(np.hypot(x - 210, y - 200) - 110) < 9
    page[ink] = 0.12
    u = -x * np.sin(np.radians(angle)) + y * np.cos(np.radians(angle))
    line = np.clip(1.6 - np.abs((u % 31) - 15.5), 0, 1)
    page += 0.004 * np.random.default_rng(4).standard_normal(page.shape)
    return page.astype(np.float32), (page * (1 - 0.22 * line)).astype(np.float32), line


@pytest.mark.parametrize("angle", [0.0, 1.37, -7.6, 83.2])
def test_ruled_lines_are_found_and_taken_out(angle: float) -> None:
    clean, spoilt, line = ruled_page(angle)
    assert abs((ruled.direction(spoilt) - angle + 90) % 180 - 90) < 0.12
    result = run("lines", spoilt).pixels
    paper = clean > 0.7
    on, off = paper & (line > 0.9), paper & (line < 0.01)
    before = spoilt[off].mean() - spoilt[on].mean()
    after = abs(result[off].mean() - result[on].mean())
    assert before > 0.15 and after < 0.1 * before
    ink = clean < 0.3
    assert np.abs(result - clean)[ink].max() < 0.1


def test_a_scanner_streak_goes() -> None:
    clean = 0.3 + 0.4 * noise.lattice(200, 260, 0.2, 5)
    spoilt = clean.copy()
    spoilt[:, 118:121] += 0.08
    result = run("lines", spoilt, direction="upright", which="bright").pixels
    assert np.abs(result - clean)[:, 117:122].mean() < 0.2 * np.abs(spoilt - clean)[:, 117:122].mean()
    assert np.abs(result - clean)[:, :100].max() < 0.02


@pytest.mark.parametrize("level", [0.002, 0.01, 0.04])
def test_the_noise_is_measured(level: float) -> None:
    smooth = 0.3 + 0.4 * noise.lattice(256, 256, 0.3, 7)
    noisy = smooth + level * np.random.default_rng(8).standard_normal(smooth.shape)
    assert denoise.sigma(noisy.astype(np.float32)) == pytest.approx(level, rel=0.08)
    assert denoise.sigma(smooth) < 1e-3


@pytest.mark.parametrize("method", ["gaussian", "median", "edge-keeping", "alike"])
def test_noise_goes_and_a_step_stays(method: str) -> None:
    truth = np.full((96, 128), 0.3, np.float32)
    truth[:, 64:] = 0.7
    noisy = (truth + 0.02 * np.random.default_rng(9).standard_normal(truth.shape)).astype(np.float32)
    result = run("denoise", noisy, method=method).pixels
    flat = np.s_[:, 10:54]
    assert (result - truth)[flat].std() < 0.6 * (noisy - truth)[flat].std()
    if method != "gaussian":
        assert result[:, 65].mean() - result[:, 62].mean() > 0.36


def test_non_local_means_is_its_published_formula() -> None:
    """Buades, Coll and Morel (2011) written plainly, at pixels away from the border."""
    rng = np.random.default_rng(10)
    v = rng.random((30, 32)).astype(np.float32)
    level, strength, patch, reach = 0.2, 1.1, 2, 5
    found = denoise.non_local_means(v, level, strength, patch=patch, reach=reach)
    for r, c in ((12, 13), (16, 18)):
        total = weights = 0.0
        for i in range(r - reach, r + reach + 1):
            for j in range(c - reach, c + reach + 1):
                here = v[r - patch : r + patch + 1, c - patch : c + patch + 1].astype(float)
                there = v[i - patch : i + patch + 1, j - patch : j + patch + 1]
                apart = ((here - there) ** 2).mean()
                w = np.exp(-max(apart - 2 * level**2, 0) / (strength * level) ** 2)
                total, weights = total + w * v[i, j], weights + w
        assert found[r, c] == pytest.approx(total / weights, abs=1e-4)


def reliefs() -> dict[str, np.ndarray]:
    """Reliefs whose slope is under one 8-bit level a pixel on at least 80 % of the picture."""
    y, x = np.mgrid[0:320, 0:320] / 320.0
    dune = 0.3 + 0.35 * noise.lattice(320, 320, 0.5, 3, octaves=2)
    dome = 0.2 + 0.3 * np.exp(-((x - 0.5) ** 2 + (y - 0.45) ** 2) / 0.12)
    wave = 0.5 + 0.06 * np.sin(5 * x + 2 * y) + 0.05 * np.cos(7 * y)
    return {"dune": dune, "dome": dome, "wave": wave}


@pytest.mark.parametrize("name", list(reliefs()))
def test_terraces_go(name: str) -> None:
    truth = reliefs()[name].astype(np.float32)
    assert (np.hypot(*np.gradient(truth * 255)) < 1).mean() > 0.8
    stored = (np.round(truth * 255) / 255).astype(np.float32)
    result = run("deband", stored).pixels
    before, after = (np.sqrt(np.square(p - truth).mean()) for p in (stored, result))
    assert after <= 0.4 * before
    assert np.abs(result - stored).max() <= 0.5 / 255 + 1e-6


def test_hard_edges_stay_where_terraces_go() -> None:
    truth = (0.3 + 0.2 * noise.lattice(256, 256, 0.5, 6, octaves=1)).astype(np.float32)
    truth[60:140, 70:190] += 0.25
    edge = cv2.morphologyEx((truth > 0).astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
    edge[:] = False
    for rows, columns in ((slice(56, 64), slice(66, 194)), (slice(136, 144), slice(66, 194)),
                          (slice(56, 144), slice(66, 74)), (slice(56, 144), slice(186, 194))):  # fmt: skip
        edge[rows, columns] = True
    stored = (np.round(truth * 255) / 255).astype(np.float32)
    result = run("deband", stored).pixels
    before, after = (np.sqrt(np.square(p - truth)[edge].mean()) for p in (stored, result))
    assert after <= before
    assert np.sqrt(np.square(result - truth).mean()) < 0.4 * np.sqrt(np.square(stored - truth).mean())


def test_terraces_can_only_be_taken_out_while_the_levels_are_there() -> None:
    store = SourceStore()
    source = store.add(png_bytes(data.coins()[:64, :64]), "coins.png")
    step = Step.make("deband")
    good = assemble(source, Reading(), (Step.make("turn", quarter="90"), step), 1, store)
    Engine(store).evaluate(good, Request(exact=True))
    rgb = np.repeat(data.coins()[:64, :64, None], 3, axis=2)
    out = io.BytesIO()
    Image.fromarray(rgb).save(out, "JPEG")
    jpeg = assemble(store.add(out.getvalue(), "coins.jpg"), Reading(), (step,), 1, store)
    with pytest.raises(StepFailed, match="it is a JPEG"):
        Engine(store).evaluate(jpeg, Request(exact=True))
    late = assemble(source, Reading(), (Step.make("soften"), step), 1, store)
    with pytest.raises(StepFailed, match="Put this step first"):
        Engine(store).evaluate(late, Request(exact=True))


def test_colour_is_cleaned_channel_by_channel() -> None:
    rgb = np.random.default_rng(3).random((40, 50, 3)).astype(np.float32) * 0.02 + 0.4
    rgb[20:23, 20:23] = (1.0, 0.9, 0.2)
    step = Step.make("dust")
    line, engine = line_of(rgb, step)
    result = engine.evaluate(line, Request(upto=step.uid, exact=True)).raster.pixels
    assert result.shape == (40, 50, 3) and np.abs(result[20:23, 20:23] - 0.41).max() < 0.03


def test_a_grain_step_is_a_draft_until_full_size_is_there() -> None:
    step = Step.make("denoise", method="median")
    rng = np.random.default_rng(11)
    line, engine = line_of(rng.random((200, 240)).astype(np.float32), step, Step.make("invert"))
    draft = engine.evaluate(line, Request(side=60))
    assert draft.draft
    full = engine.evaluate(line, Request(exact=True)).raster
    again = engine.evaluate(line, Request(side=60))
    assert not again.draft and not again.provisional
    expected = cv2.resize(full.pixels, (60, 50), interpolation=cv2.INTER_AREA)
    assert np.abs(again.raster.pixels - expected).max() < 1e-5
    assert not np.array_equal(draft.raster.pixels, again.raster.pixels)


def test_relaxing_can_be_stopped() -> None:
    class Enough(Exception):
        pass

    def stop() -> None:
        raise Enough

    with pytest.raises(Enough):
        deband.smoothest(np.zeros((64, 64), np.float32), 1 / 255, stop)


def test_an_8_bit_lattice_is_found_inside_a_16_bit_file() -> None:
    rng, step = np.random.default_rng(3), 1 / 65535
    smooth = np.cumsum(rng.random((1, 300)), axis=1).repeat(40, axis=0) / 160
    for factor in (257, 256):
        stored = (np.rint(np.clip(smooth, 0, 0.99) * 255) * factor * step).astype(np.float32)
        assert deband.quantum(stored, step) == pytest.approx(factor * step, rel=1e-4)
    full = (np.rint(smooth * 65535) * step).astype(np.float32)
    two = np.where(smooth > 0.5, np.float32(0.75), np.float32(0.25))
    assert deband.quantum(full, step) == step and deband.quantum(two, step) == step


def test_texture_has_no_terraces_to_take_out() -> None:
    """Between the levels of a texture there is nothing to win: it stays to the bit."""
    grass = data.grass()[:200, :200].astype(np.float32) / 255
    assert (deband.smoothest(grass, 1 / 255) == grass).mean() > 0.99
