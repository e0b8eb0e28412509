"""The desks, in the order in which their tabs stand on the rim."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from .bench import BENCH
from .cabinet import CABINET
from .kind import DeskKind
from .pack import PACK
from .proof import PROOF

_ALL = (BENCH, PROOF, CABINET, PACK)
DESKS: Mapping[str, DeskKind] = MappingProxyType({desk.id: desk for desk in _ALL})

__all__ = ["DESKS", "DeskKind"]
