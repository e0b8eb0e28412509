"""The demo recipe written in the straightforward way, with scikit-image and scipy.ndimage.

The same chain of named methods with the usual calls of those libraries, in float64 as
scikit-image prefers; only how far the ragged outline wanders is taken from Engraver, since
no library has this very noise.
"""

from __future__ import annotations

import numpy as np
from scipy import ndimage
from skimage import transform

from engraver.core.engine.line import Line, step_seed
from engraver.core.steps.falloff import Falloff, wandering
from engraver.core.steps.frame import Crop, crop_box


def _plain_light(grey: np.ndarray, kept: np.ndarray, order: int, blocks: int = 32) -> np.ndarray:
    """A polynomial through the logarithm of block means, reweighted by Tukey's biweight, at every pixel."""
    counts = transform.resize_local_mean(kept, (blocks, blocks))
    mean = transform.resize_local_mean(grey * kept, (blocks, blocks)) / np.maximum(counts, 1e-3)
    small = np.log(np.maximum(mean, 0.004))
    counts = counts.ravel()
    at = (np.arange(blocks) + 0.5) / blocks * 2 - 1
    terms = [(i, j) for i in range(order + 1) for j in range(order + 1 - i)]
    base = np.stack([np.outer(at**j, at**i).ravel() for i, j in terms], axis=1)
    weight, found = counts.copy(), np.zeros(base.shape[1])
    for _ in range(15):
        root = np.sqrt(weight)
        found = np.linalg.lstsq(base * root[:, None], small.ravel() * root, rcond=None)[0]
        left = small.ravel() - base @ found
        there = left[counts > 1e-6]
        scale = 1.4826 * np.median(np.abs(there - np.median(there)))
        weight = counts * (1 - np.clip(np.abs(left) / (4.685 * scale), 0, 1) ** 2) ** 2
    y, x = ((np.arange(n) + 0.5) / n * 2 - 1 for n in grey.shape)
    powers = np.zeros((order + 1, order + 1))
    for value, (i, j) in zip(found, terms, strict=True):
        powers[i, j] = value
    return np.exp(np.polynomial.polynomial.polygrid2d(x, y, powers).T)


def plain_relief(rgb: np.ndarray, line: Line) -> np.ndarray:
    """The flat finished plate of the demo's barnacles from 8-bit RGB."""
    params = {step.kind: step.params for step in line.steps}
    crop: Crop = params["crop"]  # type: ignore[assignment]
    left, top, width, height = crop_box(crop, line.facts[0])
    grey = rgb[top : top + height, left : left + width] / 255.0 @ np.array([0.2126, 0.7152, 0.0722])
    falloff: Falloff = params["falloff"]  # type: ignore[assignment]
    y, x = np.mgrid[0:height, 0:width] + 0.5
    kept = height / 2 - falloff.margin * height - np.hypot(x - width / 2, y - height / 2) > 0
    light = _plain_light(grey, kept.astype(float), params["even-light"].order)  # type: ignore[attr-defined]
    even = grey * (light.mean() / light)
    even *= grey.mean() / even.mean()
    side = even.shape[0]
    y, x = np.mgrid[0:side, 0:side] + 0.5
    deep = side / 2 - falloff.margin * side - np.hypot(x - side / 2, y - side / 2)
    levels = params["levels"]
    inside = even[side / 2 - falloff.margin * side - np.hypot(x - side / 2, y - side / 2) > 0]
    black, white = np.percentile(inside, (levels.low, levels.high))  # type: ignore[attr-defined]
    t = (even - black) / (white - black)
    w = levels.toe  # type: ignore[attr-defined]
    toned = np.where(t > w, t, np.where(t < -w, 0, (t + w) ** 2 / (4 * w)))
    soft = ndimage.gaussian_filter(toned, params["soften"].radius * side, mode="reflect")  # type: ignore[attr-defined]
    fade = falloff.fade * side
    uid = next(step.uid for step in line.steps if step.kind == "falloff")
    seed = (step_seed(line.seed, uid) + falloff.seed * 7919) & 0xFFFFFFFF
    wander = wandering(falloff, deep.astype(np.float32), seed, (False, False), fade)
    t = np.clip((deep - wander * falloff.ragged * fade) / fade, 0, 1)
    cover = t * t * (3 - 2 * t)
    target = line.facts[-1].width
    if target == side:
        return soft * cover
    flat = transform.resize(soft * cover, (target, target), order=3, anti_aliasing=target < side)
    return np.asarray(flat)
