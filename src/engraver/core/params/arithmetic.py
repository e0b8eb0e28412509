"""Sums typed in place of numbers: ``1024/2``."""

from __future__ import annotations

import ast
import operator
import re
from typing import cast

_DECIMAL, _THOUSANDS = re.compile(r"(?<=\d),(?=\d)"), re.compile(r"(?<=\d),(?=\d{3}(?!\d))")
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


def number_in(text: str) -> tuple[float, str]:
    """A typed number and the unit behind it: "%", "px", "°" or "". Raises ValueError."""
    clean = text.strip()
    # A comma between digits is a decimal one, as many type it; before three digits of whole pixels it is not.
    clean = _THOUSANDS.sub("", clean) if clean.endswith("px") else clean
    clean = _DECIMAL.sub(".", clean)
    for unit in ("%", "px", "°"):
        if clean.endswith(unit):
            return arithmetic(clean[: -len(unit)]), unit
    return arithmetic(clean), ""
