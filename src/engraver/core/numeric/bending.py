"""Filling holes with the surface that bends least: it goes on with the slopes around, not only with the heights."""

from __future__ import annotations

from enum import IntEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import harmonic, patch

Mask = NDArray[np.bool_]
# A hole is solved for at about this many pixels across.
ACROSS = 24.0
# A smooth surface takes the place of a piece where its rms error is at most this share of the piece's.
SMOOTHER = 0.6
# It is tried so many times, within so many widths of the hole.
TRIALS, AROUND = 3, 4


class Way(IntEnum):
    """With what a hole is filled."""

    PIECE = 0
    MEMBRANE = 1
    PLATE = 2


def thin_plate(values: Pixels, mask: Mask) -> Pixels:
    """Replace the pixels in ``mask`` by the biharmonic surface through those around them.

    The least sum of squared Laplacians over the hole and its rim, by a sparse direct solve:
    the clamped plate of the biharmonic equation, as in S. B. Damelin and N. S. Hoang, "On
    surface completion and image inpainting by biharmonic functions" (2018).

    Parameters
    ----------
    values : float32 (H, W)
    mask : bool (H, W)
        True where a pixel is to be replaced; a hole of a few thousand pixels at most.
    """
    from scipy import sparse
    from scipy.sparse import linalg

    if not mask.any() or mask.all():
        return values
    height, width = mask.shape
    rim = cv2.dilate(mask.astype(np.uint8), np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], np.uint8)).astype(bool)
    rows, columns = np.nonzero(rim)
    number = np.full(mask.shape, -1, np.int64)
    number[mask] = np.arange(int(mask.sum()))
    entries: list[tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]] = []
    right, degree = np.zeros(len(rows)), np.zeros(len(rows))
    for down, across in ((0, 1), (0, -1), (1, 0), (-1, 0)):
        r, c = rows + down, columns + across
        inside = np.nonzero((r >= 0) & (r < height) & (c >= 0) & (c < width))[0]
        degree[inside] += 1
        _take(entries, right, inside, number[r[inside], c[inside]], values[r[inside], c[inside]], -1.0)
    own = np.arange(len(rows))
    _take(entries, right, own, number[rows, columns], values[rows, columns], degree)
    i, j, weights = (np.concatenate(part) for part in zip(*entries, strict=True))
    laplacian = sparse.csc_matrix((weights, (i, j)), shape=(len(rows), int(mask.sum())))
    found = linalg.splu((laplacian.T @ laplacian).tocsc()).solve(laplacian.T @ right)
    result = values.copy()
    result[mask] = found.astype(np.float32)
    return result


def _take(
    entries: list[tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]], right: NDArray[np.float64],
    rows: NDArray[np.int64], unknown: NDArray[np.int64], known: Pixels, weight: float | NDArray[np.float64],
) -> None:  # fmt: skip
    """Neighbours with one weight: unknown ones into the matrix, known ones to the right side."""
    weights = np.broadcast_to(np.asarray(weight, np.float64), rows.shape)
    free = unknown >= 0
    entries.append((rows[free], unknown[free], weights[free]))
    right[rows[~free]] -= weights[~free] * known[~free]


def _ratio(mask: Mask) -> float:
    """How small a picture must be for its hole to be about :data:`ACROSS` pixels wide; 1 at most."""
    return min(1.0, ACROSS / patch.size(mask))


def _size(shape: tuple[int, ...], ratio: float) -> tuple[int, int]:
    """Width and height of a picture reduced so."""
    return max(3, round(shape[1] * ratio)), max(3, round(shape[0] * ratio))


def _reduced(values: Pixels, mask: Mask) -> tuple[Pixels, Mask]:
    """So small that the hole is about :data:`ACROSS` pixels wide; what lies in the hole counts for nothing."""
    size = _size(mask.shape, _ratio(mask))
    there = cv2.resize((~mask).astype(np.float32), size, interpolation=cv2.INTER_AREA)
    small = cv2.resize(np.where(mask, np.float32(0), values), size, interpolation=cv2.INTER_AREA)
    return small / np.maximum(there, np.float32(1e-6)), there < 0.5


def smooth(values: Pixels, mask: Mask) -> Pixels:
    """The hole filled by :func:`thin_plate`, solved for small and enlarged: no finer detail is in it."""
    small, hole = _reduced(values, mask)
    if not hole.any():
        return harmonic.fill(values, mask)
    plate = thin_plate(small, hole)
    large: Pixels = cv2.resize(plate, mask.shape[::-1], interpolation=cv2.INTER_CUBIC)
    return large


def filled(values: Pixels, mask: Mask, piece: Pixels | None, way: Way) -> Pixels:
    """The hole filled by a plate or a membrane, joined to what is around, with the grain of a piece from elsewhere.

    Parameters
    ----------
    values : float32 (H, W)
    mask : bool (H, W)
    piece : float32 (H, W) or None
        What lies a shift away, everywhere; only what is finer than the smooth surface is taken from it.
    """
    guide = smooth(values, mask) if way == Way.PLATE else np.zeros_like(values)
    if piece is not None:
        guide = guide + piece - smooth_like(piece, mask)
    joined: Pixels = np.where(mask, guide + harmonic.fill(values - guide, mask), values)
    return joined


def with_grain(
    values: Pixels, mask: Mask, shift: tuple[float, float], way: Way, wrap: tuple[bool, bool] = (False, False)
) -> Pixels:
    """As :func:`patch.cloned`, but only the grain is the piece's; the form is a smooth surface's.

    Parameters
    ----------
    values : float32 (H, W) or (H, W, 3)
    mask : bool (H, W)
    shift : (float, float)
        From a pixel to the one it takes, in pixels.
    wrap : (bool, bool)
        As there; the smooth surface itself does not go over the border.
    """
    if not mask.any():
        return values
    near = patch.near(mask, 3 * patch.size(mask))
    here, hole = values[near], np.ascontiguousarray(mask[near])
    rows, columns = np.arange(near[0].start, near[0].stop), np.arange(near[1].start, near[1].stop)
    piece = patch.piece(values, rows, columns, shift, wrap)
    planes = [(here, piece)] if values.ndim == 2 else [(here[..., n], piece[..., n]) for n in range(values.shape[2])]
    made = [filled(np.ascontiguousarray(a), hole, np.ascontiguousarray(b), way) for a, b in planes]
    result = values.copy()
    result[near] = made[0] if values.ndim == 2 else np.stack(made, axis=-1)
    return result


def smooth_like(piece: Pixels, mask: Mask) -> Pixels:
    """A piece reduced as a hole would be, and enlarged again."""
    ratio = _ratio(mask)
    if ratio == 1:
        blurred: Pixels = cv2.GaussianBlur(piece, (0, 0), 1.0, borderType=cv2.BORDER_REFLECT)
        return blurred
    small = cv2.resize(piece, _size(mask.shape, ratio), interpolation=cv2.INTER_AREA)
    large: Pixels = cv2.resize(small, mask.shape[::-1], interpolation=cv2.INTER_CUBIC)
    return large


def nearest(values: Pixels, mask: Mask, blocked: Mask, shift: tuple[float, float]) -> Way:
    """What a hole is best filled with: tried where it is known what is there.

    The place whose piece the hole would take is itself left out and filled every way, then the
    one which that takes, and so on, three times. Grain does not count: it is a piece's anyhow.

    Parameters
    ----------
    values : float32 (H, W)
    mask, blocked : bool (H, W)
    shift : (float, float)
        Where the fitting piece lies, of :func:`patch.best_shift`.
    """
    totals = dict.fromkeys(Way, 0.0)
    values, mask, blocked, ratio = _near(values, mask, blocked)
    tried, step = mask, (shift[0] * ratio, shift[1] * ratio)
    for _ in range(TRIALS):
        tried = patch.moved(tried, step)
        if not tried.any():
            break
        found = patch.best_shift(values, tried, blocked | mask | tried)
        if found is None:
            break
        step = float(round(found[0])), float(round(found[1]))
        made = {
            Way.PIECE: patch.cloned(values, tried, step),
            Way.MEMBRANE: harmonic.fill(values, tried),
            Way.PLATE: filled(values, tried, None, Way.PLATE),
        }
        for way, pixels in made.items():
            totals[way] += float(np.square((pixels - values)[tried]).mean())
    smooth = Way.PLATE if totals[Way.PLATE] < totals[Way.MEMBRANE] else Way.MEMBRANE
    return smooth if totals[smooth] < SMOOTHER**2 * totals[Way.PIECE] else Way.PIECE


def _near(values: Pixels, mask: Mask, blocked: Mask) -> tuple[Pixels, Mask, Mask, float]:
    """The surroundings of a hole, so small that it is about :data:`ACROSS` pixels wide, and how small."""
    near, ratio = patch.near(mask, AROUND * patch.size(mask)), _ratio(mask)
    size = _size(values[near].shape, ratio)
    small = cv2.resize(np.ascontiguousarray(values[near]), size, interpolation=cv2.INTER_AREA)
    hole, other = (
        cv2.resize(np.ascontiguousarray(m[near]).astype(np.float32), size, interpolation=cv2.INTER_AREA) > share
        for m, share in ((mask, 0.5), (blocked | mask, 0.05))
    )
    return small, hole, other, ratio
