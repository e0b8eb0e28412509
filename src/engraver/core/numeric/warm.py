"""Compiles every loop over pixels, outlines and strewn places, or fetches it from the cache, by using each once."""

from __future__ import annotations

import numpy as np

from ..errors import Watch, unwatched
from . import fields, kernels, outlined, point_kernels, shape_kernels, strew
from .meeting import lay, meet

# Of each way of drawing a field: straight, bent, by cells, and waves.
_FORMS = (
    fields.NoiseForm("smooth", 0.5), fields.NoiseForm("smooth", 0.5, bend=0.1), fields.NoiseForm("cells", 0.5),
    fields.NoiseForm("waves", 0.5),
)  # fmt: skip
_SQUARE = np.array([[1.0, 1.0], [6.0, 1.0], [6.0, 6.0], [1.0, 6.0]])


def warm(check: Watch = unwatched) -> None:
    """At once when it has been done. Raises Cancelled."""
    for module in (kernels, point_kernels, shape_kernels):
        module.warm()
        check()
    for form in _FORMS:
        fields.noise(8, 8, form)
        check()
    strew.at_random(4, 8.0, 8.0, 2.0, (True, False), 1)
    check()
    box = outlined.Box(0, 0, 8, 8)
    outlined.box_of(outlined.bounds((_SQUARE,)), 8, 8)
    inside = outlined.distance((_SQUARE,), box)
    outlined.deepest((_SQUARE,), box, inside)
    check()
    cover = outlined.coverage((_SQUARE,), box)
    below, built_on = np.zeros((8, 8), np.float32), np.zeros((8, 8), np.float32)
    lay(below, built_on, cover, 1.0, "higher")
    meet(below, cover, None, 1.0, "add", 0.5)
