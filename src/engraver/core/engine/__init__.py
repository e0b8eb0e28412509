"""Evaluates a plate at any scale, and remembers what it computed."""

from .cache import Cache
from .line import Line, resolve
from .run import Engine, Request, Result, StepFailed
from .sources import SourceStore

__all__ = ["Cache", "Engine", "Line", "Request", "Result", "SourceStore", "StepFailed", "resolve"]
