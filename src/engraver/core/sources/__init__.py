"""Where plates start: the declared source kinds, and the store that holds their files."""

from .catalogue import EXTENSIONS, READINGS, SOURCE_KINDS, source_kind
from .kind import First, SourceKind
from .store import SourceStore

__all__ = ["EXTENSIONS", "READINGS", "SOURCE_KINDS", "First", "SourceKind", "SourceStore", "source_kind"]
