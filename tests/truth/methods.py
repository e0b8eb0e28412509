"""Methods against doing nothing and against the plain alternatives, on open pictures."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage
from skimage import restoration

from engraver.core.numeric import deband, harmonic, seam
from engraver.core.params import Stroke
from lines import run
from truth.fact import Fact
from truth.pictures import PHOTOS, grey, square

SIDE = 256


def facts(quick: bool) -> Iterator[Fact]:
    yield from _light(("gravel", "grass") if quick else ("gravel", "grass", "brick", "immunohistochemistry", "moon"))
    yield from _dust(("page", "camera") if quick else tuple(n for n in PHOTOS if n != "hubble_deep_field"))
    yield from _bands(("grass", "moon") if quick else PHOTOS)
    yield from _tiles(("grass", "moon") if quick else PHOTOS)
    yield from _heal(("grass", "moon") if quick else ("grass", "gravel", "brick", "moon", "clock", "coins"))
    yield from _denoise(("moon",) if quick else ("moon", "camera", "coins", "gravel", "coffee", "cat"))


def _light(names: tuple[str, ...]) -> Iterator[Fact]:
    """Even light stays; a low-contrast texture comes back from under a lens's fall-off."""
    y, x = np.mgrid[-1 : 1 : SIDE * 1j, -1 : 1 : SIDE * 1j]
    for name in names:
        fine = square(name, SIDE) - ndimage.gaussian_filter(square(name, SIDE), 20)
        even = (0.5 + fine / fine.std() * 0.1).astype(np.float32)
        made = run("even-light", even).pixels
        yield Fact(
            "even light: change of a picture that is evenly lit, over its spread",
            name,
            "none",
            float(np.abs(made - even).max() / even.std()),
            0.05,
        )
        faint = (0.5 + fine / fine.std() * 0.03) * np.cos(np.arctan(0.55 * np.hypot(x, y))) ** 4
        made = run("even-light", faint.astype(np.float32)).pixels
        yield Fact(
            "even light: a faint texture under cos^4, 1 - correlation",
            name,
            "the texture",
            1 - float(np.corrcoef(made.ravel(), fine.ravel())[0, 1]),
            0.03,
        )


def _dust(names: tuple[str, ...]) -> Iterator[Fact]:
    for name in names:
        clean = np.ascontiguousarray(grey(name)[:512, :512])
        made = run("dust", clean).pixels
        if name in ("page", "text"):
            yield Fact("dust: pixels of clean writing that change", name, "none", float((made != clean).mean()), 1e-3)
        spoilt, rng = clean.copy(), np.random.default_rng(3)
        there = np.zeros(clean.shape, np.uint8)
        for _ in range(20):
            place = rng.integers(8, np.array(clean.shape[::-1]) - 8)
            cv2.circle(there, tuple(int(v) for v in place), int(rng.integers(1, 4)), 1, -1)
        spoilt[there > 0] += np.where(clean[there > 0] > 0.5, -0.4, 0.4).astype(np.float32)
        left, nothing = (float(np.sqrt(((p - clean) ** 2).mean())) for p in (run("dust", spoilt).pixels, spoilt))
        yield Fact("dust: rms error over that of doing nothing", name, "doing nothing", left / nothing, 1.002)


def _denoise(names: tuple[str, ...]) -> Iterator[Fact]:
    for name in names:
        clean = 0.1 + 0.8 * square(name, SIDE)
        noisy = (clean + np.random.default_rng(5).normal(0, 0.05, clean.shape)).astype(np.float32)
        made = run("denoise", noisy).pixels
        ours, nothing = (float(np.sqrt(((p - clean) ** 2).mean())) for p in (made, noisy))
        theirs = min(
            float(np.sqrt(((p - clean) ** 2).mean()))
            for p in (
                ndimage.gaussian_filter(noisy, 0.8),
                ndimage.median_filter(noisy, 3),
                restoration.denoise_nl_means(noisy, 5, 7, h=0.8 * 0.05, sigma=0.05, fast_mode=True),
            )
        )
        yield Fact("denoise: rms error over that of doing nothing", name, "doing nothing", ours / nothing, 1.0)
        yield Fact(
            "denoise: rms error over the best of the plain methods",
            name,
            "SciPy's Gaussian and median, scikit-image's non-local means",
            ours / theirs,
            1.05,
        )


def _heal(names: tuple[str, ...]) -> Iterator[Fact]:
    """A long stroke keeps its grain; smooth ground is filled no worse than by a membrane."""
    way, ratios = [(0.06, 0.4), (0.5, 0.55), (0.94, 0.45)], []
    for name in names:
        clean = square(name, SIDE)
        path = (np.array(way) * SIDE).astype(np.int32)
        marked = cv2.polylines(np.zeros(clean.shape, np.uint8), [path], False, 1, 18) > 0
        healed = run("heal", np.where(marked, np.float32(0.97), clean), strokes=(Stroke.through(way, 0.045, "auto"),))
        inside = ndimage.binary_erosion(marked, iterations=3)
        grain, before = (float((v - ndimage.gaussian_filter(v, 1.5))[inside].std()) for v in (healed.pixels, clean))
        lost = max(0.0, 1 - grain / before)
        yield Fact("heal: share of the grain that a long stroke loses", name, "its own grain", lost, 0.5)
        smooth = ndimage.gaussian_filter(clean, 10).astype(np.float32)
        ours, plain = [], []
        for cx, cy in ((0.5, 0.5), (0.3, 0.6), (0.7, 0.35)):
            y, x = (np.mgrid[0:SIDE, 0:SIDE] + 0.5) / SIDE
            hole = np.hypot(x - cx, y - cy) < 0.06
            spoilt = np.where(hole, np.float32(0.97), smooth)
            made = run("heal", spoilt, strokes=(Stroke.through([(cx, cy)], 0.065, "auto"),)).pixels
            ours.append(float(np.square(made - smooth)[hole].mean()))
            plain.append(
                float(np.square(harmonic.fill(spoilt, np.hypot(x - cx, y - cy) < 0.065) - smooth)[hole].mean())
            )
        ratios.append(float(np.sqrt(np.mean(ours) / np.mean(plain))))
    mean = float(np.mean(ratios))
    yield Fact("heal: mean error on smooth ground over a membrane's", ", ".join(names), "harmonic surface", mean, 1.0)


def _tiles(names: tuple[str, ...]) -> Iterator[Fact]:
    """Automatic is hardly worse than the best of its own methods, in seam and in contrast kept."""
    for name in names:
        before = square(name, SIDE)
        wide = round(SIDE * 0.12)
        cut = (SIDE - round(SIDE * 0.88)) // 2
        middle = np.ascontiguousarray(before[cut : cut + SIDE - wide, cut : cut + SIDE - wide])
        chosen = run("seamless", before, fit=False).pixels
        seams, kept = {}, {}
        for method, source in (("overlap", before), ("cut", before), ("borders", middle)):
            tile = run("seamless", source, method=method, fit=False).pixels
            seams[method] = max(seam.seam(tile).over, seam.seam_down(tile).over)
            kept[method] = sum(abs(1 - _kept(t, b, wide)) for t, b in ((tile, source), (tile.T, source.T))) / 2
            if np.array_equal(tile, chosen):
                seams["auto"], kept["auto"] = seams[method], kept[method]
        best = min(v for m, v in seams.items() if m != "auto")
        yield Fact(
            "seamless: automatic's seam over that of its best method, where it is seen", name, "its own methods",
            max(seam.GOOD, seams["auto"]) / max(seam.GOOD, best), 1.1,
        )  # fmt: skip
        lost = kept["auto"] - min(v for m, v in kept.items() if m != "auto")
        yield Fact("seamless: contrast lost beyond that of its best method", name, "its own methods", lost, 0.1)


def _kept(tile: NDArray[np.float32], before: NDArray[np.float32], wide: int) -> float:
    """The spread of the joined strip over that of the two strips that went into it."""
    before = before[: tile.shape[0]]
    return seam.contrast_kept(np.ascontiguousarray(tile[:, :wide]), before[:, :wide], before[:, -wide:])


def _bands(names: tuple[str, ...]) -> Iterator[Fact]:
    """Texture that was stored in few levels is not made rougher; a ramp comes back, also from a finer file."""
    for name in names:
        fine = square(name, SIDE) + np.random.default_rng(1).uniform(-0.5, 0.5, (SIDE, SIDE)) / 255
        clean = ndimage.gaussian_filter(fine, 0.6).astype(np.float32)
        for top in (255, 64):
            stored = (np.rint(clean * top) / top).astype(np.float32)
            made = deband.smoothest(stored, 1 / top)
            ratio = float(np.sqrt(np.square(made - clean).mean() / np.square(stored - clean).mean()))
            thing = f"remove banding, {top + 1} levels: rms error over that of doing nothing"
            yield Fact(thing, name, "doing nothing", ratio, 1.1)
    y, x = np.mgrid[0:SIDE, 0:SIDE] / SIDE
    ramp = (0.1 + 0.3 * x + 0.1 * y).astype(np.float32)
    for words, levels in (("times 257", np.rint(ramp * 255) * 257), ("times 256", np.rint(ramp * 255) * 256)):
        stored = (levels / 65535).astype(np.float32)
        step = deband.quantum(stored, 1 / 65535)
        truth = ramp * 255 * step
        ratio = float(np.abs(deband.smoothest(stored, step) - truth).max() / step)
        yield Fact(
            "remove banding: 8 bits in a 16-bit file, largest error in its steps", words, "the ramp", ratio, 0.5
        )
