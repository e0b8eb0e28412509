"""What the kinds share that are set by hands on the plate or by an editor, and typed as JSON."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from ...errors import BadValue
from ...raster import Facts
from ..spec import FieldSpec


def parse_json(text: str, spec: FieldSpec, facts: Facts) -> Any:
    """JSON, or ``@file`` for the contents of a JSON file. Raises BadValue."""
    clean = text.strip()
    try:
        if clean.startswith("@"):
            clean = Path(clean[1:]).read_text(encoding="utf-8")
        return json.loads(clean)
    except (OSError, ValueError, RecursionError) as error:
        raise BadValue(f"{spec.label} cannot be read", str(error), f"Give {spec.kind.form}") from None


def default_list(spec: FieldSpec) -> str:
    """A default made of numbers, in Markdown."""
    return "`" + str([list(v) if isinstance(v, tuple) else v for v in spec.default]).replace(" ", "") + "`"
