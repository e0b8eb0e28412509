"""What pictures are read as, and what comes of them with nothing changed: open pictures, and parts of them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
import skimage.data
from numpy.typing import NDArray

from engraver.core.engine import Request
from engraver.core.files.picture import PictureFacts
from engraver.core.raster import Raster
from engraver.core.readiness.file_gauges import light_share
from engraver.core.recipe.first import FEW_LIGHT, first_steps
from engraver.core.recipe.recognise import guess
from lines import line_of
from truth.fact import Fact

Tones = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Known:
    """A picture, what it may be read as, and where its body is, if it has one."""

    what: str
    tones: Tones
    read_as: tuple[str, ...]
    body: NDArray[np.bool_] | None = None


def _tones(stored: NDArray[np.generic]) -> Tones:
    values = np.asarray(stored)
    if values.dtype == bool:
        values = values.astype(np.uint8) * np.uint8(255)
    shown = values.astype(np.float32) / 255
    if shown.ndim == 3 and shown.shape[2] == 4:  # on white paper
        shown = shown[..., :3] * shown[..., 3:] + 1 - shown[..., 3:]
    return np.ascontiguousarray(shown, np.float32)


def _get(name: str) -> Tones:
    return _tones(getattr(skimage.data, name)())


SURFACE, SCENE = ("surface",), ("surface", "subject")
# Whole pictures of scikit-image's wheel.
_WHOLE = {
    "brick": ("a wall, all over", SURFACE), "grass": ("grass, all over", SURFACE),
    "gravel": ("stones, all over", SURFACE), "immunohistochemistry": ("a stained section, all over", SURFACE),
    "moon": ("ground with craters, all over", SURFACE), "microaneurysms": ("a vessel, all over", SURFACE),
    "astronaut": ("a portrait, photographed", SCENE), "camera": ("a man in a field, photographed", SCENE),
    "cat": ("a cat's face, photographed", SCENE), "clock": ("a thing in motion on plain ground", SCENE),
    "coffee": ("a cup on a table, photographed", SCENE), "rocket": ("a rocket at night, photographed", SCENE),
    "cell": ("a bright cell on grey ground", SCENE), "page": ("print on paper, photographed", ("drawing",)),
    "text": ("handwriting on paper, photographed", ("drawing",)), "coins": ("coins on dark ground", ("relief",)),
    "hubble_deep_field": ("many lights on black", ("relief",)), "retina": ("a bright disc on black", ("subject",)),
    "horse": ("a dark silhouette on white", ("subject", "drawing")),
    "logo": ("a drawn badge on clear ground", ("subject", "drawing")),
}  # fmt: skip
# Parts of them: rows and columns.
_PARTS = {
    ("grass", "a part, all over"): (np.s_[:256, :256], SURFACE),
    ("gravel", "a part, all over"): (np.s_[200:456, 100:356], SURFACE),
    ("brick", "a part, all over"): (np.s_[:256, :256], SURFACE),
    ("moon", "a part, all over"): (np.s_[100:356, 100:356], SURFACE),
    ("immunohistochemistry", "a part, all over"): (np.s_[:256, :256], SURFACE),
    ("cat", "its eyes"): (np.s_[40:240, 120:340], SCENE), ("coffee", "the cup"): (np.s_[30:370, 80:500], SCENE),
    ("cell", "the cell at the frame"): (np.s_[150:500, 100:450], SCENE),
    ("page", "its lower half"): (np.s_[90:], ("drawing",)),
    ("page", "its left half"): (np.s_[:, :190], ("drawing",)),
    ("text", "its lower half"): (np.s_[60:], ("drawing", "surface")),
    ("hubble_deep_field", "a part, on black"): (np.s_[300:700, 300:700], ("relief",)),
    ("coins", "two rows of coins"): (np.s_[:150], ("relief",)),
    ("coins", "one coin on dark ground"): (np.s_[235:303, 5:80], ("subject",)),
}  # fmt: skip


@lru_cache(maxsize=1)
def pictures() -> tuple[Known, ...]:
    """All of them; on black and on white they are cut out with a disc or a rectangle, whose body is known."""
    known = [Known(f"{name}: {what}", _get(name), read_as) for name, (what, read_as) in _WHOLE.items()]
    known.append(Known("phantom: a bright ring with organs on black", _phantom(), ("subject",)))
    for (name, what), (part, read_as) in _PARTS.items():
        known.append(Known(f"{name}, {what}", np.ascontiguousarray(_get(name)[part]), read_as))
    y, x = np.mgrid[0:512, 0:512]
    disc, slab = np.hypot(x - 256, y - 256) < 170, (abs(x - 256) < 190) & (abs(y - 256) < 120)
    for name, body, ground, dim in (
        ("grass", disc, 0.02, 1.0), ("grass", disc, 0.96, 0.6), ("brick", slab, 0.03, 1.0),
        ("brick", slab, 0.94, 0.7),
        ("moon", disc, 0.01, 1.0), ("gravel", disc, 0.02, 1.0), ("gravel", slab, 0.97, 0.6),
    ):  # fmt: skip
        where, shape = "black" if ground < 0.5 else "white", "disc" if body is disc else "slab"
        made = np.where(body, _get(name)[:512, :512] * np.float32(dim), np.float32(ground))
        known.append(Known(f"{name}, a {shape} on {where}", made, ("subject",), body))
    horse = _get("horse")
    known.append(Known("horse, white on black", 1 - horse, ("subject",), horse < 0.5))
    printed = (0.1 + 0.8 * cv2.GaussianBlur(horse, (0, 0), 2)).astype(np.float32)
    known.append(Known("horse, a soft print on grey", printed, ("subject", "drawing"), horse < 0.5))
    known.append(Known("page, light on dark", 1 - _get("page"), ("drawing", "relief")))
    return tuple(known)


def _phantom() -> Tones:
    return np.ascontiguousarray(skimage.data.shepp_logan_phantom(), np.float32)


def facts(quick: bool) -> Iterator[Fact]:
    wrong = [k.what for k in pictures() if guess(Raster.of(k.tones)) not in k.read_as]
    case = f"{len(pictures())} pictures" + (f"; wrong: {'; '.join(wrong)}" if wrong else "")
    yield Fact("recognised: share of pictures read as something else", case, "what each shows",
               len(wrong) / len(pictures()), 0.1)  # fmt: skip
    bodies = [k for k in pictures() if k.body is not None]
    for known in bodies[:3] if quick else bodies:
        yield from _kept(known)
    disc = next(k for k in pictures() if k.what.startswith("moon, a disc"))
    scanned = PictureFacts("PNG", 512, 512, 1, 8, dpi=300.0)
    turned = float(guess(Raster.of(disc.tones), scanned) == "sheet")
    yield Fact("recognised: a bright disc on a scanner's black taken for a sheet", disc.what, "a disc", turned, 0.0)
    for name, doubtful in (("brick", True), ("grass", False), ("gravel", False), ("cat", False)):
        light = light_share(_made(_get(name)))
        told = float((light < FEW_LIGHT) != doubtful)
        yield Fact("recognised: light joints are asked about, even texture is not", name, "what it shows", told, 0.0)


def _made(tones: Tones) -> Tones:
    """The plate with nothing changed."""
    raster = Raster.of(tones)
    line, engine = line_of(raster, *first_steps(guess(raster), raster.facts(), raster))
    return engine.evaluate(line, Request(exact=True)).raster.pixels


def _kept(known: Known) -> Iterator[Fact]:
    """How much of the body stands up, by its area within its own box; and whether anything else does."""
    assert known.body is not None
    there = _made(known.tones) > 0.02
    rows, columns = np.nonzero(there.any(axis=1))[0], np.nonzero(there.any(axis=0))[0]
    box = there[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    down, across = np.nonzero(known.body.any(axis=1))[0], np.nonzero(known.body.any(axis=0))[0]
    body = known.body[down[0] : down[-1] + 1, across[0] : across[-1] + 1]
    fitted = cv2.resize(box.astype(np.float32), body.shape[::-1], interpolation=cv2.INTER_AREA) > 0.5
    lost = 1 - float((fitted & body).sum() / max((fitted | body).sum(), 1))
    yield Fact("recognised: share of a body's area lost or wrongly kept", known.what, "its outline", lost, 0.1)
