"""Shapes: areas and distances against formulas, borders against fine sampling, SVG against another renderer."""

from __future__ import annotations

import json
import math
from importlib.resources import files
from importlib.util import find_spec
from io import BytesIO
from itertools import pairwise
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
import resvg_py
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st
from skimage.draw import polygon
from svgelements import SVG

from engraver.cli.main import main
from engraver.core.errors import BadPicture, BadValue
from engraver.core.numeric import contours, outlined, stroking
from engraver.core.raster import Facts
from engraver.core.recipe import Step
from engraver.core.shapes import frames, outline_data, svg, ways
from engraver.core.shapes.canvas import Canvas
from engraver.core.shapes.kinds import SHAPES
from engraver.core.shapes.layout import lay_shapes, places, turned
from engraver.core.shapes.listing import typed_shape
from engraver.core.shapes.model import Shape
from lines import run

PI = math.pi
STAR = 5 * 0.2**2 * 0.45 * math.sin(PI / 5)
# Kinds with the areas their formulas give, in squares of the plate's side.
AREAS = [
    (Shape(width=0.37), PI * 0.185**2),
    (Shape(kind="oval", width=0.5, height=0.31), PI * 0.25 * 0.155),
    (Shape(kind="ring", width=0.6, inner=0.4), PI * 0.3**2 * (1 - 0.4**2)),
    (Shape(kind="square", width=0.55, corner=0.08), 0.55**2 - (4 - PI) * 0.08**2),
    (Shape(kind="rectangle", width=0.61, height=0.23), 0.61 * 0.23),
    (Shape(kind="rectangle", width=0.6, height=0.4, each=True, corner=0.1, corner_3=0.05),
     0.24 - (1 - PI / 4) * (0.1**2 + 0.05**2)),
    (Shape(kind="polygon", sides=6, width=0.5), 1.5 * math.sqrt(3) * 0.25**2),
    (Shape(kind="star", sides=5, width=0.4, inner=0.45), STAR),
    (Shape(kind="cross", width=0.5, inner=0.3), 0.25 * (2 * 0.3 - 0.3**2)),
    (Shape(kind="slot", width=0.5, height=0.12), 0.38 * 0.12 + PI * 0.06**2),
    (Shape(kind="sector", width=0.5, inner=0.2, start=10, sweep=77), 77 / 360 * PI * 0.25**2 * (1 - 0.04)),
    (Shape(kind="arc", width=0.5, inner=0.8, start=-30, sweep=200),
     200 / 360 * PI * 0.25**2 * (1 - 0.64) + PI * 0.025**2),
    (Shape(kind="line", width=0.5, height=0.06, ends="square"), 0.06 * 0.56),
    (Shape(kind="path", points=((-0.2, 0.0), (0.2, 0.0)), thick=0.05, ends="flat", smooth=False), 0.4 * 0.05),
    (Shape(kind="path", points=((-0.2, -0.1), (0.2, -0.1), (0.0, 0.2)), filled=True, closed=True, smooth=False),
     0.06),
]  # fmt: skip


def drawn(side: int, *shapes: Shape) -> tuple[np.ndarray, np.ndarray]:
    canvas = Canvas(side, side)
    lay_shapes(shapes, canvas)
    return heights(canvas), canvas.cover


def heights(canvas: Canvas) -> np.ndarray:
    """Heights where something is built."""
    found: np.ndarray = np.where(canvas.cover > 1e-4, canvas.laid / np.maximum(canvas.cover, 1e-4), 0)
    return found


@pytest.mark.parametrize("side", [64, 512, 4096])
@pytest.mark.parametrize(("shape", "area"), AREAS, ids=[s.kind for s, _ in AREAS])
def test_a_shape_covers_its_formulas_area_at_every_size(shape: Shape, area: float, side: int) -> None:
    moved = shape.but(x=0.5 + 0.3 / side, y=0.5 - 0.2 / side, turn=shape.turn + 17)
    outline = SHAPES[moved.kind].outline(moved, side)
    canvas = Canvas(side, side)
    lay_shapes([moved], canvas)
    assert float(canvas.cover.sum(dtype=np.float64)) == pytest.approx(area * side * side, rel=1e-4), len(outline)


def test_a_capsule_is_two_circles_and_their_tangents() -> None:
    """Area of the quadrilateral between the touching points, and of the two caps outside it."""
    length, a, b = 0.6, 0.12, 0.05
    far = length - a - b
    lean = math.asin((a - b) / far)
    area = far * math.cos(lean) * (a + b) + a * a * (PI / 2 + lean) + b * b * (PI / 2 - lean)
    _, cover = drawn(512, Shape(kind="capsule", width=length, height=2 * a, inner=b / a))
    assert float(cover.sum()) == pytest.approx(area * 512 * 512, rel=1e-4)


@pytest.mark.parametrize("kind", ["disc", "ring", "star", "slot", "square"])
def test_borders_agree_with_sixty_four_fold_sampling(kind: str) -> None:
    side, fine = 20, 64
    shape = Shape.model_validate({"kind": kind, "width": 0.61, "height": 0.2, "turn": 23, "corner": 0.05, "sides": 5})
    _, cover = drawn(side, shape)
    (place,) = places(shape, side, side)
    inside = np.zeros((side * fine, side * fine), bool)
    for points in turned(SHAPES[kind].outline(shape, side), place):
        # A sample at every middle, by scikit-image's point in polygon; a hole is what lies in two.
        rows, columns = polygon(points[:, 1] * fine - 0.5, points[:, 0] * fine - 0.5, inside.shape)
        inside[rows, columns] ^= True
    sampled = inside.reshape(side, fine, side, fine).mean(axis=(1, 3))
    edge = (cover > 0) & (cover < 1) | (sampled > 0) & (sampled < 1)
    assert np.abs(cover - sampled)[edge].mean() < 0.002


def test_a_cushion_with_a_margin_of_eight_has_496_white_pixels() -> None:
    _, cover = drawn(512, Shape(kind="square", width=496 / 512, corner=40 / 512))
    assert (cover[256] == 1).sum() == 496 and cover[256, 7] == 0 and cover[256, 8] == 1
    _, half = drawn(512, Shape(kind="square", width=496.5 / 512))
    assert half[256].sum() == pytest.approx(496.5, abs=1e-3)


def test_a_soft_disc_never_reaches_the_border() -> None:
    found, _ = drawn(256, Shape(width=1.0, border="ogee", border_width=0.5))
    assert found[[0, -1]].max() < 1e-4 and found[:, [0, -1]].max() < 1e-4
    y, x = np.mgrid[:256, :256] + 0.5
    t = np.clip(1 - np.hypot(x - 128, y - 128) / 128, 0, 1)
    assert np.abs(found - t * t * (3 - 2 * t)).max() < 2e-4


TOPS = {
    "domed": lambda r: np.sqrt(1 - r * r), "pointed": lambda r: 1 - r,
    "hollow": lambda r: 1 - np.sqrt(1 - r * r),
}  # fmt: skip


@pytest.mark.parametrize("top", TOPS)
def test_tops_of_a_disc_are_sphere_cone_and_bowl(top: str) -> None:
    found, _ = drawn(300, Shape.model_validate({"width": 0.8, "top": top, "level": -0.5, "x": 0.5013}))
    y, x = np.mgrid[:300, :300] + 0.5
    r = np.hypot(x - 0.5013 * 300, y - 150) / 120
    inside = r < 0.97
    assert np.abs(found + 0.5 * TOPS[top](np.minimum(r, 1)))[inside].max() < 1e-3


def test_distances_are_those_to_the_nearest_edge() -> None:
    points = np.add(contours.star(7, 90.0, 60.0, 0.3), (101.3, 77.7))
    box = outlined.Box(-20, -10, 240, 200)
    found = outlined.distance((points,), box)
    y, x = np.mgrid[box.top : box.top + 200, box.left : box.left + 240] + 0.5
    best = np.full(found.shape, np.inf)
    for x0, y0, x1, y1 in outlined.edges_of((points,)):
        dx, dy = x1 - x0, y1 - y0
        t = np.clip(((x - x0) * dx + (y - y0) * dy) / (dx * dx + dy * dy), 0, 1)
        best = np.minimum(best, np.hypot(x - x0 - t * dx, y - y0 - t * dy))
    assert np.abs(found - best).max() < 1e-3
    # A circle of many edges: the coarser one that is measured from strays by less than a hundredth.
    circle = np.add(contours.oval(80.0, 80.0), (100, 100))
    away = outlined.distance((circle,), outlined.Box(0, 0, 200, 200))
    y, x = np.mgrid[:200, :200] + 0.5
    assert np.abs(away - np.abs(np.hypot(x - 100, y - 100) - 80)).max() < 0.01


@given(st.floats(0.05, 0.9), st.floats(0.05, 0.9), st.floats(-0.3, 1.3), st.floats(-0.3, 1.3), st.floats(-180, 180))
def test_what_lies_on_the_plate_does_not_depend_on_what_does_not(
    w: float, h: float, x: float, y: float, turn: float
) -> None:
    """A shape cut by the plate's border is the same shape on a larger plate, bevel and all."""
    made = []
    for side, shift in ((48, 0), (144, 48)):
        canvas = Canvas(side, side)
        canvas.short = 48.0
        shape = Shape(kind="rectangle", width=w, height=h, turn=turn, border="straight", border_width=0.1)
        outline = SHAPES["rectangle"].outline(shape, 48)
        a = math.radians(turn)
        matrix = np.array([(math.cos(a), math.sin(a)), (-math.sin(a), math.cos(a))])
        canvas.lay(tuple(c @ matrix + (x * 48 + shift, y * 48 + shift) for c in outline), shape, "over")
        made.append(canvas.laid.copy())
    assert np.abs(made[0] - made[1][48:96, 48:96]).max() < 2e-3


def test_on_a_tile_a_shape_goes_on_at_the_other_side() -> None:
    shape = Shape(kind="star", width=0.7, top="pointed", x=0.05, y=0.93)
    canvas = Canvas(90, 90, (True, True))
    lay_shapes([shape], canvas)
    still = Canvas(90, 90, (True, True))
    lay_shapes([shape.but(x=0.5, y=0.5)], still)
    rolled = np.roll(heights(still), (round(0.43 * 90), round(-0.45 * 90)), (0, 1))
    exact = Canvas(90, 90, (True, True))
    lay_shapes([shape.but(x=0.5 + round(-0.45 * 90) / 90, y=0.5 + round(0.43 * 90) / 90)], exact)
    assert np.abs(rolled - heights(exact)).max() < 1e-3
    assert canvas.cover[:, 0].max() > 0 and canvas.cover[:, -1].max() > 0


def test_how_shapes_meet_is_the_formula() -> None:
    low, high = Shape(kind="square", width=0.8, level=0.6), Shape(kind="square", width=0.4, level=0.5)
    expected = {"add": 1.1, "take": 0.1, "higher": 0.6, "lower": 0.5, "over": 0.5, "multiply": 0.3}
    for meets, height in expected.items():
        found, _ = drawn(20, low, high.but(meets=meets))
        assert found[10, 10] == pytest.approx(height) and found[3, 3] == pytest.approx(0.6), meets
    ground = np.full((20, 20), 0.25, np.float32)
    items = (Shape(kind="square", width=0.5, level=0.5),)
    for meets, height in {"add": 0.75, "higher": 0.5, "lower": 0.25, "multiply": 0.125, "over": 0.5}.items():
        out = run("shapes", ground, items=items, meets=meets).pixels
        assert out[10, 10] == pytest.approx(height) and out[0, 0] == 0.25, meets


def test_copies_lie_in_rows_and_round_rings() -> None:
    shape = Shape(repeat="grid", rows=2, columns=3, across=0.2, down=0.3, offset=0.5)
    assert [(round(x, 3), round(y, 3)) for x, y, _ in places(shape, 100, 100)] == [
        (30, 35), (50, 35), (70, 35), (40, 65), (60, 65), (80, 65),
    ]  # fmt: skip
    ring = list(places(Shape(repeat="ring", count=4, radius=0.25, turn=10), 100, 200))
    assert [(round(x), round(y), t) for x, y, t in ring] == [
        (100, 25, 10), (125, 50, 100), (100, 75, 190), (75, 50, 280),
    ]  # fmt: skip


# -- lines with a width, and outlines from files ----------------------------------------


def test_a_wide_line_is_what_lies_near_its_way() -> None:
    way, _ = contours.through(np.array([(20.0, 30.0), (60.0, 80.0), (100.0, 20.0), (140.0, 90.0)]), False)
    outline = stroking.stroke(way, np.full(len(way), 9.0))
    cover = outlined.coverage(outline, outlined.Box(0, 0, 160, 110))
    edges = np.hstack([way[:-1], way[1:]])
    y, x = np.mgrid[:110, :160] + 0.5
    best = np.full(x.shape, np.inf)
    for x0, y0, x1, y1 in edges:
        dx, dy = x1 - x0, y1 - y0
        t = np.clip(((x - x0) * dx + (y - y0) * dy) / (dx * dx + dy * dy), 0, 1)
        best = np.minimum(best, np.hypot(x - x0 - t * dx, y - y0 - t * dy))
    assert np.abs(cover - np.clip(9.5 - best, 0, 1)).max() < 0.12
    half = np.interp(np.arange(len(way)), (0, len(way) - 1), (1.0, 9.0))
    taper = outlined.coverage(stroking.stroke(way, half), outlined.Box(0, 0, 160, 110))
    assert 0.4 * cover.sum() < taper.sum() < 0.65 * cover.sum()


OPEN = sorted(Path(str(find_spec("matplotlib").origin)).parent.glob("mpl-data/images/*.svg"))  # type: ignore[union-attr]
OURS = sorted(Path(str(files("engraver.app.theme"))).glob("icons/*.svg"))
# Of hand.svg half is see-through, which a height is not.
SVGS = [p for p in (*OPEN, *OURS) if p.name != "hand.svg"]


@pytest.mark.parametrize("path", SVGS, ids=[p.name for p in SVGS])
def test_an_svg_is_what_another_renderer_draws(path: Path) -> None:
    """resvg, whatever is opaque: within 1 % of the pixels."""
    data, side = path.read_bytes(), 512
    png = resvg_py.svg_to_bytes(svg_string=data.decode(), width=side, dpi=96, skip_system_fonts=True)
    theirs = cv2.imdecode(np.frombuffer(bytes(png), np.uint8), cv2.IMREAD_UNCHANGED)[..., 3] / 255
    found = svg.read_svg(data, path.name)
    grow = side / float(SVG.parse(BytesIO(data)).width)
    outline = outline_data.contours_of(found.data, found.width * grow, found.height * grow)
    placed = tuple(np.add(c, np.multiply(found.middle, grow)) for c in outline)
    ours = outlined.coverage(placed, outlined.Box(0, 0, theirs.shape[1], theirs.shape[0]), found.even_odd)
    assert (np.abs(ours - theirs) > 0.1).mean() < 0.01 and np.abs(ours - theirs).mean() < 0.003


BAD = {
    "no svg": b"<html/>", "cut short": b"<svg xmlns='http://www.w3.org/2000/svg'><path d='M0 0h1", "empty": b"",
    "nothing drawn": b"<svg xmlns='http://www.w3.org/2000/svg'><path fill='none' d='M0 0h9v9z'/></svg>",
    "entities": b"<!DOCTYPE svg [<!ENTITY a 'aaaa'>]><svg xmlns='http://www.w3.org/2000/svg'>&a;</svg>",
    "outside": b"<svg xmlns='http://www.w3.org/2000/svg'><use href='file:///etc/passwd#a'/><script>1</script></svg>",
    "in itself": b"<svg xmlns='http://www.w3.org/2000/svg'><g id='a'><use href='#a'/></g></svg>",
    "bomb": b"<svg xmlns='http://www.w3.org/2000/svg'>" + b"".join(
        b"<g id='g%d'>" % n + b"<use href='#g%d'/>" % (n - 1) * 9 + b"<path d='M0 0h1v1z'/></g>" for n in range(1, 9)
    ) + b"</svg>",
    "no numbers": b"<svg xmlns='http://www.w3.org/2000/svg'><path d='M nan inf h 1e400 v9z'/></svg>",
}  # fmt: skip


@pytest.mark.parametrize("name", BAD)
def test_a_bad_svg_gets_a_clear_word(name: str) -> None:
    with pytest.raises(BadPicture, match=r"x\.svg cannot be read"):
        svg.read_svg(BAD[name], "x.svg")


def test_outline_data_survives_and_rubbish_is_refused() -> None:
    disc = [np.array([(3.0, 0.0)]), np.array([(3.0, 1.65), (1.65, 3.0), (0.0, 3.0)]), np.array([(0.0, 0.0)])]
    data, *box = outline_data.data_of([disc])
    assert box == [3.0, 3.0, (1.5, 1.5)]
    (made,) = outline_data.contours_of(data, 300, 300)
    assert made.min() == -150 and made.max() == 150
    for text in ("M0 0 Q1 1 2 2Z", "hello", "M0 0L1Z", "5 5"):
        with pytest.raises(ValueError, match="cannot be read"):
            Shape(kind="outline", outline=text)


# -- typed, and by handles -------------------------------------------------------------


def test_shapes_are_typed_with_units_and_told_apart(tmp_path: Path) -> None:
    facts = Facts(400, 200)
    item = {
        "kind": "rectangle",
        "x": "100px",
        "y": "25%",
        "width": "50px",
        "corner": ["4px", 0, "2%", 0],
        "level": -1,
    }
    shape = typed_shape(item, 1, facts)
    assert (shape.x, shape.y, shape.width, shape.corner, shape.corner_3) == (0.25, 0.25, 0.25, 0.02, 0.02)
    assert typed_shape({"kind": "ring", "width": 0.5, "inner": "50px"}, 1, facts).inner == 0.5
    icon = tmp_path / "a.svg"
    icon.write_text("<svg xmlns='http://www.w3.org/2000/svg'><path d='M0 0h20v10h-20z'/></svg>")
    brought = typed_shape({"svg": str(icon), "width": "100px"}, 1, facts)
    assert (brought.kind, brought.width, brought.height) == ("outline", 0.5, 0.25)
    for wrong, words in (
        ({"kind": "blob"}, "Shape 3: kind cannot be 'blob'"), ({"size": 1}, "no setting 'size'"), (7, "no object"),
        ({"kind": "polygon", "sides": 2}, "sides cannot be 2"), ({"width": "wide"}, "Width"),
        ({"corner": [1, 2]}, "four"), ({"kind": "path", "points": [[1]]}, "x, y"),
        ({"repeat": "grid", "rows": 50, "columns": 60}, "columns cannot be 60"),
    ):  # fmt: skip
        with pytest.raises(BadValue, match=words):
            typed_shape(wrong, 3, facts)


def test_shapes_from_the_terminal(tmp_path: Path) -> None:
    items = tmp_path / "shapes.json"
    items.write_text(
        json.dumps([{"kind": "disc", "width": "496px"}, {"kind": "slot", "width": 0.3, "meets": "take"}])
    )
    out = tmp_path / "rivet.png"
    typed = ["make", "--blank", "512,0", "--step", f"shapes items=@{items}", "-o", str(out)]
    assert CliRunner().invoke(main, typed).exit_code == 0
    tones = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)
    assert tones[256, 100] == 65535 and tones[256, 256] == 0 and tones[0, 0] == 0
    items.write_text('[{"kind": "polygon", "sides": 2}]')
    told = CliRunner().invoke(main, [*typed, "--force"])
    assert told.exit_code == 2 and "Shape 1" in told.output


@given(st.sampled_from(sorted(SHAPES)), st.floats(-170, 170), st.floats(4, 300), st.floats(4, 300))
def test_a_frame_comes_back_as_it_was_set(kind: str, turn: float, w: float, h: float) -> None:
    way = ((-0.2, 0.1), (0.1, -0.2, 0.5), (0.2, 0.2, 1.0, -0.1, 0.0, 0.1, 0.0)) if kind == "path" else ()
    shape = Shape.model_validate({"kind": kind, "points": way})
    frame = frames.frame_of(shape, 300, 400)
    wanted = frames.Frame(123.0, 77.5, w, w if frame.even else h, turn, frame.even)
    again = frames.frame_of(frames.reframed(shape, wanted, 300, 400), 300, 400)
    assert again.even == wanted.even
    for name in ("x", "y", "half_width", "half_height", "turn"):
        assert getattr(again, name) == pytest.approx(getattr(wanted, name), abs=1e-6)


def test_several_are_lined_up_and_spread() -> None:
    made = {n: frames.Frame(50.0 * n + n * n, 40.0 + 7 * n, 10.0 + n, 5.0) for n in range(4)}
    assert len({round(f.box()[0], 9) for f in frames.aligned(made, "left").values()}) == 1
    assert len({round(f.y, 9) for f in frames.aligned(made, "centre").values()}) == 1
    boxes = [f.box() for f in frames.spread(made, "x").values()]
    gaps = [b[0] - a[2] for a, b in pairwise(boxes)]
    assert max(gaps) - min(gaps) < 1e-9 and boxes[0] == made[0].box()


def test_places_of_a_way_are_moved_added_and_given_handles() -> None:
    shape = Shape(kind="path", points=((-0.2, 0.0), (0.0, 0.1), (0.2, 0.0)), turn=30, x=0.4)
    for spot in ((10.0, 20.0), (333.0, 222.0)):
        assert ways.spots(ways.moved(shape, "place", 1, spot, 300, 400), 300, 400)["place", 1] == pytest.approx(
            spot, abs=1e-3
        )
    spots = ways.spots(shape, 300, 400)
    between = tuple((np.array(spots["place", 0]) + spots["place", 1]) / 2)
    more = ways.added(shape, between, 300, 400)  # type: ignore[arg-type]
    assert len(more.points) == 4 and ways.spots(more, 300, 400)["place", 1] == pytest.approx(between, abs=1e-3)
    assert ways.removed(more, 1).points == shape.points
    handed = ways.handed(shape, 1)
    turned = ways.moved(handed, "out", 1, (200.0, 250.0), 300, 400)
    point = turned.points[1]
    assert point[3] * point[6] == pytest.approx(point[4] * point[5], abs=1e-6)  # in and out on one line
    assert len(ways.handed(handed, 1).points[1]) == 3


def test_a_drawing_step_leaves_an_untouched_plate_alone() -> None:
    ground: Any = np.full((8, 8), 0.3, np.float32)
    assert (run("shapes", ground).pixels == ground).all() and Step.make("shapes").params.values()["items"] == ()
