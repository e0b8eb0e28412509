"""Gauges of what repeats: seam, evenness, repeat."""

from __future__ import annotations

from ..numeric import seam
from ..numeric.copied import copied
from .gauge import Gauge, Measured, judged, told

_BLOCKS = 6


def seam_gauge(m: Measured) -> Gauge:
    """The worse of the wraps along the axes that are to repeat."""
    values = m.stored
    found = [seam.seam(values)] if m.wrap[0] else []
    if m.wrap[1]:
        found.append(seam.seam_down(values))
    worst = max(found, key=lambda s: s.over)
    flat = all(s.flat for s in found)
    verdict = judged("seam", worst.over, m.destination)
    rank = max(worst.step, worst.bend)
    says = "Nobody sees where it repeats." if not flat else "The plate is flat: it has no seam."
    if all(m.wrap) and m.faded and not m.flat:
        numbers = {"over": 2 * seam.FAULT, "step_rank": 1.0, "bend_rank": 1.0}
        words = "It fades out before its border: every repeat shows as a shape."
        return told("seam", m, "a shape", numbers, 2 * seam.FAULT, "fault", words, "seamless")
    if verdict != "good":
        says = f"The step over its border is {worst.over:.1f} times what its inside has: the seam will show."
    numbers = {"over": worst.over, "step_rank": worst.step, "bend_rank": worst.bend}
    rim = max(s.rim for s in found)
    if verdict == "good" and rim > seam.RIM:
        verdict, numbers["over"] = judged("seam", (seam.GOOD + seam.FAULT) / 2, m.destination), worst.over
        says = "A strong edge lies along its border, and nowhere else: every repeat shows as a shape."
        return told("seam", m, "an edge", numbers, (seam.GOOD + seam.FAULT) / 2, verdict, says, "seamless")
    return told("seam", m, "flat" if flat else f"{rank * 100:.0f} %", numbers, worst.over, verdict, says, "seamless")


def evenness_gauge(m: Measured) -> Gauge:
    """Spread of the means of 6 by 6 blocks against the spread of the whole; of a strip 6 along it."""
    values = m.stored
    counts = [min(_BLOCKS, n) if on else 1 for n, on in zip(values.shape, (m.wrap[1], m.wrap[0]), strict=True)]
    rows, columns = (n // count for n, count in zip(values.shape, counts, strict=True))
    part = values[: rows * counts[0], : columns * counts[1]]
    blocks = part.reshape(part.shape[0] // rows, rows, part.shape[1] // columns, columns).mean(axis=(1, 3))
    whole = float(values.std())
    uneven = float(blocks.std()) / whole if whole > 1e-6 else 0.0
    verdict = judged("evenness", uneven, m.destination)
    says = (
        "It is even all over." if verdict == "good" else "It has lighter and darker parts, which show when repeated."
    )
    value = "flat" if whole <= 1e-6 else f"{uneven:.2f}"
    return told("evenness", m, value, {"spread": uneven}, uneven, verdict, says, "even")


def repeat_gauge(m: Measured) -> Gauge:
    """Strongest peak of the autocorrelation off the centre; a pattern that is regular is meant to repeat."""
    found = seam.repeat(m.stored, m.wrap)
    verdict = "good" if found.regular else judged("repeat", found.strength, m.destination)
    says = "Nothing in it repeats by itself."
    if found.regular:
        says = f"A regular pattern, with a step of {found.away * 100:.0f} % of its side."
    elif verdict == "good":
        patch = copied(m.stored)
        if patch.share:
            verdict = "look"
            says = f"A patch is there twice, {patch.away * 100:.0f} % of its side apart."
    else:
        says = f"Something is there twice, {found.away * 100:.0f} % of its side apart: it will be seen."
    numbers = {"strength": found.strength, "distance": found.away, "regular": float(found.regular)}
    return told("repeat", m, "regular" if found.regular else f"{found.strength:.2f}", numbers,
                found.strength, verdict, says)  # fmt: skip
