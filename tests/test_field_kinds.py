"""Every field of every step and source: what is shown can be typed again, and nonsense is told in words."""

from __future__ import annotations

from typing import Any

import pytest

from engraver.core.errors import BadValue
from engraver.core.params import FieldSpec, Params, parse_value, shown_value, specs, typed_value
from engraver.core.params.kinds.by_hand import parse_json
from engraver.core.raster import Facts
from engraver.core.sources import READINGS
from engraver.core.steps import KINDS

FACTS = Facts(1600, 1200)
FIELDS: list[tuple[str, type[Params], str, FieldSpec]] = [
    (owner, model, name, spec)
    for owner, model in (*((k.id, k.params) for k in KINDS.values()), *READINGS.items())
    for name, spec in specs(model).items()
]
NUMBERS = [f for f in FIELDS if f[3].kind.row == "number"]
OTHERS = [f for f in FIELDS if f[3].kind.row in ("choice", "switch")]
BY_HAND = [f for f in FIELDS if f[3].kind.parse is parse_json and f[3].kind.id != "strokes"]


def _id(field: Any) -> str:
    return f"{field[0]}.{field[2]}" if isinstance(field, tuple) else ""


def _values(spec: FieldSpec) -> list[float]:
    assert spec.lo is not None and spec.hi is not None
    low, high = spec.slider
    some = [spec.lo, spec.hi, low, high, low + (high - low) / 3]
    if spec.default is not None:
        some.append(float(spec.default))
    return [round(v) if spec.kind.whole else v for v in some]


@pytest.mark.parametrize("field", NUMBERS, ids=_id)
def test_a_number_that_is_shown_can_be_typed_again(field: tuple[str, type[Params], str, FieldSpec]) -> None:
    spec = field[3]
    assert spec.lo is not None and spec.hi is not None
    for value in _values(spec):
        shown = shown_value(value, spec, FACTS)
        again = typed_value(shown, spec, FACTS)
        # Four digits, or half a pixel, are what a person reads.
        assert again == pytest.approx(value, rel=6e-4, abs=0.501 / FACTS.shorter), shown
        assert not shown.endswith(" ") and "  " not in shown


@pytest.mark.parametrize("field", NUMBERS, ids=_id)
def test_a_bare_number_is_in_the_unit_that_is_shown(field: tuple[str, type[Params], str, FieldSpec]) -> None:
    spec = field[3]
    value = _values(spec)[4]
    shown = shown_value(value, spec, FACTS)
    number = shown.rstrip("%° ").removesuffix("px").removesuffix(spec.unit).strip()
    assert typed_value(number, spec, FACTS) == pytest.approx(typed_value(shown, spec, FACTS), rel=1e-6)


@pytest.mark.parametrize("field", NUMBERS, ids=_id)
def test_beyond_its_ends_a_number_is_refused_with_what_is_allowed(
    field: tuple[str, type[Params], str, FieldSpec],
) -> None:
    owner, model, name, spec = field
    assert spec.lo is not None and spec.hi is not None
    span = spec.hi - spec.lo
    for beyond in (spec.lo - max(1, span), spec.hi + max(1, span), float("nan"), float("inf")):
        with pytest.raises(Exception, match=name):
            model.model_validate({name: beyond})
        assert not spec.kind.can_be(beyond, spec)
    for inside in (spec.lo, spec.hi):
        assert spec.kind.can_be(round(inside) if spec.kind.whole else inside, spec)
    assert f"{spec.lo:g}" in spec.kind.allowed(spec) and f"{spec.hi:g}" in spec.kind.allowed(spec), owner


@pytest.mark.parametrize("text", ["", "abc", "1/0", "__import__('os')", "1e999", "5 %%", "[1]", "1;2", "9" * 100])
@pytest.mark.parametrize("kind", sorted({f[3].kind.id for f in NUMBERS}))
def test_what_is_no_number_is_told_with_the_name_of_the_field(kind: str, text: str) -> None:
    spec = next(f[3] for f in NUMBERS if f[3].kind.id == kind)
    with pytest.raises(BadValue) as told:
        parse_value(text, spec, FACTS)
    assert spec.label in told.value.what and told.value.fix


@pytest.mark.parametrize("field", OTHERS, ids=_id)
def test_choices_and_switches_are_typed_by_their_values_and_shown_in_words(
    field: tuple[str, type[Params], str, FieldSpec],
) -> None:
    _, model, name, spec = field
    values = [value for value, _ in spec.choices] or [True, False]
    words = [shown_value(value, spec, FACTS) for value in values]
    assert len(set(words)) == len(words) and all(words)
    for value in values:
        typed = parse_value(str(value) if spec.choices else ("yes" if value else "off"), spec, FACTS)
        assert typed == value and spec.kind.can_be(value, spec)
    with pytest.raises(Exception, match=name):
        model.model_validate({name: "no such thing"})
    assert not spec.kind.can_be("no such thing", spec)


@pytest.mark.parametrize("field", BY_HAND, ids=_id)
def test_what_is_set_by_hand_is_typed_as_json(field: tuple[str, type[Params], str, FieldSpec], tmp_path: Any) -> None:
    spec = field[3]
    path = tmp_path / "value.json"
    path.write_text("[[0, 0.25], [1, 0.75]]")
    assert parse_value(f"@{path}", spec, FACTS) == [[0, 0.25], [1, 0.75]]
    for text in ("[[0,", f"@{tmp_path / 'gone.json'}", "[" * 50_000):
        with pytest.raises(BadValue) as told:
            parse_value(text, spec, FACTS)
        assert spec.label in told.value.what and "as [" in told.value.fix


@pytest.mark.parametrize("field", FIELDS, ids=_id)
def test_a_field_is_documented_and_its_default_is_one_it_can_have(
    field: tuple[str, type[Params], str, FieldSpec],
) -> None:
    _, model, name, spec = field
    assert spec.kind.allowed(spec) and spec.kind.default(spec) and spec.label[0].isupper()
    assert getattr(model(), name) == (spec.default if spec.kind.id != "strokes" else ())
    assert spec.kind.references is None or spec.kind.references(spec.default) == ()


@pytest.mark.parametrize(
    ("text", "pixels"), [("300px", 300.0), ("25%", 300.0), ("0.25", 300.0), ("600/2px", 300.0), ("-12px", -12.0)]
)
def test_a_length_is_a_share_of_the_shorter_side(text: str, pixels: float) -> None:
    spec = next(f[3] for f in NUMBERS if f[3].kind.id == "length")
    assert parse_value(text, spec, FACTS) * FACTS.shorter == pytest.approx(pixels)
