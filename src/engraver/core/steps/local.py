"""Local contrast: every neighbourhood alike, sharper edges, and the relief in layers of coarse and fine."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import cv2
import numpy as np

from ..errors import Watch
from ..numeric import blur, tone, wide
from ..params import Params, choice, flag, fraction, length, number
from ..raster import Pixels, Raster
from .kind import StepContext, StepKind, banded, measuring_mask, toned_extent

LAYERS = ("coarse", "medium", "fine", "finest")
# Each layer's features are a quarter as wide as those of the one above.
RATIO = 4.0


class LocalContrast(Params):
    amount: float = fraction(0.6, 0.0, 1.0, "Amount", "How far every neighbourhood is brought to the usual spread.")
    size: float = length(0.05, 0.005, 0.5, "Size", "Width of a neighbourhood.", soft=(0.01, 0.25))
    limit: float = number(4.0, 1.0, 20.0, "Limit", "Nothing is strengthened more than so many times.", step=0.1)


def _local_spread(raster: Raster, size: float) -> tuple[Pixels, Pixels]:
    """Mean and spread of a Gaussian window at every pixel of a reduced picture; of what is there."""
    sigma = size / 2 * raster.shorter
    factor = wide.factor_for(sigma)
    values = raster.pixels if raster.coverage is None else blur.spread(raster.pixels, raster.coverage)
    mean = wide.soften(wide.reduced(values, factor, raster.wrap), sigma, factor, raster.wrap)
    square = wide.soften(wide.squared(values, factor, raster.wrap), sigma, factor, raster.wrap)
    return mean, np.sqrt(np.maximum(square - mean * mean, 0))


def _local(raster: Raster, params: LocalContrast, context: StepContext) -> Raster:
    """(v - m) (S / s)^amount about the mean m of a Gaussian window, s its spread, S the plate's usual one.

    Local normalisation; the filter of R. Wallis (1976) with a limit on the gain.
    """
    if params.amount == 0:
        return raster
    mean, spread = _local_spread(raster, params.size)
    context.check()
    usual = max(context.autos["spread"], 1e-6)
    np.maximum(spread, np.float32(usual * 1e-3), out=spread)
    gain = tone.power(np.float32(usual) / spread, params.amount)
    np.clip(gain, 1 / params.limit, params.limit, out=gain)
    lift = wide.enlarged(mean * (1 - gain), raster.height, raster.width, raster.wrap)
    context.check()
    times = wide.enlarged(gain, raster.height, raster.width, raster.wrap)

    def lifted(values: Pixels, by: Pixels, more: Pixels, out: Pixels) -> None:
        np.multiply(values, by, out=out)
        out += more

    return raster.but(pixels=banded(raster.pixels, lifted, context.check, times, lift))


def _usual_spread(raster: Raster, params: LocalContrast, context: StepContext) -> dict[str, float]:
    _, spread = _local_spread(raster, params.size)
    mask = measuring_mask(raster, context.outline)
    if mask is not None:
        mask = cv2.resize(mask, (spread.shape[1], spread.shape[0]), interpolation=cv2.INTER_NEAREST)
    some = spread if mask is None else spread[mask > 0]
    return {"spread": float(np.sqrt((some.astype(np.float64) ** 2).mean())) if some.size else 1.0}


def _tell_spread(params: LocalContrast, autos: Mapping[str, float]) -> str:
    return f"Usual spread here: {autos['spread'] * 100:.1f} % of the range" if autos else ""


LOCAL_CONTRAST = StepKind(
    id="local-contrast", name="Local contrast", group="contrast",
    help="Brings every neighbourhood to a similar spread, without halos or steps.",
    params=LocalContrast, apply=_local, extent=toned_extent, agreement="tone",
    measure=_usual_spread, measures=lambda p: p.amount > 0, tells=_tell_spread,
    words=("clarity", "equalise", "adaptive"),
)  # fmt: skip


class Sharpen(Params):
    radius: float = length(0.002, 0.0003, 0.1, "Radius", "Standard deviation of the mask's blur.", step=0.0001,
                           soft=(0.0005, 0.02))  # fmt: skip
    amount: float = number(0.8, 0.0, 5.0, "Amount", "How much of it is added.", step=0.05, soft=(0.0, 3.0))
    floor: float = fraction(0.0, 0.0, 0.5, "Floor", "Smaller differences stay.", step=0.002, soft=(0, 0.1))


def _sharpen(raster: Raster, params: Sharpen, context: StepContext) -> Raster:
    """Unsharp mask: what a Gaussian takes away is added once more; below the floor nothing, above it the rest."""
    soft = blur.normalised(raster.pixels, raster.coverage, params.radius * raster.shorter, raster.wrap)
    context.check()
    floor, amount = np.float32(params.floor), np.float32(params.amount)

    def sharper(values: Pixels, smooth: Pixels, out: Pixels) -> None:
        np.subtract(values, smooth, out=out)
        if floor > 0:
            out -= np.clip(out, -floor, floor)
        out *= amount
        out += values

    return raster.but(pixels=banded(raster.pixels, sharper, context.check, soft))


SHARPEN = StepKind(
    id="sharpen", name="Sharpen", group="contrast", help="Strengthens edges and fine relief by an unsharp mask.",
    params=Sharpen, apply=_sharpen, extent=toned_extent, agreement="scales",
    words=("unsharp", "detail", "crisp"),
)  # fmt: skip


class CoarseFine(Params):
    coarse: float = number(1.0, -2.0, 4.0, "Coarse", "Gain of what is widest.", step=0.02, soft=(0.0, 2.0))
    medium: float = number(1.0, -2.0, 6.0, "Medium", "Gain of the layer below.", step=0.02, soft=(0.0, 3.0))
    fine: float = number(1.0, -2.0, 6.0, "Fine", "Gain of the fine relief.", step=0.02, soft=(0.0, 3.0))
    finest: float = number(1.0, -2.0, 6.0, "Finest", "Gain of the grain.", step=0.02, soft=(0.0, 3.0))
    size: float = length(0.08, 0.02, 0.5, "Coarse from", "Wider is coarse; each layer is a quarter.",
                         soft=(0.03, 0.3))  # fmt: skip
    edges: bool = flag(False, "Keep edges", "Steps stay whole in the coarse layer: no halo beside them.")
    grip: float = fraction(0.1, 0.005, 1.0, "Grip", "Steps in tone above this stay whole.", when={"edges": True},
                           soft=(0.01, 0.5))  # fmt: skip
    alone: Literal["coarse", "medium", "fine", "finest"] = choice(
        "coarse", {name: name.capitalize() for name in LAYERS}, "Look at", "What Show the layer shows.",
    )  # fmt: skip


def layers(raster: Raster, params: CoarseFine, context: StepContext) -> tuple[Pixels, Pixels, Pixels, Pixels]:
    """Coarse, medium, fine and finest, which add up to the pixels.

    The Laplacian pyramid of P. J. Burt and E. H. Adelson, "The Laplacian Pyramid as a Compact
    Image Code" (IEEE Transactions on Communications 31, 1983), every layer kept at full size.
    """
    soft = [raster.pixels]
    for n in (2, 1, 0):
        sigma = params.size / 2 / RATIO**n * raster.shorter
        if params.edges:
            soft.append(wide.edge_keeping(raster.pixels, sigma, params.grip, raster.wrap, raster.coverage))
        else:
            soft.append(blur.normalised(raster.pixels, raster.coverage, sigma, raster.wrap))
        context.check()
    return soft[3], soft[2] - soft[3], soft[1] - soft[2], soft[0] - soft[1]


def _mean(coarse: Pixels, coverage: Pixels | None) -> np.float32:
    return np.float32(coarse.mean() if coverage is None else np.average(coarse, weights=coverage + 1e-9))


def _coarse_fine(raster: Raster, params: CoarseFine, context: StepContext) -> Raster:
    """The layers with gains of their own; the coarse one about its mean, so that the plate stays at its height."""
    gains = params.coarse, params.medium, params.fine, params.finest
    if raster.coverage is None and not params.edges:
        return raster.but(pixels=_summed(raster, params, gains, context.check))
    coarse, medium, fine, finest = layers(raster, params, context)
    total = coarse
    if params.coarse != 1:
        mean = _mean(coarse, raster.coverage)
        total = (coarse - mean) * np.float32(params.coarse) + mean
    for layer, gain in ((medium, params.medium), (fine, params.fine), (finest, params.finest)):
        total = total + layer * np.float32(gain)
    return raster.but(pixels=total)


def _summed(
    raster: Raster, params: CoarseFine, gains: tuple[float, float, float, float], check: Watch
) -> Pixels:  # fmt: skip
    """The same sum by blurs: every layer is a difference of two, and their smooth parts are added small."""
    coarse, medium, fine, finest = gains
    sigmas = [params.size / 2 / RATIO**n * raster.shorter for n in (2, 1, 0)]
    factor = wide.factor_for(sigmas[0])
    small = wide.reduced(raster.pixels, factor, raster.wrap)
    soft = [wide.soften(small, sigma, factor, raster.wrap, to_draw=True) for sigma in sigmas]
    smooth = np.float32(fine - finest) * soft[0] + np.float32(medium - fine) * soft[1]
    smooth += np.float32(coarse - medium) * soft[2]
    smooth += np.float32(1 - coarse) * soft[2].mean()
    wide_part = wide.drawn(smooth, raster.height, raster.width, raster.wrap)

    def joined(values: Pixels, smooth: Pixels, out: Pixels) -> None:
        np.multiply(values, np.float32(finest), out=out)
        out += smooth

    return banded(raster.pixels, joined, check, wide_part)


def _alone(raster: Raster, params: CoarseFine, context: StepContext) -> Raster:
    found = layers(raster, params, context)[LAYERS.index(params.alone)]
    if params.alone != "coarse":
        found = found * np.float32(getattr(params, params.alone)) + np.float32(0.5)
    return raster.but(pixels=found, zero="mid" if params.alone != "coarse" else raster.zero)


COARSE_FINE = StepKind(
    id="coarse-fine", name="Coarse and fine", group="contrast",
    help="Gains for coarse, medium, fine and finest relief: keep the grain and lose the bulge, or the other way.",
    params=CoarseFine, apply=_coarse_fine, extent=toned_extent, agreement="scales",
    reveal=_alone, revealed="the layer",
    words=("frequency", "bands", "detail", "multiscale"),
)  # fmt: skip
