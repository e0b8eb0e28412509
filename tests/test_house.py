"""The house: fresh docs, small files, readable colours, honest declarations, a library trap."""

from __future__ import annotations

import ast
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import QObject, Signal

from engraver.app.actions import make_commands
from engraver.app.theme import THEMES
from engraver.app.theme.tokens import Theme
from engraver.app.window import Window
from engraver.cli.reference import PAGES
from engraver.core.errors import BadValue
from engraver.core.params import Params, length, number, parse_value, specs
from engraver.core.params.arithmetic import arithmetic
from engraver.core.params.text import split_words
from engraver.core.raster import Facts
from engraver.core.steps import KINDS, StepKind

ROOT = Path(__file__).parent.parent
SOURCES = sorted(p for folder in ("src", "tests", "bench") for p in (ROOT / folder).rglob("*.py"))


@pytest.mark.parametrize("page", PAGES)
def test_the_pages_that_are_made_are_fresh(page: str) -> None:
    assert (ROOT / "docs" / page).read_text(encoding="utf-8") == PAGES[page](), "run ./dev docs"


def test_files_stay_small() -> None:
    long = {p.name: n for p in SOURCES if (n := len(p.read_text(encoding="utf-8").splitlines())) > 400}
    assert not long


def test_no_import_hides_a_cycle_in_core() -> None:
    """Imports inside functions are only for libraries that are slow to load, never for our own modules."""
    for path in (ROOT / "src/engraver/core").rglob("*.py"):
        for function in [n for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.FunctionDef)]:
            for node in ast.walk(function):
                ours = isinstance(node, ast.ImportFrom) and (node.level or (node.module or "").startswith("engraver"))
                # The proof's kernels bring Numba with them.
                assert not ours or (isinstance(node, ast.ImportFrom) and node.names[0].name.endswith("kernels")), path


def _luminance(colour: str) -> float:
    """Relative luminance, WCAG 2.2."""
    parts = [int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5)]
    r, g, b = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(a: str, b: str) -> float:
    high, low = sorted((_luminance(a), _luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", list(THEMES.values()), ids=list(THEMES))
def test_text_can_be_read_in_both_looks(theme: Theme) -> None:
    """At least 4.5:1 (WCAG 2.2, 1.4.3), for every text colour on every ground it stands on."""
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21)
    for text in (theme.ink, theme.ink_2, theme.good, theme.look, theme.fault, theme.accent):
        for ground in (theme.paper, theme.panel, theme.card):
            assert contrast(text, ground) >= 4.5, (text, ground)
    for text, ground in (
        (theme.on_accent, theme.accent), (theme.on_bar, theme.bar), (theme.on_bar_2, theme.bar),
        (theme.ink, theme.accent_soft), ("#1F2430", "#F7F5F0"),
    ):  # fmt: skip
        assert contrast(text, ground) >= 4.5, (text, ground)


def test_wrong_declarations_fail_at_once() -> None:
    class Bare(Params):
        width: float = 1.0

    class Loose(Params):
        width: float = length(0.1, 0, 1, "Width", "Help.", when={"nothing": 1})

    for model in (Bare, Loose):
        with pytest.raises(TypeError):
            StepKind("bad", "Bad", "clean", "Help.", model, lambda r, p, c: r)
    with pytest.raises(TypeError):
        StepKind("Bad Id", "Bad", "clean", "Help.", Params, lambda r, p, c: r)


def test_every_declaration_speaks() -> None:
    for kind in KINDS.values():
        for name, spec in specs(kind.params).items():
            assert spec.label and spec.help.endswith("."), (kind.id, name)
            assert kind.params().model_dump()[name] == spec.default


@pytest.mark.parametrize(("text", "value"), [("1024/2", 512.0), ("-(3+1)*2", -8.0), ("1e2", 100.0)])
def test_arithmetic(text: str, value: float) -> None:
    assert arithmetic(text) == value


@pytest.mark.parametrize("text", ["", "1/0", "__import__('os')", "9**9**9", "1" * 99, "nan", "x", "(" * 40])
def test_what_is_no_arithmetic(text: str) -> None:
    with pytest.raises(ValueError):
        arithmetic(text)


def test_typed_steps_keep_json_whole() -> None:
    text = """crop x=.5 name="two words" strokes=[{"tag": "keep", "places": [[0.5, 0.5]]}] points='[[0,0],[1,1]]'"""
    assert split_words(text) == [
        "crop", "x=.5", "name=two words", 'strokes=[{"tag": "keep", "places": [[0.5, 0.5]]}]', "points=[[0,0],[1,1]]"
    ]  # fmt: skip
    for wrong in ('a="b', "a=[1, 2"):
        with pytest.raises(BadValue):
            split_words(wrong)


def test_lengths_in_every_unit() -> None:
    class Example(Params):
        width: float = length(0.1, 0, 1, "Width", "Help.")
        angle: float = number(0.0, 0, 1, "Angle", "Help.")

    spec, facts = specs(Example)["width"], Facts(400, 200)
    assert [parse_value(t, spec, facts) for t in ("50px", "25%", "0.25", "100px/2px"[:5])] == [0.25, 0.25, 0.25, 0.5]
    with pytest.raises(BadValue):
        parse_value("wide", spec, facts)


def test_every_action_has_its_own_name_and_key(window: Window) -> None:
    commands = list(make_commands(window))
    assert len({c.name for c in commands}) == len(commands)
    assert {f"add-{k}" for k in KINDS} <= {c.id for c in commands}


def test_signals_do_not_lose_references() -> None:
    """PySide6 6.12.0 on Python 3.11 drops a reference to True at each Signal(bool) and aborts in the end."""

    class Bell(QObject):
        rung = Signal(bool)

    bell = Bell()
    bell.rung.connect(lambda on: None)
    before = sys.getrefcount(True)
    for _ in range(2000):
        bell.rung.emit(True)
    assert abs(sys.getrefcount(True) - before) < 100
