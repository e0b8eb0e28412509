"""A declaration with a fault fails when it is made, and its words name the step and the field."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, Literal

import pytest

from engraver.core.params import Params, choice, flag, fraction, integer, length, number, plate_reference
from engraver.core.sources import SOURCE_KINDS
from engraver.core.steps import KINDS
from engraver.core.surfaces import SURFACES

HELP = "How far the copper is hammered."


def _misspelt(**wrong: Any) -> type[Params]:
    class Hammer(Params):
        depth: float = fraction(0.5, 0.0, 1.0, "Depth", HELP, **wrong)

    return Hammer


def _number(make: Callable[..., Any], *args: Any, **more: Any) -> type[Params]:
    class Hammer(Params):
        depth: float = make(*args, "Depth", HELP, **more)

    return Hammer


def _with(default: str = "round", **when: Any) -> type[Params]:
    class Hammer(Params):
        head: Literal["round", "flat"] = choice(default, {"round": "Round", "flat": "Flat"}, "Head", HELP)
        wet: bool = flag(False, "Wet", HELP)
        blows: int = integer(3, 1, 9, "Blows", HELP)
        depth: float = fraction(0.5, 0.0, 1.0, "Depth", HELP, when=when)

    return Hammer


def _choice(default: str = "round") -> type[Params]:
    class Hammer(Params):
        depth: Literal["round", "flat"] = choice(default, {"round": "Round", "square": "Square"}, "Head", HELP)

    return Hammer


def _bare() -> type[Params]:
    class Hammer(Params):
        depth: float = 0.5

    return Hammer


def _no_sentence() -> type[Params]:
    class Hammer(Params):
        depth: float = fraction(0.5, 0.0, 1.0, "Depth", "deep")

    return Hammer


FAULTS = [
    (_misspelt(soff=(0.0, 0.5)), "a fraction has no keyword 'soff'"),
    (_misspelt(whn={"wet": True}), "a fraction has no keyword 'whn'"),
    (_misspelt(soft=(0.0, 2.0)), "slider goes beyond"),
    (_number(number, 3.0, 0.0, 2.0), "default lies outside"),
    (_number(length, 0.1, 1.0, 1.0), "range is empty"),
    (_with(heads="flat"), "unknown field 'heads'"),
    (_with(head="pointed"), "head is 'pointed', which it cannot be"),
    (_with(head=("flat", "pointed")), "which it cannot be"),
    (_with(wet="yes"), "which it cannot be"),
    (_with(blows=12), "which it cannot be"),
    (_choice(), "its choices and its Literal differ: flat, square"),
    (_choice("blunt"), "differ"),
    (_bare(), "without a field kind"),
    (_no_sentence(), "sentence of help"),
]


@pytest.mark.parametrize(("model", "words"), FAULTS, ids=[words for _, words in FAULTS])
def test_a_faulty_field_fails_with_its_step_and_name(model: type[Params], words: str) -> None:
    with pytest.raises(TypeError) as told:
        replace(KINDS["soften"], id="hammer", name="Hammer", params=model)
    assert "hammer" in str(told.value).lower() and "depth" in str(told.value) and words in str(told.value)


def test_what_is_right_is_let_through() -> None:
    for model in (_with(), _with(head="flat"), _with(wet=True, blows=3), _misspelt(soft=(0.0, 0.5))):
        assert replace(KINDS["soften"], id="hammer", params=model).params is model

    class Follows(Params):
        plate: str = plate_reference("Plate", "The plate whose tones are followed.")

    kind = replace(KINDS["soften"], id="hammer", params=Follows)
    assert kind.refers_to(Follows(plate="p1")) == (("plate", "p1"),) and not kind.refers_to(Follows())


def test_other_declarations_are_checked_too() -> None:
    with pytest.raises(TypeError, match=r"'stone'.*tagged 'picture'"):
        replace(SOURCE_KINDS["picture"], id="stone")
    with pytest.raises(TypeError, match="sentence"):
        replace(SOURCE_KINDS["blank"], help="nothing")
    with pytest.raises(TypeError, match="endings"):
        replace(SOURCE_KINDS["blank"], files="one")
    with pytest.raises(TypeError, match="plaster has a single mark"):
        replace(SURFACES["flat"], single=None)
    with pytest.raises(TypeError, match="lower case"):
        replace(SURFACES["flat"], id="Shelf")
