"""All gauges of what would be delivered, in fixed order, the cheap ones first."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

from ..errors import Watch, unwatched
from ..numeric.split_rows import split_rows
from ..raster import Pixels, Wrap
from .destinations import Destination
from .edge_gauges import cut_gauge, stairs_gauge
from .file_gauges import border_gauge, clipping_gauge, polarity_gauge, range_gauge, size_gauge
from .form_gauges import centre_gauge, lift_gauge, seen_gauge, steepness_gauge
from .gauge import Gauge, Measured
from .grain_gauges import banding_gauge, detail_gauge, noise_gauge
from .kinds import KINDS
from .tile_gauges import evenness_gauge, repeat_gauge, seam_gauge

_Make = Callable[[Measured], Gauge]
ALL: Mapping[str, _Make] = MappingProxyType({
    "size": size_gauge, "range": range_gauge, "clipping": clipping_gauge, "border": border_gauge,
    "seam": seam_gauge, "cut-off": cut_gauge, "lift": lift_gauge, "steepness": steepness_gauge,
    "stairs": stairs_gauge, "banding": banding_gauge, "detail": detail_gauge, "noise": noise_gauge,
    "centre": centre_gauge, "evenness": evenness_gauge, "repeat": repeat_gauge, "recognisable": seen_gauge,
    "polarity": polarity_gauge,
})  # fmt: skip
# Larger plates keep every core busy with each gauge, and memory counts.
_BESIDE = 2048 * 2048
SLOW = tuple(id for id, kind in KINDS.items() if kind.slow)


def that_apply(to: Destination, wrap: Wrap = (False, False)) -> tuple[str, ...]:
    """The gauges that say something for this destination."""
    tiles = to.tiling != "none" or any(wrap)
    out = set(to.left_out)
    if to.border == "free" or to.tiling == "both":
        out.add("border")  # a stamp's border counts also where the plate goes on in itself: the stamp does not
    if to.border == "free" or to.tiling == "both" or all(wrap):
        out.add("cut-off")
    if to.kind != "height":
        out |= {"lift", "steepness"}
    out |= {"lift", "centre", "cut-off"} if tiles else {"seam", "evenness", "repeat"}
    return tuple(id for id in KINDS if id not in out)


def gauges(m: Measured, check: Watch = unwatched, *, only: tuple[str, ...] | None = None) -> list[Gauge]:
    """The gauges that apply, in fixed order; ``only`` some of them. Of a small plate one on each core."""
    ids = [id for id in that_apply(m.destination, m.wrap) if only is None or id in only]
    found: dict[str, Gauge] = {}
    # What takes long begins first, so that no core waits for the other at the end.
    order = [*(id for id in SLOW[::-1] if id in ids), *(id for id in ids if id not in SLOW)]

    def take(first: int, end: int) -> None:
        for id in order[first:end]:
            check()
            found[id] = ALL[id](m)

    if m.values.size <= _BESIDE:
        split_rows(take, len(ids), 1)
    else:
        take(0, len(ids))
    return [found[id] for id in ids]


def measure(pixels: Pixels, destination: Destination, wrap: Wrap = (False, False)) -> list[Gauge]:
    """All gauges of a picture delivered for ``destination`` in its own polarity, in fixed order."""
    return gauges(Measured.of(pixels, destination, wrap))
