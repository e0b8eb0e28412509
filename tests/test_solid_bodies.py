"""Solids: volumes and captured heights against formulas and rays, always closed; their list as a file."""

from __future__ import annotations

import json
import math
from pathlib import Path

import cv2
import numpy as np
import pytest
import trimesh
from click.testing import CliRunner
from PySide6.QtCore import QPointF
from PySide6.QtTest import QTest

from conftest import LEFT, drag, settle
from engraver.app.beginnings import begin_solids
from engraver.app.editors.solids_box import SolidsBox
from engraver.app.editors.solids_handles import turned
from engraver.app.views.capture_canvas import CaptureCanvas
from engraver.app.views.start_board import StartBoard
from engraver.app.window import Window
from engraver.cli.main import main
from engraver.core.errors import BadMesh, BadValue
from engraver.core.mesh.capture import capture_heights, measured
from engraver.core.mesh.shape import Shape
from engraver.core.solids.build import body_of, joined, mesh_from
from engraver.core.solids.model import KINDS, Solid, file_of, solids_of
from engraver.core.sources import SourceStore
from engraver.core.sources.solids import SolidsCapture, listed, with_solids

X, Y, Z = 1.4, 0.9, 0.7
VOLUMES = {
    "box": X * Y * Z, "cylinder": math.pi / 4 * X * Y * Z, "cone": math.pi / 12 * X * Y * Z,
    "ball": math.pi / 6 * X * Y * Z, "dome": math.pi / 6 * X * Y * Z, "wedge": X * Y * Z / 2,
    "pyramid": X * Y * Z / 3, "prism": 1.5 * math.sqrt(3) / 4 * X * Y * Z,
    "tube": math.pi / 4 * X * Y * Z * (1 - 0.36),
    # Of outer width 1 and thickness 0.3: 2 pi^2 R r^2, then stretched.
    "torus": 2 * math.pi**2 * 0.35 * 0.15**2 * X * Y * Z / 0.3,
}  # fmt: skip
# Height over the foot in units of Z, by places across in units of half the width, on the middle line.
HEIGHTS = {
    "box": lambda u: np.ones_like(u), "cylinder": lambda u: np.ones_like(u), "cone": lambda u: 1 - np.abs(u),
    "ball": lambda u: 0.5 + 0.5 * np.sqrt(1 - u * u), "dome": lambda u: np.sqrt(1 - u * u),
    "wedge": lambda u: 0.5 + 0.5 * u, "pyramid": lambda u: 1 - np.abs(u),
}  # fmt: skip


def test_every_kind_is_tried_here() -> None:
    assert set(VOLUMES) == set(KINDS)


@pytest.mark.parametrize("kind", KINDS)
def test_a_solid_has_its_formulas_volume_and_is_closed(kind: str) -> None:
    solid = Solid.model_validate({
        "kind": kind, "size_x": X, "size_y": Y, "size_z": Z, "at_x": 3, "turn_x": 20, "turn_z": 50,
    })  # fmt: skip
    assert body_of(solid).volume() == pytest.approx(VOLUMES[kind], rel=1e-4)
    mesh = mesh_from((solid,), "x")
    whole = trimesh.Trimesh(mesh.points, mesh.faces, process=False)
    assert whole.is_watertight and whole.volume == pytest.approx(VOLUMES[kind], rel=2e-4)


@pytest.mark.parametrize("kind", HEIGHTS)
def test_captured_heights_are_the_formulas(kind: str) -> None:
    solid = Solid.model_validate({"kind": kind, "size_x": 2, "size_y": 2, "size_z": 0.8})
    shape = Shape(mesh_from((solid,), "x"))
    reading = SolidsCapture(view="top", depth="set", lo=-0.4, hi=0.4, side=401, samples="1", margin=0.0)
    row = capture_heights(shape, reading, measured(shape, reading), (401, 401)).pixels[200]
    u = (np.arange(401) + 0.5) / 200.5 - 1
    inside = np.abs(u) < 0.97
    assert np.abs(row - HEIGHTS[kind](u))[inside].max() < 2e-4


@pytest.mark.parametrize("edges", ["round", "cut"])
def test_edges_take_off_what_they_should(edges: str) -> None:
    """Steiner's formula of a ball and a smaller box for rounded edges; prisms along the edges for cut ones."""
    e = 0.2 * 1.0
    solid = Solid.model_validate({"edges": edges, "edge": 0.2})
    if edges == "round":
        a = 1 - 2 * e
        volume = a**3 + 6 * a * a * e + 12 * a * math.pi * e * e / 4 + 4 / 3 * math.pi * e**3
    else:
        volume = float(body_of(solid).volume())
        assert 1 - 12 * e * e / 2 < volume < 1
    assert body_of(solid).volume() == pytest.approx(volume, rel=2e-3)
    for kind in ("cylinder", "tube", "prism"):
        sharp, soft = (body_of(Solid.model_validate({"kind": kind, "edges": v})) for v in ("sharp", edges))
        assert 0.9 * sharp.volume() < soft.volume() < sharp.volume()


def test_joins_and_cuts_are_closed_and_seen_as_rays_see_them() -> None:
    rng = np.random.default_rng(4)
    for _ in range(4):
        solids = tuple(
            Solid.model_validate({
                "kind": rng.choice(sorted(KINDS)), "op": rng.choice(["join", "join", "cut"]) if n else "join",
                **{f"at_{a}": rng.uniform(-0.5, 0.5) for a in "xyz"},
                **{f"size_{a}": rng.uniform(0.4, 1.5) for a in "xyz"},
                **{f"turn_{a}": rng.uniform(-90, 90) for a in "xyz"},
            })
            for n in range(4)
        )  # fmt: skip
        body = joined(solids)  # worked out when it is first asked, which takes a second
        if body.is_empty():
            continue
        mesh = mesh_from(solids, "x")
        whole = trimesh.Trimesh(mesh.points + mesh.origin, mesh.faces, process=False)
        assert whole.is_watertight and whole.volume == pytest.approx(body.volume(), rel=1e-3)
        shape = Shape(mesh)
        reading = SolidsCapture(view="top", depth="exact", side=40, samples="1")
        found = measured(shape, reading)
        raster = capture_heights(shape, reading, found, (40, 40))
        at = (np.arange(40) + 0.5) / 40 - 0.5
        # The frame is about the mesh's own middle.
        x, y = found.frame.x + at * found.frame.width, found.frame.y - at * found.frame.width
        grid = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2) + mesh.origin[:2]
        starts = np.column_stack([grid, np.full(len(grid), 10.0)])
        hits, ray, _ = whole.ray.intersects_location(starts, np.tile([0.0, 0.0, -1.0], (len(grid), 1)), False)
        high = np.full(len(grid), -np.inf)
        np.maximum.at(high, ray, hits[:, 2])
        tone = ((high - found.lo) / found.units).reshape(40, 40)
        cover = np.ones((40, 40)) if raster.coverage is None else raster.coverage
        there = np.isfinite(tone) & (cover > 0)
        off = np.abs(raster.pixels - tone)[there]
        assert np.quantile(off, 0.99) < 1e-4  # rays that graze an upright wall may fall on either side


def test_a_list_is_a_file_and_a_wrong_one_is_told() -> None:
    solids = solids_of(b'[{"kind":"tube","at":[1,2,3],"size":[2,2,1],"turn":[0,0,45],"op":"cut","inner":0.5}]', "x")
    assert (solids[0].at_z, solids[0].size_x, solids[0].turn_z, solids[0].op) == (3, 2, 45, "cut")
    assert solids_of(file_of(solids), "x") == solids
    store = SourceStore()
    source = store.add(file_of(solids), "rivet.solids")
    assert source.kind == "solids" and listed(source, store) == solids
    more = with_solids(source, (*solids, Solid()), store)
    assert (
        more.id == source.id
        and len(listed(more, store)) == 2
        and store.key(more, SolidsCapture()) != store.key(source, SolidsCapture())
    )
    for data, words in (
        (b"{}", "no list"), (b"[", "cannot be read"), (b"[1]", "no object"), (b'[{"kind":"blob"}]', "kind cannot be"),
        (b'[{"size":[1,1]}]', "three numbers"), (b'[{"wide":1}]', "no setting 'wide'"),
        (b'[{"size":[0,1,1]}]', "size_x cannot be"), (b'[{"kind":"prism","sides":2}]', "three sides"),
    ):  # fmt: skip
        with pytest.raises((BadMesh, BadValue), match=words):
            solids_of(data, "x")
    nothing = (Solid(), Solid(size_x=2, size_y=2, size_z=2, op="cut"))
    with pytest.raises(BadMesh, match="Nothing is left"):
        mesh_from(nothing, "x")


def test_solids_from_the_terminal(tmp_path: Path) -> None:
    path, out = tmp_path / "rivet.json", tmp_path / "rivet.png"
    slot = {"size": [1, 0.2, 0.6], "at": [0, 0, 0.4], "op": "cut"}
    path.write_text(json.dumps([{"kind": "cylinder", "size": [2, 2, 0.5]}, slot]))
    typed = ["make", "--solids", str(path), "--view", "top", "--side", "256", "-o", str(out)]
    assert CliRunner().invoke(main, typed).exit_code == 0
    tones = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)
    assert tones[128, 60] == 65535 and tones[0, 0] == 0 and tones[128, 128] < 65535
    path.write_text('[{"kind": "blob"}]')
    told = CliRunner().invoke(main, [*typed, "--force"])
    assert told.exit_code != 0 and "Solid 1" in told.output


def test_a_body_from_solids_by_hand(window: Window) -> None:
    settle(window)
    view, board = window.bench.plate_view, window.findChild(StartBoard)
    assert board is not None and board.isVisible()
    begin_solids(window.studio)
    # The board goes at once, though the first picture of a plate may take its time.
    assert not board.isVisible() and view.canvas.words == "Getting the plate ready…" and view.zoom.text() == "Fit ▾"
    settle(window)
    assert view.zoom.text().endswith("% ▾") and not window.captures.hole_words()  # its rounded border is no hole
    box = window.findChild(SolidsBox)
    assert isinstance(box, SolidsBox) and len(box.solids) == 1 and window.studio.step_uid == ""
    QTest.mouseClick(box.buttons["cylinder"], LEFT)
    settle(window)
    assert [s.kind for s in box.solids] == ["box", "cylinder"] and box.list.currentRow() == 1
    for name, value in (("size_z", 0.6), ("op", "cut"), ("at_z", 0.3)):
        box.rows[name].edited.emit(value)  # type: ignore[attr-defined]
        box.rows[name].finished.emit()  # type: ignore[attr-defined]
        settle(window)
    full = window.pictures.full
    assert full is not None and window.studio.plate is not None
    tones = full.result.raster.flat()
    assert tones[512, 512] < 0.5 < tones[512, 900] and box.list.item(1).text().endswith("cuts")
    window.studio.undo()
    settle(window)
    assert box.solids[1].at_z == 0.25 and box.solids[1].op == "cut"
    QTest.mouseClick(box.remove, LEFT)
    settle(window)
    assert len(box.solids) == 1 and not box.remove.isEnabled()


def test_a_solid_is_dragged_and_sized_in_the_view(window: Window) -> None:
    begin_solids(window.studio)
    settle(window)
    window.ui.solids.tell((*window.ui.solids.solids, Solid(kind="cylinder", size_z=0.5, at_z=0.4)), "Two")
    window.captures.show_large(True)
    settle(window)
    canvas = next(c for c in window.findChildren(CaptureCanvas) if c.isVisible())
    middle = canvas.to_screen(0.0, 0.0)
    unit = canvas.to_screen(1.0, 0.0).x() - middle.x()
    entries = window.studio.history.place
    drag(canvas, middle, middle + QPointF(0.42 * unit, -0.3 * unit))  # the smaller of two that lie there
    settle(window)
    moved = window.ui.solids.solids[1]
    assert window.ui.solids.place == 1 and window.studio.history.place == entries + 1
    # Up on the screen is y of the body, seen from the top; it holds at twentieths of a unit.
    assert (moved.at_x, moved.at_y, moved.at_z) == pytest.approx((0.4, 0.3, 0.4), abs=0.021)
    assert moved.at_x * 20 == pytest.approx(round(moved.at_x * 20), abs=1e-6)
    box = canvas.bodies.active.chosen and canvas._eye().box(moved)
    assert box
    drag(canvas, box.topRight(), box.topRight() + QPointF(0.2 * unit, -0.1 * unit))
    settle(window)
    sized = window.ui.solids.solids[1]
    assert (sized.at_x, sized.at_y, sized.size_z) == (moved.at_x, moved.at_y, moved.size_z)
    assert sized.size_x == pytest.approx(1.4, abs=0.06) and sized.size_y == pytest.approx(1.2, abs=0.06)
    turn = window.studio.plate.reading.turn  # type: ignore[union-attr]
    drag(canvas, QPointF(6, canvas.height() / 2), QPointF(30, canvas.height() / 2))  # beside all: it turns
    settle(window)
    assert window.studio.plate.reading.turn != turn  # type: ignore[union-attr]


def test_a_solids_turn_is_the_librarys() -> None:
    """About x, then y, then z, as manifold3d turns it."""
    solid = Solid(kind="wedge", size_x=2, size_y=1, size_z=0.5, turn_x=30, turn_y=-50, turn_z=70, at_x=0.3)
    low, high = np.array(body_of(solid).bounding_box()).reshape(2, 3)
    corners = np.array([(-1, -0.5, -0.25), (1, -0.5, -0.25), (1, -0.5, 0.25), (-1, 0.5, -0.25), (1, 0.5, -0.25),
                        (1, 0.5, 0.25)]) @ turned(solid).T + (0.3, 0, 0)  # fmt: skip
    assert corners.min(axis=0) == pytest.approx(low, abs=1e-5) and corners.max(axis=0) == pytest.approx(
        high, abs=1e-5
    )
