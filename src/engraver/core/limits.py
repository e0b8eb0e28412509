"""How much of everything there may be, said in one place and checked before anything is built of it."""

from __future__ import annotations

# Characters of a name and of an id.
NAME = 200
ID = 80
# Of a project.
PLATES = 1000
SOURCES = 1000
RECIPES = 1000
# Plates that follow each other in a row.
FOLLOWING = 40
# Of a recipe.
STEPS = 200
# Of all recipes of a project together.
STEPS_IN_ALL = 20_000
# Trials of a project, and gestures of a trial.
TRIALS = 200
GESTURES = 5000
# Brushes kept in a project.
BRUSHES = 1000
# Bytes of a project's JSON, and of one stroke.
JSON_BYTES = 64_000_000
# Bytes of a source's file, and of a project file.
FILE_BYTES = 2_000_000_000
PROJECT_BYTES = 64_000_000_000
# Files of a source that is made of several.
FILES = 64
# Characters of a path.
PATH = 4096
