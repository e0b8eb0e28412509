"""Compiled loops over single tones: tables, levels, terraces. One pass where arrays would take ten."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..compiled import kernel

Flat = NDArray[np.float32]

_kernel: Any = kernel()
# So many values at a time, whose steps in between stay in a core's nearest cache.
_BLOCK = 2048
# Loops whose order of sums does not matter: they run eight values at a time.
_loose: Any = kernel(fastmath=True)


@_kernel
def table(values, base, rise, lo, scale, out):  # type: ignore[no-untyped-def]
    """Straight between the entries of a table, and on beyond its ends. Flat arrays."""
    # Places first, as many at a time as the processor takes, then entries, one by one. In 32 bits: what is too far
    # for them is cut, what is no number stays none.
    last, none, far = np.int32(base.size - 1), np.int32(0), np.float32(1e9)
    entry, beyond = np.empty(_BLOCK, np.uint32), np.empty(_BLOCK, np.float32)
    for a in range(0, values.size, _BLOCK):
        some, to = values[a : a + _BLOCK], out[a : a + _BLOCK]
        for n in range(some.size):
            place = (some[n] - lo) * scale
            index = min(max(np.int32(min(place, far)), none), last)
            entry[n], beyond[n] = index, place - np.float32(index)
        for n in range(some.size):
            k = entry[n]
            to[n] = base[k] + rise[k] * beyond[n]


@_kernel
def counted(values, mask, lo, scale, counts):  # type: ignore[no-untyped-def]
    """Add to ``counts`` (bins,), int64, how many values lie in each of its steps of 1 / ``scale`` from ``lo`` on.

    ``values`` and ``mask``, uint8, are flat; of a mask as long as the values only those count where it is not 0.
    """
    last, all_of = counts.size - 1, mask.size < values.size
    entry = np.empty(_BLOCK, np.uint32)
    for a in range(0, values.size, _BLOCK):
        some = values[a : a + _BLOCK]
        for n in range(some.size):
            entry[n] = min(max(int((some[n] - lo) * scale), 0), last)
        if all_of:
            for n in range(some.size):
                counts[entry[n]] += 1
        else:
            chosen = mask[a : a + _BLOCK]
            for n in range(some.size):
                counts[entry[n]] += chosen[n] != 0


@_kernel
def affine(values, gain, low, out):  # type: ignore[no-untyped-def]
    """Times ``gain`` and plus ``low``. Flat arrays, which may be the same."""
    for n in range(values.size):
        out[n] = values[n] * gain + low


@_kernel
def levels(values, black, scale, toe, low, gain, out):  # type: ignore[no-untyped-def]
    """Stretched so that black is 0, a parabola of half width ``toe`` about it, then the output range. Flat arrays."""
    quarter = np.float32(0.25) / toe if toe > 0 else np.float32(0)
    for n in range(values.size):
        t = (values[n] - black) * scale
        if t <= toe:
            near = max(t, -toe) + toe
            t = near * near * quarter if toe > 0 else t
        out[n] = t * gain + low


@_kernel
def terrace(values, steps, width, out):  # type: ignore[no-untyped-def]
    """Whole steps joined by ramps of a width. Flat arrays."""
    half = np.float32(0.5)
    for n in range(values.size):
        y = values[n] * steps
        whole = np.floor(y)
        ramp = min(max((y - whole - half) / width + half, np.float32(0)), np.float32(1))
        out[n] = (whole + ramp) / steps


# Polynomials for log2(1 + u) / u over sqrt(1/2) - 1 .. sqrt(2) - 1 and 2^v over -1/2 .. 1/2, highest power first:
# least-squares fits at Chebyshev points, within 2e-9 and 3e-9. They are summed by pairs (G. Estrin, 1960), so that no
# term waits for the one before it.
_LOG = np.array([
    -0.11020435, 0.1863167, -0.19102616, 0.20457469, -0.23961884, 0.28856892, -0.36069664, 0.48089821, -0.72134735,
    1.442695,
], np.float32)  # fmt: skip
_EXP = np.array([
    0.0001546974, 0.00134004417, 0.00961802558, 0.0555032719, 0.240226512, 0.693147207, 1.0,
], np.float32)  # fmt: skip
_SIGN, _SIZE = np.int32(-2147483648), np.int32(0x7FFFFFFF)
_LEAST, _ROOT = np.int32(0x00800000), np.int32(0x3F3504F3)
_BITS = np.int32(23)


@_loose
def _split(bits, whole, mantissa):  # type: ignore[no-untyped-def]
    for n in range(bits.size):
        size = max(bits[n] & _SIZE, _LEAST)
        exponent = (size - _ROOT) >> _BITS
        whole[n] = np.float32(exponent)
        mantissa[n] = size - (exponent << _BITS)


@_loose
def _raise(mantissa, whole, exponent, log, exp, shift, part):  # type: ignore[no-untyped-def]
    for n in range(mantissa.size):
        u = mantissa[n] - np.float32(1)
        u2 = u * u
        high = (log[0] * u + log[1]) * u2 + (log[2] * u + log[3])
        low = (log[4] * u + log[5]) * u2 + (log[6] * u + log[7])
        p = (high * (u2 * u2) + low) * u2 + (log[8] * u + log[9])
        y = min(max((whole[n] + p * u) * exponent, np.float32(-126)), np.float32(126))
        r = np.floor(y + np.float32(0.5))
        v = y - r
        v2 = v * v
        q = ((exp[0] * v2 + (exp[1] * v + exp[2])) * v2 + (exp[3] * v + exp[4])) * v2 + (exp[5] * v + exp[6])
        shift[n] = np.int32(r) << _BITS
        part[n] = q


@_loose
def _join(part, shift, bits, out):  # type: ignore[no-untyped-def]
    for n in range(bits.size):
        whole = part[n] + shift[n] if (bits[n] & _SIZE) >= _LEAST else np.int32(0)
        out[n] = whole | (bits[n] & _SIGN)


@_kernel
def power(values, black, scale, toe, exponent, log, exp, low, gain, out):  # type: ignore[no-untyped-def]
    """:func:`levels` to 0 and 1, the sign of each times the power of its size, then the output range. Flat arrays.

    Within 2e-6 of the exact power; what is below the least normal number gives 0.
    """
    zero, one = np.float32(0), np.float32(1)
    level, whole, part = np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32)
    mantissa, shift = np.empty(_BLOCK, np.int32), np.empty(_BLOCK, np.int32)
    # The whole of each block, also of the last: loops over arrays that nothing else can lie in are the quick ones.
    bits, raised = level.view(np.int32), mantissa.view(np.float32)
    level[:] = one
    for a in range(0, values.size, _BLOCK):
        some, to = values[a : a + _BLOCK], out[a : a + _BLOCK]
        levels(some, black, scale, toe, zero, one, level[: some.size])
        _split(bits, whole, mantissa)
        _raise(raised, whole, exponent, log, exp, shift, part)
        _join(part.view(np.int32), shift, bits, mantissa)
        affine(raised[: some.size], gain, low, to)


def levelled(
    values: Flat, ends: tuple[float, float], toe: float, exponent: float, low: float, gain: float, out: Flat
) -> None:
    """:func:`levels`, or with an exponent :func:`power`, of flat float32 arrays.

    Parameters
    ----------
    ends : (float, float)
        The tone that becomes 0, and what tones are then multiplied by.
    low, gain : float
        Where 0 comes out, and by how much more 1 does.
    """
    black, scale, width, to, by = (np.float32(v) for v in (*ends, toe, low, gain))
    if exponent == 1:
        levels(values, black, scale, width, to, by, out)
    else:
        power(values, black, scale, width, np.float32(exponent), _LOG, _EXP, to, by, out)


def warm() -> None:
    """Compile every kernel (or fetch it from the cache)."""
    a = np.zeros(2, np.float32)
    one = np.float32(1)
    table(a, a, a, np.float32(0), one, a.copy())
    counted(a, np.zeros(0, np.uint8), 0.0, 1.0, np.zeros(2, np.int64))
    affine(a, one, one, a.copy())
    for exponent in (1.0, 0.5):
        levelled(a, (0.0, 1.0), 0.1, exponent, 0.1, 1.0, a.copy())
    terrace(a, one, one, a.copy())
