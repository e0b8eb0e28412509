"""What moves on the screen against what is there at rest: every step of kind *scales* or *tone*, on photographs."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from engraver.core.engine import Request
from engraver.core.recipe import Step
from engraver.core.steps import KINDS
from lines import line_of
from truth.fact import Fact
from truth.pictures import square

SIDE = 1024
MEAN, MOST = 0.01, 0.06
# Settings that do something where the usual ones do not.
DOES: dict[str, dict[str, object]] = {
    "crop": {"width": 0.6, "angle": 12.5},
    "turn": {"quarter": "90"},
    "exposure": {"stops": 0.5},
    "straighten": {"corners": ((0.1, 0.05), (0.95, 0.1), (0.9, 0.9), (0.05, 0.95))},
    "hand": {},
    "heal": {},
    "match": {"tones": ((0.0, 0.1), (0.5, 0.3), (1.0, 0.9))},
    "coarse-fine": {"coarse": 0.3, "fine": 2.0},
    "curve": {"points": ((0.0, 0.0), (0.3, 0.6), (1.0, 0.9))},
    "size": {"side": 700},
    "zero": {"zero": "mid"},
}


def facts(quick: bool) -> Iterator[Fact]:
    for name in ("moon",) if quick else ("moon", "gravel", "brick", "camera", "retina", "astronaut", "coffee"):
        for id, kind in KINDS.items():
            if kind.agreement == "grain" or id == "slopes":
                continue
            picture = square(name, SIDE)
            if id == "grey":
                picture = np.repeat(picture[..., None], 3, axis=2) * np.float32([1, 0.9, 0.8])
            line, engine = line_of(picture, Step.make(id, **DOES.get(id, {})))
            rest = engine.at_rest(line, Request(side=SIDE // 2)).raster.flat()
            moving = engine.evaluate(line, Request(side=SIDE // 2)).raster.flat()
            off = np.abs(moving - rest)
            yield Fact(
                "a moving preview: mean difference", f"{id} on {name}", "full size, reduced", float(off.mean()), MEAN
            )
            yield Fact(
                "a moving preview: 99 of 100 pixels",
                f"{id} on {name}",
                "full size, reduced",
                float(np.percentile(off, 99)),
                MOST,
            )
