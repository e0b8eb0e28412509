"""Isolating: mattes of known truth, a published library's result, the filter's own formula."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from skimage import data, filters

from engraver.core.engine import Request, StepFailed
from engraver.core.numeric import matte, noise
from engraver.core.params import Stroke
from engraver.core.raster import Raster
from engraver.core.recipe import Step
from lines import line_of, run

SIDE = 256
SEEDS = (1, 5, 9)
MARKS = (
    Stroke.through([(0.4, 0.5), (0.6, 0.5)], 0.05, "keep"),
    Stroke.through([(0.06, 0.06), (0.94, 0.06), (0.94, 0.94)], 0.03, "remove"),
    Stroke.through([(0.06, 0.1), (0.06, 0.94), (0.8, 0.94)], 0.03, "remove"),
)


def subject(side: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """A cork float with frayed strands on a grained board, and its true matte."""
    rng = np.random.default_rng(seed)
    k = side * 2
    mask = np.zeros((k, k), np.uint8)
    cv2.ellipse(mask, (k // 2, k // 2), (int(k * 0.24), int(k * 0.19)), 15, 0, 360, 255, -1, cv2.LINE_AA)
    c, s = np.cos(np.radians(15)), np.sin(np.radians(15))
    for _ in range(90):
        turn = rng.uniform(0, 2 * np.pi)
        a, b = np.cos(turn) * 0.235, np.sin(turn) * 0.185
        root = np.array([c * a - s * b, s * a + c * b])
        out = root / np.hypot(*root)
        bend, long = rng.uniform(-0.7, 0.7), rng.uniform(0.01, 0.022)
        way = [
            root + long * ((u - 0.3) * out + bend * u * u * np.array([-out[1], out[0]])) for u in np.linspace(0, 1, 8)
        ]
        path = np.int32((np.array(way) + 0.5) * k * 16)
        cv2.polylines(mask, [path], False, 255, max(1, int(k * rng.uniform(0.0012, 0.003))), cv2.LINE_AA, 4)
    small = cv2.resize(mask, (side, side), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    alpha = cv2.GaussianBlur(small, (0, 0), 0.7)

    def grain(cell: float, n: int) -> np.ndarray:
        return noise.lattice(side, side, cell, seed + n) - np.float32(0.5)

    cork = (0.5 + 0.25 * grain(0.06, 0) + 0.2 * grain(0.01, 1))[..., None] * (1.1, 0.85, 0.6)
    board = (0.78 + 0.08 * grain(0.4, 2) + 0.05 * grain(0.02, 3))[..., None] * (0.62, 0.72, 0.78)
    picture = alpha[..., None] * cork + (1 - alpha[..., None]) * board
    picture += 0.008 * rng.standard_normal(picture.shape)
    return np.clip(picture, 0, 1).astype(np.float32), alpha


def marked(tag: str, side: int) -> np.ndarray:
    """Where the strokes of a tag have painted, drawn here and not by the product."""
    mask = np.zeros((side, side), np.uint8)
    for stroke in MARKS:
        if stroke.tag == tag:
            path = np.int32(np.round(stroke.points[:, :2] * side - 0.5))
            cv2.polylines(mask, [path], False, 255, max(1, round(2 * stroke.radius * side)))
    return mask > 0


def isolated(picture: np.ndarray, **values: object) -> Raster:
    step = Step.make("isolate", **values)
    line, engine = line_of(picture, step)
    return engine.evaluate(line, Request(upto=step.uid, exact=True)).raster


@pytest.mark.parametrize("seed", SEEDS)
def test_a_frayed_subject_comes_off_its_ground(seed: int) -> None:
    """Mean squared error at most 0.003, and no worse than 1.5 times a closed-form matte or 0.001."""
    stored = json.loads((Path(__file__).parent / "data" / "closed_form.json").read_text())
    picture, truth = subject(SIDE, seed)
    cover = isolated(picture, strokes=MARKS).coverage
    assert cover is not None
    error = float(np.square(cover - truth).mean())
    assert error <= 0.003
    assert error <= max(0.001, 1.5 * stored["mean squared error"][str(seed)])
    wisps = (truth > 0.05) & (truth < 0.95)
    hard = np.square((cover > 0.5) - truth)[wisps].mean()
    assert np.square(cover - truth)[wisps].mean() < 0.3 * hard


@pytest.mark.parametrize("kind", ["disc", "fog", "stripes"])
def test_made_mattes_with_known_truth(kind: str) -> None:
    y, x = np.mgrid[0:200, 0:200] + 0.5
    away = np.hypot(x - 100, y - 100)
    truth = {
        "disc": np.clip(60.5 - away, 0, 1),
        "fog": np.clip((66 - away) / 12, 0, 1),
        "stripes": np.clip(50.5 - away, 0, 1) + (away > 50.5) * np.clip((60 - away) / 4, 0, 1) * (np.sin(x) > 0),
    }[kind]
    picture = truth[..., None] * np.array([0.8, 0.5, 0.3]) + (1 - truth[..., None]) * np.array([0.2, 0.25, 0.3])
    keep = Stroke.through([(0.4, 0.5), (0.6, 0.5)], 0.06, "keep")
    cover = isolated(picture.astype(np.float32), strokes=(keep,), reach=0.06, specks=0.0, holes=0.0).coverage
    assert cover is not None and np.square(cover - truth).mean() <= 0.003


def test_the_guided_filter_is_its_published_formula() -> None:
    """He, Sun and Tang (2010), eq. 5, 6 and 8, written with plain loops over windows."""
    rng = np.random.default_rng(2)
    p, guide = rng.random((2, 14, 17)).astype(np.float32)
    r, eps = 2, 0.01
    a, b = np.zeros(p.shape), np.zeros(p.shape)
    windows = {}
    for i in range(14):
        for j in range(17):
            w = np.s_[max(0, i - r) : i + r + 1, max(0, j - r) : j + r + 1]
            windows[i, j] = w
            g, v = guide[w].astype(float), p[w].astype(float)
            a[i, j] = ((g * v).mean() - g.mean() * v.mean()) / (g.var() + eps)
            b[i, j] = v.mean() - a[i, j] * g.mean()
    expected = np.array([[a[windows[i, j]].mean() * guide[i, j] + b[windows[i, j]].mean() for j in range(17)]
                         for i in range(14)])  # fmt: skip
    assert np.abs(matte.guided(p, guide, r, eps) - expected).max() < 1e-4


def test_the_cut_is_otsus() -> None:
    coins = data.coins().astype(np.float32) / 255
    assert matte.otsu(coins) == pytest.approx(filters.threshold_otsu(coins, 512), abs=2 / 512)


def test_by_tone_the_papers_grain_goes() -> None:
    rng = np.random.default_rng(3)
    y, x = np.mgrid[0:200, 0:200]
    ink = np.abs(np.hypot(x - 100, y - 100) - 60) < 8
    page = np.where(ink, 0.15, 0.8) + 0.03 * rng.standard_normal((200, 200))
    raster = isolated(page.astype(np.float32), how="tone", subject="dark")
    assert raster.coverage is not None
    paper = cv2.erode((~ink).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    core = cv2.erode(ink.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    assert raster.coverage[paper].max() == 0 and raster.coverage[core].min() > 0.99
    assert np.array_equal(raster.pixels, page.astype(np.float32)), "the tone is not touched"


def test_holes_are_filled_and_specks_dropped_by_size() -> None:
    page = np.full((120, 120), 0.1, np.float32)
    page[30:90, 30:90] = 0.9
    page[50:54, 50:54] = 0.1
    page[10:13, 100:103] = 0.9
    kept = isolated(page, how="tone", holes=0.0, specks=0.0).coverage
    tidy = isolated(page, how="tone", holes=0.06, specks=0.06).coverage
    assert kept is not None and tidy is not None
    assert kept[52, 52] < 0.1 and tidy[52, 52] > 0.9
    assert kept[11, 101] > 0.9 and tidy[11, 101] == 0
    assert np.array_equal(kept[60:80, 60:80], tidy[60:80, 60:80])


def test_a_leap_is_taken_back() -> None:
    """Two alike islands: a growing stroke takes the one it lies on; one that does not grow stays itself."""
    page = np.full((160, 160, 3), 0.2, np.float32)
    page[40:120, 30:130] = (0.7, 0.6, 0.3)
    keep = Stroke.through([(0.5, 0.5)], 0.05, "keep")
    grows = isolated(page, strokes=(keep,)).coverage
    only = isolated(page, strokes=(Stroke.through([(0.5, 0.5)], 0.05, "keep-only"),)).coverage
    assert grows is not None and only is not None
    assert (grows > 0.5).sum() == pytest.approx(80 * 100, rel=0.03)
    assert (only > 0.5).sum() == pytest.approx(np.pi * 8**2, rel=0.5)
    hole = Stroke.through([(0.5, 0.5)], 0.05, "remove-only")
    holed = isolated(page, strokes=(Stroke.through([(0.3, 0.5)], 0.05, "keep"), hole), holes=0.0).coverage
    assert holed is not None and holed[80, 80] < 0.1 and holed[80, 60] > 0.9


def test_marks_that_leave_nothing_say_so_and_none_do_nothing() -> None:
    page = np.random.default_rng(4).random((60, 60)).astype(np.float32)
    assert run("isolate", page).flat() is not None
    assert np.array_equal(run("isolate", page).flat(), page)
    both = [Stroke.through([(0.5, 0.5)], 1.5, tag) for tag in ("keep-only", "remove-only")]
    with pytest.raises(StepFailed, match="leave nothing"):
        run("isolate", page, strokes=tuple(both))


def test_the_mattes_own_contrast_leaves_the_tone_alone() -> None:
    picture, _ = subject(128, 2)
    plain, firm = isolated(picture, strokes=MARKS), isolated(picture, strokes=MARKS, low=0.3, high=0.7)
    assert plain.coverage is not None and firm.coverage is not None
    assert np.array_equal(plain.pixels, firm.pixels)
    expected = np.clip((plain.coverage - 0.3) / 0.4, 0, 1)
    assert np.abs(firm.coverage - expected).max() < 1e-6


def test_the_band_can_be_looked_at() -> None:
    picture, _ = subject(SIDE, 1)
    step = Step.make("isolate", strokes=MARKS)
    line, engine = line_of(picture, step)
    shown = engine.evaluate(line, Request(upto=step.uid, reveal=True, exact=True)).raster.flat()
    assert shown[SIDE // 2, SIDE // 2].max() == np.float32(0.92) and shown[4, 4].max() == np.float32(0.08)
