"""What all frozen models of a project share."""

from __future__ import annotations

import secrets

from pydantic import BaseModel, ConfigDict


def new_id(prefix: str) -> str:
    """A short random id, unique within any project."""
    return f"{prefix}-{secrets.token_hex(4)}"


class Model(BaseModel):
    """Frozen, and refuses what it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)
