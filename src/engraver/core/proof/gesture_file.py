"""Gestures from a JSON file, for the terminal: checked, with words that name the gesture."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

import numpy as np
from pydantic import ValidationError

from .. import limits
from ..curves.model import Curve
from ..errors import BadValue
from ..pressing.gesture import GESTURES, MOST_POINTS, Gesture, packed_points
from ..pressing.settings import StrokeSettings, checked
from ..surfaces.kind import Geometry

_KEYS = ("kind", "plate", "points", "settings", "mirror", "arms", "corner", "keeps", "on", "curve")
_FORM = '{"gestures": [{"kind": "stroke", "plate": 0, "points": [[x, y, pressure], ...], "settings": {...}}, ...]}'


def read_gestures(
    data: bytes, name: str, geometry: Geometry, plates: int, *, seed: int = 1, common: Mapping[str, Any] | None = None
) -> tuple[Gesture, ...]:
    """The gestures of a file.

    Parameters
    ----------
    data : bytes
        As docs/press.md says: points are x right and y down in shares of the surface's own coordinates, and a
        pressure 0..1 that may be left out.
    geometry : Geometry
        Of the surface, for its coordinates.
    plates : int
        How many plates there are to name, counted from 0.
    seed : int
        Of what happens by chance; each gesture has its own from it.
    common : mapping, optional
        Settings of all gestures that do not say otherwise.

    Raises
    ------
    BadValue
        It is not what such a file holds; its words name the gesture.
    """
    try:
        values = json.loads(data)
    except (ValueError, RecursionError):
        raise BadValue(f"{name} cannot be read", "it is no JSON", f"It is {_FORM}") from None
    listed = values.get("gestures") if isinstance(values, dict) else None
    if not isinstance(listed, list):
        raise BadValue(f"{name} holds no gestures", "", f"It is {_FORM}")
    if len(listed) > limits.GESTURES:
        raise BadValue(f"{name} holds {len(listed):,} gestures", f"a trial has {limits.GESTURES:,} at most")
    base = checked(**(common or {}))
    return tuple(
        _gesture(one, f"{name}, gesture {n + 1}", geometry, plates, seed + n, base) for n, one in enumerate(listed)
    )


def _gesture(values: Any, where: str, geometry: Geometry, plates: int, seed: int, base: StrokeSettings) -> Gesture:
    if not isinstance(values, dict):
        raise BadValue(f"{where} cannot be read", "it is no object", f"It is {_FORM}")
    odd = [key for key in values if key not in _KEYS]
    if odd:
        raise BadValue(f"{where} has no {odd[0]!r}", "", f"It has: {', '.join(_KEYS)}")
    kind = GESTURES.get(str(values.get("kind", "stroke")))
    if kind is None:
        raise BadValue(f"{where} cannot be {values.get('kind')!r}", "", f"Choose {', '.join(GESTURES)}")
    plate = values.get("plate", 0)
    if kind.plate and (type(plate) is not int or not 0 <= plate < plates):
        raise BadValue(f"{where} presses plate {plate!r}", f"there are {plates}, counted from 0", "")
    settings = values.get("settings", {})
    if not isinstance(settings, dict):
        raise BadValue(f"{where} has settings that cannot be read", "", 'They are {"spacing": 0.25, ...}')
    data = _points(values.get("points", []), where, geometry) if kind.points else b""
    more = {key: values[key] for key in ("mirror", "arms", "corner", "keeps", "on") if key in values}
    if kind.curve:
        more["curve"] = _curve(values.get("curve", {}), where)
    elif "curve" in values:
        raise BadValue(f"{where} has a curve", f"a {kind.name.lower()} has none", "Leave it out")
    try:
        return Gesture(
            uid=f"g{seed}", kind=kind.id, plate=str(plate) if kind.plate else "", settings=checked(base, **settings),
            seed=seed % 2**32, data=data, **more,
        )  # fmt: skip
    except BadValue as error:
        raise BadValue(f"{where}: {error.what}", error.why, error.fix) from None
    except ValueError:
        raise BadValue(f"{where} has a value it cannot have", f"among {', '.join(more)}") from None


def _curve(values: Any, where: str) -> Curve:
    """What a curve's points are: closed, sharp, held, offset."""
    try:
        return Curve.model_validate(values)
    except ValidationError as error:
        form = 'It is {"closed": true, "sharp": [0, 3], "offset": 0.01}'
        said = error.errors()[0]
        name = ".".join(map(str, said["loc"]))
        raise BadValue(f"{where} has a curve that cannot be read", f"{name}: {said['msg'].lower()}", form) from None


def _points(listed: Any, where: str, geometry: Geometry) -> bytes:
    try:
        rows = [(float(p[0]), float(p[1]), float(p[2]) if len(p) > 2 else 1.0) for p in listed]
    except (TypeError, ValueError, IndexError):
        form = "They are [[x, y], ...] or [[x, y, pressure], ...]"
        raise BadValue(f"{where} has points that cannot be read", "", form) from None
    if not rows:
        raise BadValue(f"{where} has no points", "", "Give one at least")
    if len(rows) > MOST_POINTS:
        raise BadValue(f"{where} has {len(rows):,} points", f"a gesture has {MOST_POINTS:,} at most")
    points = np.array(rows)
    if not np.isfinite(points).all() or np.abs(points).max() > 100:
        raise BadValue(f"{where} has a point that lies nowhere", "", "Places are shares of the surface, 0 to 1")
    return packed_points(geometry.chart(points[:, 0], points[:, 1]), np.clip(points[:, 2], 0, 1))
