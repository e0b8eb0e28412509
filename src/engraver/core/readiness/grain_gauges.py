"""Gauges of the grain: banding, true detail, noise."""

from __future__ import annotations

from ..numeric import detail, grain
from ..raster import ZERO_LEVEL
from ..words import about, per_cent
from .gauge import Gauge, Measured, Verdict, judged, told


def banding_gauge(m: Measured) -> Gauge:
    share = grain.banding(m.values)
    verdict = judged("banding", share, m.destination)
    says = "Its slopes are smooth." if verdict == "good" else f"{about(share)} of its slopes are little equal steps."
    value = "none" if share < 5e-4 else about(share)
    return told("banding", m, value, {"share": share}, share, verdict, says, "deband")


# The surface that is spoken of: a mesh of a million points, evenly spread over a square.
SURFACE = 1_000_000
FULL = 0.995


def held_words(found: detail.Detail, side: int) -> str:
    """What the plate truly holds, in words for the artist, and up to which size of mark that is sharp."""
    if found.how == "cannot tell":
        return "Soft or enlarged: cannot tell."
    truly = round(found.share * side)
    wide = min(1.0, truly / SURFACE**0.5)
    sharp = f" Sharp up to a mark {per_cent(wide)} as wide as a surface of 1 M points."
    if found.share >= FULL:
        return f"All {side} pixels hold detail.{sharp}"
    enlarged = f" It was enlarged ({found.kernel})." if found.how == "enlarged" else ""
    return f"{truly} of {side}: larger adds nothing.{enlarged}{sharp}"


def detail_gauge(m: Measured) -> Gauge:
    """The smaller of what the picture shows and of what its source can hold."""
    side = max(m.values.shape)
    found = detail.true_detail(m.stored, middle=m.faded)
    if m.known < (found.share if found.how != "cannot tell" else FULL):
        found = detail.Detail(m.known, "breaks off")
    known = found.how != "cannot tell"
    verdict: Verdict = judged("detail", found.share, m.destination) if known else "unsure"
    whole = f"all {side}" if found.share >= FULL else f"{round(found.share * side)} of {side}"
    numbers = {"share": found.share, "side": found.share * side, "told": float(known)}
    value = whole if known else "cannot tell"
    return told("detail", m, value, numbers, found.share, verdict, held_words(found, side))


def noise_gauge(m: Measured) -> Gauge:
    """Noise is fine everywhere and has no structure: what keeps its size when it is reduced is texture."""
    level = ZERO_LEVEL[m.destination.zero]
    sigma = grain.noise(m.values, ground=level)
    doubtful = sigma is not None and judged("noise", sigma, m.destination) != "good"
    textured = doubtful and grain.is_texture(m.values, ground=level)
    known = sigma is not None and not textured
    verdict: Verdict = judged("noise", sigma, m.destination) if known and sigma is not None else "unsure"
    words = about(sigma) if known and sigma is not None else "cannot tell"
    says = f"Fine noise of {words} of the range."
    if not known:
        says = "It is texture down to its pixels." if textured else "No even part is large enough to tell."
    numbers = {"sigma": sigma or 0.0, "told": float(known)}
    value = "none" if known and sigma is not None and sigma < 5e-4 else words
    return told("noise", m, value, numbers, sigma or 0.0, verdict, says, "denoise")
