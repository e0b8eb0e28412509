"""What the cache holds of a look at a line, so that it can be laid by and is at hand again in another session."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields
from types import MappingProxyType
from typing import Any

from ..cache import Cache, Weighed
from ..errors import BadPicture
from ..files.shelf import Kept
from ..raster import Raster

_CARRIED = tuple(f.name for f in fields(Raster) if f.name not in ("pixels", "coverage"))


class Listening(Cache):
    """A cache as another one is, that remembers what was found in it: rasters, and automatic values."""

    def __init__(self, of: Cache) -> None:
        super().__init__(of.limit)
        self._of = of
        self._rasters: dict[str, Raster] = {}
        self._values: dict[str, Mapping[str, float]] = {}

    def get(self, key: str) -> Any:
        found = self._of.get(key)
        if isinstance(found, Raster):
            self._rasters[key] = found
        return found

    def holds(self, key: str) -> bool:
        return self.get(key) is not None

    def put(self, key: str, value: Weighed) -> None:
        self._of.put(key, value)

    def note(self, key: str, value: Any) -> None:
        self._of.note(key, value)

    def noted(self, key: str) -> Any:
        found = self._of.noted(key)
        if isinstance(found, Mapping) and all(isinstance(one, int | float) for one in found.values()):
            self._values[key] = found
        return found

    def heard(self) -> Kept:
        """All that was found."""
        arrays, words = {}, []
        for n, (key, raster) in enumerate(self._rasters.items()):
            arrays[f"pixels {n}"] = raster.pixels
            if raster.coverage is not None:
                arrays[f"coverage {n}"] = raster.coverage
            words.append([key, {name: getattr(raster, name) for name in _CARRIED}])
        return Kept(arrays, {"rasters": words, "values": {key: dict(one) for key, one in self._values.items()}})


def put_back(cache: Cache, kept: Kept) -> None:
    """Put what was heard into a cache again, where it is not there. Raises ValueError for what was never heard."""
    try:
        for n, (key, carried) in enumerate(kept.words["rasters"]):
            told = {name: tuple(value) if isinstance(value, list) else value for name, value in carried.items()}
            raster = Raster.of(kept.arrays[f"pixels {n}"], kept.arrays.get(f"coverage {n}"), **told)
            if not cache.holds(key):
                cache.put(key, raster)
        for key, values in kept.words["values"].items():
            if cache.noted(key) is None:
                cache.note(key, MappingProxyType(dict(values)))
    except (KeyError, TypeError, AttributeError, BadPicture) as error:
        raise ValueError("this is not what was heard") from error
