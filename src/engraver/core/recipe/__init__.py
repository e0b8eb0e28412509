"""Step, Recipe, Plate, Project: frozen models, and edits that return new ones."""

from .history import History
from .models import Brush, Pack, Packed, Plate, Project, Recipe, Source, SourceFile, Step, Trial, new_id

__all__ = [
    "Brush",
    "History",
    "Pack",
    "Packed",
    "Plate",
    "Project",
    "Recipe",
    "Source",
    "SourceFile",
    "Step",
    "Trial",
    "new_id",
]
