"""Makes docs/steps.md from the declarations of the steps: ``python -m engraver.cli.reference FILE``."""

from __future__ import annotations

import sys
from pathlib import Path

from engraver.core.mesh.capture import Capture
from engraver.core.params import FieldSpec, Params, specs
from engraver.core.steps import GROUPS, KINDS, StepKind

_AGREEMENT = {
    "scales": "99 % of pixels within 0.005",
    "tone": "within 0.04 after both are reduced 4:1",
    "grain": "computed at full size, then reduced",
}


def allowed(spec: FieldSpec) -> str:
    """What a setting can be, in Markdown."""
    return spec.kind.allowed(spec)


def default(spec: FieldSpec) -> str:
    """What a setting is at first, in Markdown."""
    return spec.kind.default(spec)


def _when(spec: FieldSpec) -> str:
    return " and ".join(f"{name} is {' or '.join(map(str, allowed))}" for name, allowed in spec.when)


def _section(kind: StepKind) -> list[str]:
    lines = [f"### {kind.name} · `{kind.id}`", "", kind.help]
    if kind.only_here:
        lines[-1] += " *Only here*: plates that share a recipe each keep their own."
    lines += ["", f"Takes {'colour or grey' if kind.takes == 'any' else 'grey'}. "
              f"Preview and full size agree: {_AGREEMENT[kind.agreement]}.", ""]  # fmt: skip
    return [*lines, *_table(kind.params)]


def _table(params: type[Params]) -> list[str]:
    """The settings of a parameter model, one row each."""
    lines: list[str] = []
    fields = specs(params)
    if fields:
        lines += ["| setting | default | allowed | what it does |", "|---|---|---|---|"]
    for name, spec in fields.items():
        when = f" When {_when(spec)}." if spec.when else ""
        lines.append(f"| `{name}` | {default(spec)} | {allowed(spec)} | {spec.help}{when} |")
    return [*lines, ""] if fields else lines


def reference() -> str:
    """The page as Markdown."""
    lines = [
        "# Steps",
        "",
        "Made from the declarations by `./dev docs`; do not edit by hand.",
        "",
        "Lengths are shares of the shorter side of the plate that enters the step. In the terminal they can be",
        "typed as fractions, in `%` or in `px` of the full-size plate at that step; the window shows them in px.",
        "",
    ]
    lines += [
        "## Source", "", "### A mesh's capture", "",
        "Step zero of a mesh. In the terminal by the options of `engraver make`, or `--capture 'key=value ...'`.", "",
        *_table(Capture),
    ]  # fmt: skip
    for group in GROUPS:
        kinds = [k for k in KINDS.values() if k.group == group]
        if kinds:
            lines += [f"## {group.capitalize()}", ""]
            for kind in kinds:
                lines += _section(kind)
    return "\n".join(lines).rstrip() + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(reference(), encoding="utf-8")
