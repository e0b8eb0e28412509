"""Makes the pages of docs that come from the declarations: ``python -m engraver.cli.reference FOLDER``."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from types import MappingProxyType

from engraver.core.mesh.capture import Capture
from engraver.core.params import FieldSpec, Params, specs
from engraver.core.pressing.gesture import GESTURES
from engraver.core.pressing.settings import GROUPS as GROUPS_OF_SETTINGS
from engraver.core.pressing.settings import StrokeSettings
from engraver.core.shapes.model import Shape
from engraver.core.steps import GROUPS, KINDS, StepKind
from engraver.core.surfaces import SURFACES

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


_SHAPES = """# Shapes

Made from the declarations by `./dev docs`; do not edit by hand.

The step `shapes` holds a list, `items`, that is laid in order. In the terminal it is JSON, or `@file.json`:

```sh
engraver make --blank 512,0 --step 'shapes items=@seal.json' -o seal.png
```

```json
[
  {"kind": "disc", "width": "496px", "border": "round", "border_width": "40px"},
  {"kind": "ring", "width": "400px", "inner": "376px", "level": 0.4, "meets": "take"},
  {"svg": "crest.svg", "width": 0.3, "level": 0.4, "meets": "add"}
]
```

What is left out has its default. Lengths are shares of the plate's shorter side, or text with `px` or `%`; `x` and
`y` are shares of its width and height. `corner` may be four radii, from the top left clockwise. `inner` may be text
in px: the width of the hole. `svg` is the path of a file whose outline the shape is: all that it fills and strokes,
whatever the colour; scripts, text, pictures, clips and masks are left out, and nothing outside the file is looked at.
It keeps its proportions where not both sizes are given.

A border that is *hard* covers exactly the area of its formula. Heights are 0 on the surface and 1 as high as the
plate can raise; below 0 they cut, which shows where mid-grey is zero.

## What a shape has
"""


def shapes_page() -> str:
    """The page of the shapes as Markdown."""
    return "\n".join([_SHAPES, *_table(Shape)]).rstrip() + "\n"


_PRESS = """# Pressing

Made from the declarations by `./dev docs`; do not edit by hand.

`engraver press` presses plates into a surface, as the proof desk does:

```sh
engraver press barnacles.png --on ball --points 1000000 --gestures strokes.json -o ball.ply
engraver press quay.engraver:Barnacles plank.png --on flat --gestures plank.json \\
    --settings 'spacing=60% turn_jitter=1' --seed 7 --side 2048 -o plank.exr
```

A plate is a picture, or `PROJECT:NAME` for one of a project, counted from 0. An `.exr` holds heights in shares of the
surface's width, exact at any `--side`, of surfaces that are planes; a `.png` is what is seen, with clear ground; a
`.ply`, `.obj`, `.stl` or `.glb` is the surface with its marks, half its width to a unit. The same seed gives the same
marks on every machine.

```json
{"gestures": [
  {"kind": "stroke", "plate": 0, "points": [[0.2, 0.5], [0.5, 0.4, 0.8], [0.8, 0.5]], "settings": {"size": 0.12}},
  {"kind": "drag-out", "plate": 1, "points": [[0.5, 0.5], [0.7, 0.5]], "settings": {"strength": 0.05}}
]}
```

Points are x to the right and y down in shares of the surface's own coordinates, and a pressure 0..1 that is 1 when
left out. Further keys of a gesture: `mirror` (true), `arms` (1 to 24), `corner` (true: dragged out from a corner),
`keeps` (nothing, peaks, hollows; of a smoothing), `on` (false leaves it out), and of a gesture along a curve `curve`:
`{"closed": true, "sharp": [0, 3], "offset": 0.01}`, all of which may be left out.

A mark that is dragged out from its middle is twice as wide as the drag is long, and its right side lies where the
drag ends; dragged from a corner, the drag is its diagonal. A `single` has the size of its settings.

`engraver cord` lays one segment along one curve, in space or on a surface:

```sh
engraver cord rope.stl --along helix.json --ends round --twist 4 -o helix.glb
engraver cord link.ply --along ring.json --closed --settings 'pitch=62% next_turn=90' -o chain.obj
engraver cord plait.png --along curl.svg --on flat --settings 'size=12%' --side 2048 -o band.exr
```

A segment is a mesh that is open at either end of its length (joined), a closed one (repeated), or a picture that
tiles (pressed as a band, on a surface). A curve is `{"points": [[x, y, z], ...], "closed": true}` in the
segment's units, with `--on` in shares of the surface, or the longest outline of an SVG. What had to be rounded, is
too tight or crosses itself is told on the error stream, with its place.
"""


def press_page() -> str:
    """The page of pressing as Markdown."""
    lines = [_PRESS, "## Kinds of gestures", ""]
    lines += [f"- `{kind.id}`: {kind.help}" for kind in GESTURES.values()]
    lines += ["", "## Surfaces", ""]
    lines += [f"- `{kind.id}`: {kind.help}" for kind in SURFACES.values()]
    lines += ["", "## Stroke settings", "", "In the terminal they can be typed as fractions or in `%`; `size` and",
              "`tooth_scale` also in `px`, points of the surface.", ""]  # fmt: skip
    table = _table(StrokeSettings)
    rows = dict(zip(specs(StrokeSettings), table[2:-1], strict=True))
    for group in GROUPS_OF_SETTINGS:
        lines += [f"### {group.name}", "", *table[:2], *(rows[name] for name in group.fields), ""]
    return "\n".join(lines).rstrip() + "\n"


PAGES: Mapping[str, Callable[[], str]] = MappingProxyType(
    {
        "steps.md": reference,
        "shapes.md": shapes_page,
        "press.md": press_page,
    }
)

if __name__ == "__main__":
    for name, page in PAGES.items():
        (Path(sys.argv[1]) / name).write_text(page(), encoding="utf-8")
