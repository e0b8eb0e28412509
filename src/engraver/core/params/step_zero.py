"""Step zero of a plate: how its source becomes a raster. Tagged with its kind and version, as steps are."""

from __future__ import annotations

from typing import Any, ClassVar

from .spec import Params


class StepZero(Params):
    """Base of every source kind's reading parameters.

    ``kind`` is the id of the source kind that they belong to; ``version`` is raised when their meaning
    changes, and :meth:`lifted` then brings older ones up.
    """

    kind: ClassVar[str] = ""
    version: ClassVar[int] = 1

    @classmethod
    def lifted(cls, version: int, values: dict[str, Any]) -> dict[str, Any]:
        """Values written by an older version, in today's meaning."""
        return values
