"""Margins, rings, posts and ink: counted pixel by pixel, and on open pictures."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from engraver.core.engine import Request
from engraver.core.files.write import quantise
from engraver.core.raster import Raster
from engraver.core.readiness.deliver import deliver
from engraver.core.readiness.destinations import destination
from engraver.core.recipe import Step
from lines import line_of, run
from truth.fact import Fact
from truth.pictures import ALL_OVER, PHOTOS, grey, square


def finished(picture: np.ndarray | Raster, *steps: Step) -> Raster:
    line, engine = line_of(picture, *steps)
    return engine.evaluate(line, Request(exact=True)).raster


def facts(quick: bool) -> Iterator[Fact]:
    names = ("page", "coins") if quick else PHOTOS
    yield from _ink(names)
    yield from _margins()
    yield from _rings(("gravel",) if quick else ALL_OVER)
    yield from _posts(names)
    yield from _centred()
    yield from _cut_out()


def _ink(names: tuple[str, ...]) -> Iterator[Fact]:
    """Alpha is the ink: what the same tip with black marks holds as darkness."""
    marks, clear = destination("paint-tip"), destination("clear-tip")
    for name in names:
        picture = square(name, 256)
        for what, steps in (
            ("as it is", ()),
            ("faded", (Step.make("falloff"),)),
            ("cut out", (Step.make("isolate", how="tone"), Step.make("falloff", outline="square"))),
        ):
            plate = finished(picture, *steps)
            made, dark = deliver(plate, clear), deliver(plate, marks).pixels
            off = float(np.abs(quantise(made.alpha, "8") / 255 - (1 - np.clip(dark, 0, 1))).max())
            yield Fact("a tip on clear ground: alpha", f"{name} {what}", "the darkness of black marks", off, 1 / 255)
            yield Fact(
                "a tip on clear ground: spread of its ink",
                f"{name} {what}",
                "one even ink",
                float(np.ptp(made.ink) + made.ink.max()),
                0,
            )


def _margins() -> Iterator[Fact]:
    for side in (512, 500, 1023):
        for margin in (0, 1, 8, 33):
            for fade in (0.0, 0.1):
                made = run(
                    "falloff",
                    np.ones((side, side), np.float32),
                    outline="square",
                    margin=margin / side,
                    fade=fade,
                    ragged=0.0,
                    profile="straight",
                ).flat()
                row = made[side // 2]
                free = int(np.argmax(row > 0)), int(np.argmax(row[::-1] > 0))
                off = max(abs(n - max(1, margin)) for n in free)
                yield Fact(
                    "a typed margin: rows at zero",
                    f"{margin} px in {side}, fade {fade:.0%}",
                    "what was typed; the outermost ring always",
                    off,
                    0,
                )
                if fade == 0:
                    white = side - 2 * max(1, margin)
                    yield Fact(
                        "a typed margin without fade: white rows",
                        f"{margin} px in {side}",
                        "the side less both margins",
                        abs(int((row == 1).sum()) - white),
                        0,
                    )
    disc = run("falloff", np.ones((400, 400), np.float32), margin=0.05, fade=0.0, ragged=0.0).flat()
    yield Fact(
        "a disc cut clean: its area",
        "radius 180 px",
        "pi r² (exact coverage would give it)",
        abs(float(disc.sum()) / (np.pi * 180**2) - 1),
        1e-4,
    )


def _rings(names: tuple[str, ...]) -> Iterator[Fact]:
    for name in names:
        for how, step in (
            ("falloff", Step.make("falloff", margin=0.0, outline="square", fade=0.0)),
            ("clear border", Step.make("clear-border")),
        ):
            for side in (64, 100, 333, 1024):
                for filter in ("auto", "lanczos", "mitchell"):
                    made = finished(grey(name), step, Step.make("size", side=side, filter=filter, hold=0.5)).flat()
                    ring = np.concatenate([made[0], made[-1], made[:, 0], made[:, -1]])
                    yield Fact(
                        "a ring cleared before Size",
                        f"{how} of {name}, then {side} px by {filter}",
                        "0 to the last bit",
                        float(np.abs(ring).max()),
                        0,
                    )
        plate = finished(grey(name), Step.make("falloff", margin=0.0))
        for to in ("sculpt-stamp", "terrain-grid", "paint-tip"):
            sent = deliver(plate, destination(to), side=129, judge=True)
            ring = np.abs(
                np.concatenate([sent.pixels[0], sent.pixels[-1], sent.pixels[:, 0], sent.pixels[:, -1]])
                - (destination(to).raises == "black")
            )
            yield Fact("a delivered ring", f"{name} faded, as {to}", "0 to the last bit", float(ring.max()), 0)


def _posts(names: tuple[str, ...]) -> Iterator[Fact]:
    """Grids of 2^n + 1: the points at the border are the terrain's own, and neighbours share them."""
    rule = "power-of-two-plus-one"
    for name in names:
        terrain = square(name, 513)
        made = run("size", terrain, side=257, rule=rule).pixels
        yield Fact(
            "posts of a grid, half as many",
            f"{name}, 513 to 257",
            "every second post",
            float(np.abs(made - terrain[::2, ::2]).max()),
            0,
        )
        back = run("size", made, side=513, rule=rule).pixels[::2, ::2]
        off = float(np.abs(back - made).max())
        yield Fact("posts of a grid, twice as many: the old ones", f"{name}, 257 to 513", "themselves", off, 1e-6)
        wide = np.concatenate([terrain, terrain[:, -2::-1]], axis=1)
        for side in (129, 257, 1025):
            for filter in ("auto", "mitchell", "area"):
                left, right = (
                    run("size", np.ascontiguousarray(part), side=side, rule=rule, filter=filter).pixels
                    for part in (wide[:, 100:501], wide[:, 500:901])
                )
                yield Fact(
                    "two neighbouring grids",
                    f"{name}, 401 to {side} posts by {filter}",
                    "one common edge",
                    float(np.abs(left[:, -1] - right[:, 0]).max()),
                    0,
                )


def _centred() -> Iterator[Fact]:
    """Nothing of what has an end is left in the margin."""
    y, x = np.mgrid[0:300, 0:300] / 300.0
    for soft in (0.02, 0.06, 0.1):
        blob = np.exp(-((x - 0.42) ** 2 + (y - 0.55) ** 2) / 2 / soft**2).astype(np.float32)
        blob[blob < 1e-3] = 0
        for margin in (0.02, 0.1):
            made = run("centre", blob, margin=margin).flat()
            inner = np.zeros(made.shape, bool)
            edge = round(margin * 300)
            inner[edge:-edge, edge:-edge] = True
            left = float(np.abs(made[~inner]).max() / np.abs(made).max())
            yield Fact(
                "a soft blob centred: what is left in the margin",
                f"{soft:.0%} wide, margin {margin:.0%}",
                "nothing that an 8-bit file shows",
                left,
                1 / 255,
            )


def _cut_out() -> Iterator[Fact]:
    """What an isolating step leaves uncovered is ground for bevels, pillows and thickening."""
    y, x = np.mgrid[0:200, 0:200] + 0.5
    cover = np.clip(60.5 - np.hypot(x - 100, y - 100), 0, 1).astype(np.float32)
    shape = Raster.of(np.full((200, 200), 0.9, np.float32), cover)
    whole = Raster.of(np.full((200, 200), 0.9, np.float32) * cover)
    for id, values in (("bevel", {"width": 0.1}), ("inflate", {}), ("thicken", {"by": 0.05})):
        off = float(np.abs(run(id, shape, **values).flat() - run(id, whole, **values).flat()).max())
        yield Fact("a shape that was cut out", f"{id} of a disc", "the same of the disc on black", off, 1e-6)
