"""What a TIFF tells of the ground it shows: OGC GeoTIFF 1.1 (19-008r4), and the tags that GDAL adds."""

from __future__ import annotations

import math
import re
from typing import Any

_PIXEL_SCALE, _KEYS, _METADATA, _NODATA = 33550, 34735, 42112, 42113
_MODEL_TYPE, _GROUND_UNIT, _ANGLE_UNIT, _HEIGHT_UNIT = 1024, 3076, 2054, 4099
_GEOGRAPHIC = 2
# EPSG codes of units.
_UNITS = {9001: "m", 9002: "ft", 9003: "US ft", 9102: "°", 9122: "°"}
_TYPED = {"m": "m", "metre": "m", "meter": "m", "metres": "m", "meters": "m", "ft": "ft", "foot": "ft", "feet": "ft"}


def _keys(page: Any) -> dict[int, int]:
    """The GeoKeys that are whole numbers."""
    tag = page.tags.get(_KEYS)
    try:
        values = [int(v) for v in tag.value] if tag is not None else []
    except (TypeError, ValueError):
        return {}
    entries = [values[n : n + 4] for n in range(4, len(values) - 3, 4)]
    return {key: value for key, where, _, value in entries if where == 0}


def on_the_ground(page: Any) -> bool:
    """Whether it is a map or an elevation, by its tags."""
    return any(page.tags.get(tag) is not None for tag in (_PIXEL_SCALE, _KEYS, _NODATA))


def height_unit(page: Any) -> str:
    """The unit of its heights; "" where it tells none."""
    told = _UNITS.get(_keys(page).get(_HEIGHT_UNIT, 0), "")
    tag = page.tags.get(_METADATA)
    found = re.search(r'role="unittype"[^>]*>([^<]{1,20})<', str(tag.value)) if tag is not None else None
    return told or (_TYPED.get(found[1].strip().lower(), "") if found else "")


def spacing(page: Any) -> tuple[float, str] | None:
    """The width of a pixel on the ground and its unit; None where it tells none."""
    tag, keys = page.tags.get(_PIXEL_SCALE), _keys(page)
    try:
        wide = float(tag.value[0]) if tag is not None else 0.0
    except (TypeError, ValueError, IndexError):
        return None
    geographic = keys.get(_MODEL_TYPE) == _GEOGRAPHIC
    unit = _UNITS.get(keys.get(_ANGLE_UNIT if geographic else _GROUND_UNIT, 0), "°" if geographic else "units")
    return (wide, unit) if wide > 0 and math.isfinite(wide) else None
