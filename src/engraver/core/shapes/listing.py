"""The field that holds a list of shapes, and how one is typed: JSON, with units and files by their paths."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ..errors import BadValue
from ..files.read import read_bytes
from ..params import parse_value, specs
from ..params.kinds.by_hand import parse_json
from ..params.spec import FieldKind, FieldSpec, declared
from ..raster import Facts
from .model import MOST, Shape
from .svg import read_svg


def _corners(values: Any, facts: Facts) -> dict[str, Any]:
    """Four radii, from the top left clockwise."""
    if len(values) != 4:
        raise BadValue("The corners of a shape", "one radius is given, or four from the top left clockwise")
    names = ("corner", "corner_2", "corner_3", "corner_4")
    return {"each": True, **{name: _typed(name, v, facts) for name, v in zip(names, values, strict=True)}}


def _typed(name: str, value: Any, facts: Facts) -> Any:
    """A value as it is kept: text with a unit is read by its field's kind."""
    spec = specs(Shape)[name]
    return parse_value(value, spec, facts) if isinstance(value, str) and spec.kind.row == "number" else value


def _outlined(path: str, item: Mapping[str, Any], facts: Facts) -> dict[str, Any]:
    """An SVG file's outline; it keeps its proportions where not both sizes are given."""
    file = Path(path)
    drawn = read_svg(read_bytes(file), file.name)
    width, height = (None if item.get(n) is None else _typed(n, item[n], facts) for n in ("width", "height"))
    if height is None:
        width = specs(Shape)["width"].default if width is None else width
        height = width * drawn.height / drawn.width
    elif width is None:
        width = height * drawn.width / drawn.height
    return {
        "kind": "outline", "outline": drawn.data, "even_odd": drawn.even_odd, "width": width, "height": height,
    }  # fmt: skip


def typed_shape(item: Any, number: int, facts: Facts) -> Shape:
    """One shape from what was typed.

    Parameters
    ----------
    item : mapping
        The fields of :class:`Shape`; lengths as shares, or as text with px or %. ``corner`` may be four radii,
        ``inner`` text in px, ``svg`` the path of a file whose outline it is.
    number : int
        Its place in the list, for the words of an error.
    facts : Facts
        Of the full-size plate, for px.

    Raises
    ------
    BadValue
        Naming the shape, the field and what is allowed.
    """
    which = f"Shape {number}"
    if not isinstance(item, Mapping):
        raise BadValue(f"{which} is no object", "", 'Write it as {"kind": "disc", "width": 0.5}')
    known = specs(Shape)
    values: dict[str, Any] = {}
    for name, value in item.items():
        if name == "svg":
            continue
        if name not in known:
            raise BadValue(f"{which} has no setting {name!r}", "", f"It has: svg, {', '.join(known)}")
        if name == "corner" and isinstance(value, list | tuple):
            values |= _corners(value, facts)
        elif name == "inner" and isinstance(value, str) and value.strip().endswith("px"):
            outer = _typed("width", item.get("width", known["width"].default), facts)
            values["inner"] = parse_value(value, known["width"], facts) / outer
        else:
            values[name] = _typed(name, value, facts)
    if "svg" in item:
        values |= _outlined(str(item["svg"]), item, facts)
    try:
        return Shape.model_validate(values)
    except ValidationError as error:
        first = error.errors()[0]
        name = str(first["loc"][0]) if first["loc"] else ""
        if name not in known:
            raise BadValue(which, str(first["msg"]).removeprefix("Value error, ")) from None
        allowed = known[name].kind.allowed(known[name]).replace("`", "")
        raise BadValue(f"{which}: {name} cannot be {item.get(name)!r}", "", f"It is {allowed}") from None


def _parse(text: str, spec: FieldSpec, facts: Facts) -> Any:
    items = parse_json(text, spec, facts)
    items = [items] if isinstance(items, Mapping) else items
    if not isinstance(items, list):
        raise BadValue("The shapes cannot be read", "they are no list", f"Give {spec.kind.form}")
    if len(items) > MOST:
        raise BadValue(f"A step has at most {MOST} shapes", f"there are {len(items)}", "Use several steps")
    return tuple(typed_shape(item, n + 1, facts) for n, item in enumerate(items))


SHAPE_LIST = FieldKind(
    "shapes", parse=_parse, allowed=lambda spec: "a list of shapes, or `@file` ([docs](shapes.md))",
    default=lambda spec: "none", form='shapes as [{"kind":"disc","width":0.5}], or @file.json',
)  # fmt: skip


def shapes_field(label: str, help: str) -> Any:
    """A list of shapes, laid in order; none at first."""
    return declared(FieldSpec(SHAPE_LIST, label, help, ()), max_length=MOST)
