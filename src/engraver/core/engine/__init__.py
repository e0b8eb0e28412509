"""Evaluates a plate at any scale, and remembers what it computed."""

from ..cache import Cache
from ..sources import SourceStore
from .line import Line, resolve
from .new_step import new_step
from .run import Engine, Request, Result, StepFailed

__all__ = ["Cache", "Engine", "Line", "Request", "Result", "SourceStore", "StepFailed", "new_step", "resolve"]
