"""Every gauge on pictures whose truth is known, made from open ones: false alarms and misses."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import cv2
import numpy as np

from engraver.core.numeric import blur
from engraver.core.readiness import shipped
from engraver.core.readiness.gauge import Measured
from engraver.core.readiness.measure import ALL
from truth.fact import Fact
from truth.pictures import grey, square

SIDE = 384
NAMES = (
    "brick",
    "grass",
    "gravel",
    "camera",
    "coins",
    "moon",
    "page",
    "text",
    "cell",
    "retina",
    "astronaut",
    "coffee",
    "cat",
    "rocket",
    "hubble_deep_field",
)
TEXTURES = ("brick", "grass", "gravel", "immunohistochemistry", "coffee", "moon")
TILES = (*TEXTURES, "cat", "astronaut", "rocket", "cell")
# Case, picture (white raises), whether something is wrong with it.
Case = tuple[str, np.ndarray, bool]
MOST = 0.1


def facts(quick: bool) -> Iterator[Fact]:
    for id, (cases, to) in CASES.items():
        alarms = misses = sound = broken = untold = 0
        wrong = []
        for case, picture, bad in cases():
            measured = Measured.of(np.ascontiguousarray(picture, np.float32), shipped()[to])
            verdict = ALL[id](measured).verdict
            untold += verdict == "unsure"
            sound, broken = sound + (not bad), broken + bad
            if verdict == "unsure" or (verdict != "good") == bad:
                continue
            alarms, misses = alarms + (not bad), misses + bad
            wrong.append(case)
        named = f"{sound} sound, {broken} broken, {untold} untold" + (
            f"; wrong: {', '.join(wrong[:6])}" if wrong else ""
        )
        yield Fact(f"gauge {id}: false alarms", named, "how each was made", alarms / max(sound, 1), MOST)
        yield Fact(f"gauge {id}: misses", named, "how each was made", misses / max(broken, 1), MOST)


def _spread(values: np.ndarray) -> np.ndarray:
    low, high = np.percentile(values, (0.5, 99.5))
    return ((values - low) / max(high - low, 1e-6)).astype(np.float32)


def _smooth(name: str, sigma: float = 1.2) -> np.ndarray:
    """A relief without steps: the picture softened, so that no eight bits are left in it."""
    values = blur.gaussian(square(name, SIDE), sigma)
    return ((values - values.min()) / np.ptp(values)).astype(np.float32)


def _fade() -> np.ndarray:
    y, x = np.mgrid[-1 : 1 : SIDE * 1j, -1 : 1 : SIDE * 1j]
    t = np.clip((0.95 - np.hypot(x, y)) / 0.4, 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


def _range() -> Iterator[Case]:
    for name in NAMES:
        relief = _smooth(name) * _fade()
        relief /= relief.max()
        yield f"{name}, all of it", relief, False
        yield f"{name}, a half", relief * 0.5, True
        hot = relief * 0.5
        hot[150, 150] = 1
        yield f"{name}, a half and one hot pixel", hot, True


def _clipping() -> Iterator[Case]:
    for name in NAMES:
        relief = _smooth(name)
        yield f"{name} as it is", relief * 0.95 + 0.02, False
        for share in (95.0, 85.0):
            top = np.percentile(relief, share)
            cut = np.minimum(relief, top) / top
            yield f"{name}, its top {100 - share:.0f} % cut", cut, True
            yield f"{name}, its top {100 - share:.0f} % cut, then 80 %", cut * 0.8, True
        mask = (relief > np.median(relief)).astype(np.float32)
        yield f"{name}, a flat top that is meant", blur.gaussian(mask, 1.5), False
        yield f"{name}, terraces", np.round(relief * 8) / 8, False


def _banding() -> Iterator[Case]:
    for name in NAMES:
        relief = _smooth(name, 3.0)
        yield f"{name}, smooth", relief, False
        yield f"{name}, sharp", _spread(square(name, SIDE)).clip(0, 1), False
        yield f"{name}, in 24 levels", np.round(relief * 23) / 23, True
        yield f"{name}, in 48 levels", np.round(relief * 47) / 47, True
        yield (
            f"{name}, in 32 levels, softened",
            blur.gaussian((np.round(relief * 31) / 31).astype(np.float32), 1.0),
            True,
        )


def _recognisable() -> Iterator[Case]:
    for name in NAMES:
        relief = _smooth(name)
        spread = _spread(relief).clip(0, 1)
        yield f"{name}, faded", spread * _fade(), False
        yield f"{name}, faint on a disc", (0.7 + 0.03 * (spread - 0.5)) * _fade(), True
    yield "an empty disc", _fade(), True


def _lift() -> Iterator[Case]:
    for name in NAMES:
        relief = _smooth(name) - blur.gaussian(_smooth(name), 40)
        relief = relief / np.abs(relief).max()
        yield f"{name}, about zero", (0.5 + 0.3 * relief * _fade()), False
        step = np.where(np.arange(SIDE)[None] < SIDE // 2, 0.7, -0.7) * _fade()
        yield f"{name}, one half up, one half down", 0.5 + 0.5 * np.clip(step + 0.2 * relief, -1, 1), True
        yield f"{name}, all of it up", 0.5 + 0.5 * np.clip(0.75 + 0.2 * relief, 0, 1) * _fade(), True


def _steepness() -> Iterator[Case]:
    for name in NAMES:
        relief = blur.gaussian(square(name, SIDE), 6.0)
        relief = (relief - relief.min()) / np.ptp(relief)
        yield f"{name}, soft", relief * _fade(), False
        wall = (relief > np.median(relief)).astype(np.float32)
        yield f"{name}, walls", wall, True
        few = (relief > np.percentile(relief, 90)).astype(np.float32)
        yield f"{name}, few walls", few, True


def _evenness() -> Iterator[Case]:
    y, x = np.mgrid[0 : 1 : SIDE * 1j, 0 : 1 : SIDE * 1j]
    for name in TEXTURES:
        fine = square(name, SIDE) - blur.gaussian(square(name, SIDE), 24)
        fine = fine / fine.std() * 0.1 + 0.5
        yield f"{name}, even", fine.clip(0, 1), False
        for place in ((0.3, 0.4), (0.7, 0.6)):
            spot = np.exp(-((x - place[0]) ** 2 + (y - place[1]) ** 2) / 2 / 0.02**2)
            yield f"{name}, one bright spot at {place}", (fine + 3 * spot).astype(np.float32), False
        for amount in (0.3, 0.6):
            yield f"{name}, {amount:.0%} lighter on one side", (fine + amount * x).clip(0, 1), True
            spotted = fine + amount * x
            spotted[100:110, 200:210] += 3
            yield f"{name}, {amount:.0%} lighter on one side, and a spot", spotted.astype(np.float32), True


def _noise() -> Iterator[Case]:
    rng = np.random.default_rng(4)
    for name in NAMES:
        relief = _smooth(name, 2.0)
        noisy = (0.1 + 0.8 * relief + rng.normal(0, 0.03, relief.shape)).clip(0, 1)
        yield f"{name}, soft", 0.1 + 0.8 * relief, False
        yield f"{name}, with noise of 3 %", noisy.astype(np.float32), True
    for name in TEXTURES:
        yield f"{name}, a clean texture", _spread(square(name, SIDE)).clip(0, 1) * 0.8 + 0.1, False


def _border() -> Iterator[Case]:
    for name in NAMES:
        relief = (_smooth(name) - 0.5) * _fade()
        yield f"{name}, faded about mid-grey", 0.5 + relief, False
        twin = np.floor((0.5 + relief) * 65535 + 0.5) / 65535
        yield f"{name}, its 16-bit twin", twin.astype(np.float32), False
        yield f"{name}, as it is", _smooth(name), True


def _repeat() -> Iterator[Case]:
    for name in TILES:
        tile = square(name, SIDE)
        # The photo of grass was made to repeat by copying: two patches of it are there twice.
        yield f"{name}, as it is", tile, name == "grass"
        for size, by in ((70, 150), (110, 200)):
            copied = tile.copy()
            copied[40 + by : 40 + by + size, 60 : 60 + size] = tile[40 : 40 + size, 90 : 90 + size]
            yield f"{name}, a patch of {size} px copied", copied, True


def _seam() -> Iterator[Case]:
    for name in TILES:
        tile = square(name, SIDE)
        mirrored = np.concatenate([tile, tile[:, ::-1]], axis=1)
        mirrored = cv2.resize(np.concatenate([mirrored, mirrored[::-1]]), (SIDE, SIDE), interpolation=cv2.INTER_AREA)
        yield f"{name}, mirrored", mirrored, False
        yield f"{name}, mirrored and rolled", np.roll(mirrored, (97, 41), (0, 1)), False
        yield f"{name}, faded to a disc", tile * _fade(), True
        shift = tile + np.linspace(0, 0.5, SIDE, dtype=np.float32)[None]
        yield f"{name}, lighter on one side", shift, True
        # A plank with its dark joints: they fit each other, and show at every repeat.
        joint = 1 - 0.9 * np.exp(-(np.minimum(np.arange(SIDE), SIDE - 1 - np.arange(SIDE)) ** 2) / 2 / 3**2)
        yield f"{name}, a plank with its joints", mirrored * joint[None].astype(np.float32), True


def _centre() -> Iterator[Case]:
    for name in NAMES:
        figure = _figure(name)
        total = float(figure.sum())
        away = [round(SIDE / 2 - float((figure.sum(axis=a) * (np.arange(SIDE) + 0.5)).sum()) / total) for a in (1, 0)]
        middle = np.roll(figure, away, axis=(0, 1))
        yield f"{name}, in the middle", middle, False
        yield f"{name}, 1 % off", np.roll(middle, round(0.01 * SIDE), axis=0), False
        yield f"{name}, 4 % off", np.roll(middle, round(0.04 * SIDE), axis=1), True


def _size() -> Iterator[Case]:
    """The destination takes squares of a power of two from 256 to 4096."""
    for power in range(8, 13):
        side = 2**power
        yield f"{side} pixels", np.zeros((side, side), np.float32), False
        for rows, columns in ((side + 1, side + 1), (side - 1, side - 1), (side, side // 2), (side * 3 // 4,) * 2):
            yield f"{rows} by {columns}", np.zeros((rows, columns), np.float32), True
    for side in (1, 16, 30, 64, 128):
        yield f"{side} pixels", np.zeros((side, side), np.float32), True


def _polarity() -> Iterator[Case]:
    for name in NAMES:
        figure = _figure(name)
        yield f"{name}, raises", figure, False
        yield f"{name}, cuts", -figure, True


def _detail() -> Iterator[Case]:
    for name in ("grass", "gravel", "camera", "coins", "page", "text", "retina"):
        tones = grey(name)
        least = min(tones.shape) // 4 * 4
        own = np.ascontiguousarray(tones[:least, :least])
        yield f"{name} as it is", own, False
        for by in (2, 4):
            small = cv2.resize(own, (least // by,) * 2, interpolation=cv2.INTER_AREA)
            for how, way in (
                ("cubic", cv2.INTER_CUBIC),
                ("linear", cv2.INTER_LINEAR),
                ("lanczos", cv2.INTER_LANCZOS4),
            ):
                yield f"{name} enlarged by {by}, {how}", cv2.resize(small, (least, least), interpolation=way), True


def _stairs() -> Iterator[Case]:
    for name in NAMES:
        fine = blur.gaussian(square(name, 3 * SIDE), 6.0)
        level = float(np.median(fine))
        yield f"{name}, cut at its size", _sized((fine > level).astype(np.float32), cv2.INTER_AREA), False
        yield f"{name}, cut at its size, no tone between", (_sized(fine, cv2.INTER_AREA) > level), False
        yield f"{name}, a relief", _smooth(name) * _fade(), False
        for factor in (2, 3.3, 6):
            small = cv2.resize(fine, (round(SIDE / factor),) * 2, interpolation=cv2.INTER_AREA)
            for how, way in (("cubic", cv2.INTER_CUBIC), ("pixels", cv2.INTER_NEAREST)):
                yield f"{name}, enlarged by {factor}, {how}", _sized((small > level).astype(np.float32), way), True


def _sized(values: np.ndarray, way: int) -> np.ndarray:
    return cv2.resize(values, (SIDE, SIDE), interpolation=way)


def _figure(name: str) -> np.ndarray:
    """A figure with a picture's own outline in the middle of black ground."""
    y, x = np.mgrid[-1 : 1 : SIDE * 1j, -1 : 1 : SIDE * 1j]
    wide = blur.gaussian(square(name, SIDE), 8.0)
    likely = wide / wide.max() + 0.8 * (1 - 1.3 * np.hypot(x, y))
    _, labels, stats, _ = cv2.connectedComponentsWithStats((likely > np.percentile(likely, 72)).astype(np.uint8))
    largest = (labels == 1 + stats[1:, cv2.CC_STAT_AREA].argmax()).astype(np.float32)
    return blur.gaussian(largest, 2.0) * (0.5 + 0.5 * _smooth(name))


def _cut_off() -> Iterator[Case]:
    border = np.minimum(np.arange(SIDE) + 0.5, SIDE - np.arange(SIDE) - 0.5)
    fade = np.clip(np.minimum(border[:, None], border[None]) / (0.08 * SIDE), 0, 1).astype(np.float32)
    for name in NAMES:
        figure = _figure(name)
        rows, columns = (np.nonzero((figure > 0.05).any(axis=a))[0] for a in (1, 0))
        yield f"{name}, whole", figure, False
        yield f"{name}, all over, faded", _smooth(name) * _fade(), False
        touching = np.roll(figure, -int(columns[0]), axis=1)
        yield f"{name}, just at the frame", touching, False
        out = int(columns[0]) + round(0.25 * float(np.ptp(columns)))
        left = np.concatenate([figure[:, out:], np.zeros((SIDE, out), np.float32)], axis=1)
        yield f"{name}, a quarter out at the left", left, True
        yield f"{name}, the same, faded", left * fade, True
        down = SIDE - int(rows[-1]) + round(0.2 * float(np.ptp(rows)))
        low = np.concatenate([np.zeros((down, SIDE), np.float32), figure[:-down]])
        yield f"{name}, a fifth out below", low, True


# Which destination each set is judged for, by gauge.
_MADE: dict[str, tuple[Callable[[], Iterator[Case]], ...]] = {
    "sculpt-stamp": (
        _size,
        _centre,
        _polarity,
        _cut_off,
        _stairs,
        _range,
        _clipping,
        _steepness,
        _banding,
        _detail,
        _noise,
        _recognisable,
    ),
    "sculpt-stamp-mid": (_border, _lift),
    "tiling-height": (_seam, _evenness, _repeat),
}
CASES = {make.__name__.removeprefix("_").replace("_", "-"): (make, to) for to, some in _MADE.items() for make in some}
