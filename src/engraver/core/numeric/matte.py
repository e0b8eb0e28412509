"""Mattes: from a region to how much of each pixel belongs to the subject, down to its wisps."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from .blur import gaussian, spread

Mask = NDArray[np.bool_]
# Regions are grown on a picture reduced to this many pixels on its shorter side.
SEED_SIDE = 192
# The band and the colours carried into it are smooth: they are found on at most this many pixels.
SMOOTH_SIDE = 1024
_CLUSTERS = 5
_SPREAD = 0.06
_STEP = 0.004
_ROUNDS = 24


def otsu(values: Pixels, there: NDArray[np.uint8] | None = None) -> float:
    """The tone that best parts two classes: N. Otsu, IEEE Trans. SMC 9 (1979)."""
    kept = values.ravel() if there is None else values[there > 0]
    if kept.size == 0:
        return 0.5
    lo, hi = float(kept.min()), float(kept.max())
    if hi <= lo:
        return lo
    counts, edges = np.histogram(kept, 512, (lo, hi))
    middles = (edges[:-1] + edges[1:]) / 2
    share = counts / counts.sum()
    weight = np.cumsum(share)
    mean = np.cumsum(share * middles)
    inside = (weight > 0) & (weight < 1)
    between = np.zeros(512)
    between[inside] = (mean[-1] * weight[inside] - mean[inside]) ** 2 / (weight[inside] * (1 - weight[inside]))
    # The best place is often a whole gap: its middle is taken.
    best = np.nonzero(between >= between.max() * (1 - 1e-9))[0]
    return float((edges[best[0] + 1] + edges[best[-1] + 1]) / 2)


def guided(values: Pixels, guide: Pixels, radius: int, eps: float) -> Pixels:
    """Guided filter of ``values`` (H, W) by a grey ``guide`` (H, W) in square windows of side 2 radius + 1.

    K. He, J. Sun and X. Tang, "Guided Image Filtering" (ECCV 2010), eq. 5, 6 and 8; windows
    are cut off at the border, as in the paper.
    """
    if radius < 1:
        return values
    side = (2 * radius + 1, 2 * radius + 1)

    def total(plane: Pixels) -> Pixels:
        summed: Pixels = cv2.boxFilter(plane, cv2.CV_32F, side, normalize=False, borderType=cv2.BORDER_CONSTANT)
        return summed

    count = total(np.ones_like(values))
    centre = np.float32(guide.mean())
    shifted: Pixels = guide - centre  # keeps the variance's difference of squares from cancelling
    mean_i, mean_p = total(shifted) / count, total(values) / count
    variance = np.maximum(total(shifted * shifted) / count - mean_i * mean_i, 0)
    covariance = total(shifted * values) / count - mean_i * mean_p
    a = covariance / (variance + np.float32(eps))
    b = mean_p - a * mean_i
    result: Pixels = total(a) / count * shifted + total(b) / count
    return result


def _likelihood(colours: NDArray[np.float32], seeds: NDArray[np.float32]) -> NDArray[np.float32]:
    """How well each colour fits the seeds': a mixture of Gaussians round their k-means centres."""
    count = min(_CLUSTERS, len(seeds))
    cv2.setRNGSeed(1)
    criteria = (cv2.TERM_CRITERIA_MAX_ITER | cv2.TERM_CRITERIA_EPS, 20, 1e-3)
    labels = np.zeros((len(seeds), 1), np.int32)
    _, labels, centres = cv2.kmeans(seeds, count, labels, criteria, 1, cv2.KMEANS_PP_CENTERS)
    total = np.full(len(colours), 1e-6, np.float32)
    for n in range(count):
        mine = seeds[labels[:, 0] == n]
        if not len(mine):
            continue
        width = _SPREAD**2 + float(mine.var(axis=0).mean())
        apart = np.square(colours - centres[n]).sum(axis=1)
        total += np.float32(len(mine) / len(seeds)) * np.exp(-apart / np.float32(2 * width))
    return total


def grown(picture: Pixels, keep: Mask, remove: Mask) -> Mask:
    """The region that marks grow to: True where the keep marks are nearer than the remove marks.

    Nearness is the shortest way over changes of likeness: geodesic distances on how well
    each colour fits either kind of mark (X. Bai and G. Sapiro, "A Geodesic Framework for
    Fast Interactive Image and Video Segmentation and Matting", ICCV 2007), by raster scans
    (P. J. Toivanen, Pattern Recognition Letters 17, 1996).

    Parameters
    ----------
    picture : float32 (H, W) or (H, W, 3)
        Reduced.
    keep, remove : bool (H, W)
        Marked pixels; both kinds must have some.
    """
    from . import kernels

    height, width = keep.shape
    colours = np.ascontiguousarray(picture.reshape(height * width, -1), np.float32)
    mine = _likelihood(colours, colours[keep.ravel()])
    other = _likelihood(colours, colours[remove.ravel()])
    likeness = (mine / (mine + other)).reshape(height, width).astype(np.float32)
    grey = picture if picture.ndim == 2 else picture.mean(axis=2)
    cost = np.ascontiguousarray(likeness + np.float32(0.5) * grey.astype(np.float32))
    far = np.float32(1e9)
    near = [np.where(seeds, np.float32(0), far).astype(np.float32) for seeds in (keep, remove)]
    for distance in near:
        kernels.sweep(distance, cost, np.float32(_STEP), _ROUNDS)
    # Being unlike one's own marks costs too, so that a subject is not entered through its softest border.
    nearer: Mask = near[0] + 0.35 * (1 - likeness) < near[1] + 0.35 * likeness
    return (nearer | keep) & ~remove


def tidied(region: Mask, holes: float, specks: float) -> Mask:
    """The region with holes of up to a diameter filled and islands of up to a diameter dropped (pixels)."""
    result = region.copy()
    for size, value in ((specks, True), (holes, False)):
        if size <= 0:
            continue
        limit = np.pi / 4 * size * size
        count, labels, stats, _ = cv2.connectedComponentsWithStats((result == value).astype(np.uint8), connectivity=4)
        small = stats[:, cv2.CC_STAT_AREA] <= limit
        small[0] = False
        if count > 1:
            result[small[labels]] = not value
    return result


def band(region: Pixels, reach: float) -> tuple[Mask, Mask]:
    """What surely belongs to the region, and what surely does not: all further than ``reach`` from its border.

    Distances are taken on a picture of at most :data:`SMOOTH_SIDE` pixels: the band needs no finer rim.
    """
    height, width = region.shape
    ratio = min(1.0, SMOOTH_SIDE / min(region.shape))
    size = (max(1, round(width * ratio)), max(1, round(height * ratio)))
    small = cv2.resize(region, size, interpolation=cv2.INTER_AREA) if ratio < 1 else region
    inside = (small > 0.5).astype(np.uint8)
    deep = cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    away = cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    signed = (deep - away).astype(np.float32)
    if ratio < 1:
        signed = cv2.resize(signed, (width, height), interpolation=cv2.INTER_LINEAR) / np.float32(ratio)
    return signed > reach, signed < -reach


def _carried(picture: Pixels, sure: Mask) -> Pixels:
    """Colours of what is sure carried everywhere, (H, W, C): smooth, so found on a reduced picture."""
    height, width = sure.shape
    ratio = min(1.0, SMOOTH_SIDE / min(sure.shape))
    weight = sure.astype(np.float32)
    if ratio >= 1:
        return np.atleast_3d(spread(picture, weight))
    size = (max(1, round(width * ratio)), max(1, round(height * ratio)))
    share = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
    over = weight if picture.ndim == 2 else weight[..., None]
    summed = cv2.resize(picture * over, size, interpolation=cv2.INTER_AREA)
    small_over = share if picture.ndim == 2 else share[..., None]
    small = (summed / np.maximum(small_over, 1e-6)).astype(np.float32)
    found: Pixels = cv2.resize(spread(small, share), (width, height), interpolation=cv2.INTER_LINEAR)
    return np.atleast_3d(found)


def matte(picture: Pixels, region: Pixels, reach: float, grip: float) -> Pixels:
    """Alpha 0..1 (H, W): 1 inside, 0 outside, true to the picture in a band along the region's border.

    In the band every colour lies between that of the subject and that of the ground, both
    carried in from where they are sure; alpha is where it lies between them (the compositing
    equation of T. Porter and T. Duff, 1984, solved along the line from ground to subject).
    A guided filter by the picture takes the noise out of it.

    Parameters
    ----------
    picture : float32 (H, W) or (H, W, 3)
    region : float32 (H, W)
        The region, 0..1.
    reach : float
        Half the band's width in pixels.
    grip : float
        0..1: how much alpha follows the picture's own edges rather than the region's.
    """
    sure, out = band(region, reach)
    if not sure.any() or not out.any():
        return region
    # Only the band is computed: it is a small part of the picture.
    near = ~(sure | out)
    colours = (picture if picture.ndim == 3 else picture[..., None])[near]
    ground = _carried(picture, out)[near]
    across = _carried(picture, sure)[near] - ground
    length = np.square(across).sum(axis=1)
    between = ((colours - ground) * across).sum(axis=1) / np.maximum(length, 1e-6)
    soft = gaussian(region, max(0.5, reach / 4))[near]
    share = np.float32(grip) * length / (length + np.float32(0.01))
    alpha = sure.astype(np.float32)
    alpha[near] = np.clip(between * share + soft * (1 - share), 0, 1)
    grey = picture if picture.ndim == 2 else cv2.transform(picture, np.full((1, 3), 1 / 3, np.float32))
    fine = guided(alpha, grey, max(1, round(reach / 16)), 1e-4)
    result = sure.astype(np.float32)
    # Nearly nothing and nearly all are noise of the picture, not wisps.
    result[near] = np.clip((np.clip(fine[near], 0, 1) - np.float32(0.03)) / np.float32(0.94), 0, 1)
    return result
