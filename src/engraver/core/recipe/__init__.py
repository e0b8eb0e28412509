"""Step, Recipe, Plate, Project: frozen models, and edits that return new ones."""

from .history import History
from .models import Plate, Project, Recipe, Source, SourceFile, Step, Trial, new_id

__all__ = ["History", "Plate", "Project", "Recipe", "Source", "SourceFile", "Step", "Trial", "new_id"]
