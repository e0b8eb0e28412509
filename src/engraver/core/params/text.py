"""Parameters typed as text: ``margin=16px``, ``fade=22%``, ``side=512*2``.

Lengths are fractions of the shorter side, or ``px`` of the full-size raster at
that step, or ``%``. Numbers take arithmetic. Other values are plain, JSON, or
``@file`` for the contents of a JSON file.
"""

from __future__ import annotations

import ast
import json
import operator
from pathlib import Path
from typing import Any, cast

from ..errors import BadValue
from ..raster import Facts
from .fields import BY_HAND, FieldSpec

_BINARY = {ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv}


def _evaluate(node: ast.AST) -> float:
    if isinstance(node, ast.Expression):
        return _evaluate(node.body)
    if isinstance(node, ast.Constant) and type(node.value) in (int, float):
        return float(cast(float, node.value))
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        value = _evaluate(node.operand)
        return -value if isinstance(node.op, ast.USub) else value
    if isinstance(node, ast.BinOp) and type(node.op) in _BINARY:
        return float(_BINARY[type(node.op)](_evaluate(node.left), _evaluate(node.right)))
    raise ValueError("not arithmetic")


def arithmetic(text: str) -> float:
    """The value of a sum such as ``1024/2``. Raises ValueError when it is none."""
    if len(text) > 64:
        raise ValueError("too long")
    try:
        value = _evaluate(ast.parse(text.strip(), mode="eval"))
    except (SyntaxError, ZeroDivisionError, RecursionError, OverflowError) as error:
        raise ValueError("not a number") from error
    if value != value or value in (float("inf"), float("-inf")):
        raise ValueError("not a finite number")
    return value


def _side(spec: FieldSpec, facts: Facts) -> float:
    if spec.kind == "position-x":
        return float(facts.width)
    if spec.kind == "position-y":
        return float(facts.height)
    return float(facts.shorter)


def parse_value(text: str, spec: FieldSpec, facts: Facts) -> Any:
    """Read one typed value by its field's kind.

    Parameters
    ----------
    text : str
        What was typed.
    spec : FieldSpec
        The field it is for.
    facts : Facts
        Of the full-size raster that enters the step; turns ``px`` into fractions.

    Raises
    ------
    BadValue
        When it cannot be read.
    """
    clean = text.strip()
    if spec.kind in ("choice", "reference"):
        return clean
    if spec.kind == "flag":
        words = {"true": True, "yes": True, "on": True, "1": True, "false": False, "no": False, "off": False,
                 "0": False}  # fmt: skip
        if clean.lower() not in words:
            raise BadValue(f"{spec.label} cannot be {text!r}", "it is a switch", "Use yes or no")
        return words[clean.lower()]
    if spec.kind in BY_HAND:
        return _json(clean, spec)
    try:
        if clean.endswith("%"):
            return arithmetic(clean[:-1]) / 100
        if clean.endswith("px"):
            value = arithmetic(clean[:-2])
            if spec.kind in ("length", "position-x", "position-y"):
                return value / _side(spec, facts)
            return int(value) if spec.kind == "integer" and value == int(value) else value
        value = arithmetic(clean.removesuffix("°"))
    except ValueError:
        raise BadValue(f"{spec.label} cannot be {text!r}", "it is not a number", _hint(spec)) from None
    if spec.kind == "integer":
        if value != int(value):
            raise BadValue(f"{spec.label} cannot be {text!r}", "it is a whole number", _hint(spec))
        return int(value)
    return value


def _hint(spec: FieldSpec) -> str:
    lengths = spec.kind in ("length", "position-x", "position-y")
    form = "as a fraction, in % or in px" if lengths else "as a number"
    span = "" if spec.lo is None else f" between {spec.lo:g} and {spec.hi:g}"
    return f"Give it {form}{span}"


def _json(text: str, spec: FieldSpec) -> Any:
    try:
        if text.startswith("@"):
            text = Path(text[1:]).read_text(encoding="utf-8")
        return json.loads(text)
    except (OSError, ValueError) as error:
        form = {
            "colour": "a colour as [0.3,0.5,0.9]",
            "strokes": 'strokes as [{"tag":"keep","radius":0.05,"places":[[0.5,0.5]]}]',
        }.get(spec.kind, "points as [[0,0],[1,1]]")
        raise BadValue(f"{spec.label} cannot be read", str(error), f"Give {form}") from None


def split_words(text: str) -> list[str]:
    """Words of a typed step, parted by spaces outside quotes and brackets; JSON keeps its own quotes.

    Raises
    ------
    BadValue
        When a quote or a bracket is left open.
    """
    words, word, depth, quote, begun = [], "", 0, "", False
    for letter in text:
        if quote:
            if letter == quote:
                quote = ""
                word += letter if depth else ""
            else:
                word += letter
        elif letter in "\"'":
            quote, begun = letter, True
            word += letter if depth else ""
        elif letter.isspace() and depth == 0:
            if word or begun:
                words.append(word)
            word, begun = "", False
        else:
            depth += (letter in "[{") - (letter in "]}")
            word += letter
    if quote or depth > 0:
        raise BadValue(f"{text!r} cannot be read", "a quote or a bracket is left open", "Close it")
    return [*words, word] if word or begun else words


def parse_assignment(text: str) -> tuple[str, str]:
    """Split ``key=value``. Raises BadValue when there is no key or no ``=``."""
    key, mark, value = text.partition("=")
    if not mark or not key.strip():
        raise BadValue(f"{text!r} is not a setting", "it has no '='", "Write it as key=value")
    return key.strip(), value
