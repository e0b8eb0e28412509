"""The step kinds: one declaration each, and the list of them all."""

from .catalogue import GROUPS, KINDS, kind_of
from .kind import Outline, StepContext, StepKind

__all__ = ["GROUPS", "KINDS", "Outline", "StepContext", "StepKind", "kind_of"]
