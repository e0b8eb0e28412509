"""The demo: made from a seed, the same everywhere, ready for its brush; and its pictures."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import skimage
import trimesh

from conftest import png_bytes
from engraver.core.cords.trial import on_curve
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.engine.line import assemble
from engraver.core.files.picture import Reading
from engraver.core.files.read import facts, load
from engraver.core.numeric import resample
from engraver.core.pressing.strip import joins
from engraver.core.readiness import Gauge, Measured, deliver, destination
from engraver.core.readiness.fixes import apply_fix
from engraver.core.readiness.measure import gauges
from engraver.core.recipe import Project, edits
from engraver.core.recipe.first import READ_AS, first_steps, shipped_recipe
from engraver.core.recipe.first_mesh import first_capture
from engraver.core.recipe.models import PictureAs
from engraver.core.recipe.recognise import guess
from engraver.core.sources.mesh import auto_frame, shape_of
from engraver.core.sources.trial import own_of
from engraver.core.steps.frame import Crop, crop_box
from engraver.demo import casts, copper, harbour, kept, papers, photos, props, quay, shots
from engraver.demo.along import BELT, BRAID, CHAIN, POST, RIM


def test_props_come_from_their_seed() -> None:
    for make in (lambda seed: props.barnacles(160, seed), lambda seed: props.ripples(120, 160, seed)):
        first, again, other = make(5), make(5), make(6)
        assert np.array_equal(first, again) and np.abs(first - other).max() > 0.1
        assert first.min() >= 0 and first.max() <= 1 and first.std() > 0.05 and first.dtype == np.float32


def test_photos_are_what_a_phone_would_take() -> None:
    """Uneven light, a colour cast, a board round the slab, noise: each of them is there."""
    slab = photos.barnacle_slab(400)
    left, top, width, height = slab.kept
    inside = slab.rgb[top : top + height, left : left + width].astype(float)
    board = slab.rgb[: top // 2].astype(float)
    assert board.mean() > 1.5 * inside.mean()
    red, green, blue = (slab.rgb[..., c].mean() for c in range(3))
    assert red > green > blue * 1.05
    assert slab.light.max() / slab.light.min() > 1.8
    assert slab.heights.shape == (height, width)
    sand = photos.sand_ripples(300, 420)
    quarter = sand.rgb.shape[1] // 4
    assert sand.rgb[:, :quarter].mean() > 1.25 * sand.rgb[:, -quarter:].mean()
    known = facts(sand.file(), sand.name)
    assert (known.format, known.width, known.height, known.lossy) == ("JPEG", 420, 300, True)
    assert np.abs(load(sand.file(), sand.name).pixels * 255 - sand.rgb).mean() < 3


def kinds_of_pictures() -> list[tuple[str, str, bytes]]:
    """Made and open pictures (scikit-image's, CC0 or public domain) and what a person would read them as."""
    slab = photos.barnacle_slab(700)
    left, top, width, height = slab.kept
    page = papers.knot_drawings(700, 980)
    x0, y0, x1, y1 = page.boxes[1]
    board = papers.float_on_board(600, 640)

    def png(values: np.ndarray) -> bytes:
        return png_bytes((np.clip(values, 0, 1) * 255).astype(np.uint8))

    made = [
        ("slab", "relief", png_bytes(slab.rgb[top : top + height, left : left + width])),
        ("barnacles", "relief", png(0.06 + 0.8 * props.barnacles(500))),
        ("ripples", "surface", photos.sand_ripples(500, 700).file()),
        ("net photographed", "surface", png(0.25 + 0.5 * harbour.net_weave(500, 560))),
        ("net scanned", "sheet", papers.net_sheet(650, 850).file()),
        ("page", "drawing", page.file()),
        ("one drawing", "drawing", png_bytes(page.rgb[y0 - 25 : y1 + 25, x0 - 25 : x1 + 25])),
        ("ink", "drawing", png(0.95 - 0.85 * harbour.knot_drawing(400, 2))),
        ("float", "subject", board.file()),
        ("float on dark", "subject", png(0.12 + board.matte * (board.heights - 0.1))),  # type: ignore[operator]
    ]
    opened = {"brick": "surface", "grass": "surface", "gravel": "surface", "page": "drawing", "text": "drawing",
              "coins": "relief", "horse": "subject"}  # fmt: skip
    for name, kind in opened.items():
        picture = getattr(skimage.data, name)()
        made.append((f"open {name}", kind, png_bytes(picture * np.uint8(255) if picture.dtype == bool else picture)))
    return made


def test_a_dropped_picture_is_read_as_what_it_is() -> None:
    """At least nine in ten of the test set."""
    right = {}
    for name, kind, data in kinds_of_pictures():
        right[name] = guess(load(data, name), facts(data, name)) == kind
    assert sum(right.values()) >= 0.9 * len(right), right


@pytest.mark.parametrize("kind", list(READ_AS))
def test_every_kind_starts_with_a_line_that_works(kind: PictureAs) -> None:
    board = papers.float_on_board(240, 300)
    store = SourceStore()
    source = store.add(png_bytes(board.rgb), "float.png")
    raster = load(store.bytes_of(source), "float.png")
    steps = first_steps(kind, raster.facts(), raster)
    result = Engine(store).evaluate(assemble(source, Reading(), steps, 1, store), Request(exact=True)).raster
    assert kind in ("plain", "sheet") or result.width == result.height
    assert np.isfinite(result.flat()).all()
    shipped = shipped_recipe(kind)
    assert [s.kind for s in shipped.steps] == [s.kind for s in steps] and shipped == shipped_recipe(kind)


def test_photos_are_kept_once_made_and_a_refusing_cache_only_costs_time(tmp_path: Path) -> None:
    made = []

    def make() -> photos.Photo:
        made.append(1)
        return photos.sand_ripples(60, 80)

    first = quay.photo_file(make, "sand.jpg", tmp_path / "cache")
    assert quay.photo_file(make, "sand.jpg", tmp_path / "cache") == first and len(made) == 1
    (tmp_path / "file").write_bytes(b"")
    assert quay.photo_file(make, "sand.jpg", tmp_path / "file") == first and len(made) == 2


@pytest.fixture(scope="module")
def demo() -> tuple[object, SourceStore]:
    store = SourceStore()
    return quay.demo_project(store), store


def test_what_lies_along_the_quays_curves_is_whole_and_without_a_word(demo: tuple[quay.Project, SourceStore]) -> None:
    project, store = demo
    engine = Engine(store)
    for name, count in ((POST, 3), (RIM, 0), (CHAIN, 1), (BELT, 0), (BRAID, 0)):
        trial = next(t for t in project.trials if t.name == name)
        lines = {id: resolve(project, id, store) for id in trial.plates}
        tips = engine.tips(lines, bodies=trial.bodies)
        source = next((s for s in project.sources if s.id == trial.own), None)
        own = own_of(trial, source, store)
        seen = [on_curve(g, trial.declared.geometry, own, tips, store.cache) for g in trial.gestures]
        assert not [note.words for one in seen for note in one.notes], name
        cords = [cord for one in seen for cord in one.cords]
        assert len(cords) == count
        for cord in cords:
            body = trimesh.Trimesh(cord.points, cord.faces, process=False)
            assert body.is_watertight and body.volume > 0
    strip = next(p for p in project.plates if p.name == "Plaited strip")
    answer = engine.evaluate(resolve(project, strip.id, store), Request())
    assert answer.raster.wrap == (True, False) and joins(answer.raster.pixels)


def test_the_demo_has_plates_of_every_kind(demo: tuple[quay.Project, SourceStore]) -> None:
    project, _ = demo
    kinds = [p.read_as for p in project.plates]
    assert project.name == "Saltmarrow Quay"
    assert kinds[:8] == ["relief", "surface", "sheet", "drawing", "subject", "detail", "object", "rolled"]
    assert [p.name for p in project.plates][8:] == [
        "Carved knot", "Copper", "Wet hollows", "Copper tile", "Ship timber", "Rough sand", "Hull rivet",
        "Name board", "Net lashing", "Roof tiles", "Harbour crest", "Pitted iron", "Carved board",
        "Mooring cleat", "Fouled plank", "Rope lay", "Chain link", "Scroll moulding", "Scroll end", "Flat plait",
        "Plaited strip",
    ]  # fmt: skip


@pytest.mark.parametrize(
    "name",
    [
        "Barnacles",
        "Sand ripples",
        "Net weave",
        "Cork float",
        "Carved panel",
        "Wet hollows",
        "Copper tile",
        "Ship timber",
        "Pot frieze",
        "Knot-work",
        "Carved knot",
        "Copper",
    ],
)
def test_the_demo_is_ready_for_where_it_goes(demo: tuple[quay.Project, SourceStore], name: str) -> None:
    project, store = demo
    plate = next(p for p in project.plates if p.name == name)
    raster = Engine(store).evaluate(resolve(project, plate.id, store), Request(exact=True)).raster
    to = destination(plate.ready_for or "sculpt-stamp")
    found = gauges(Measured.delivered(deliver(raster, to)))
    # How soft a source is cannot always be told; and what was grown from patches holds some of them twice.
    known = {"repeat"} if any(step.kind == "grow" for step in project.line(plate.id)) else set()
    # A small drawing, carved large; a mesh of few triangles.
    known |= {"detail"} if raster.source_per_pixel * raster.detail < 0.75 else set()
    assert not {g.id for g in found if g.verdict in ("look", "fault")} - known
    if to.tiling != "none":
        assert raster.wrap[0] and {g.id: g.verdict for g in found}["seam"] == "good"


def test_one_plate_is_left_wanting_and_fixes_put_it_right(demo: tuple[quay.Project, SourceStore]) -> None:
    project, store = demo
    to = destination("sculpt-stamp")
    plate = next(p for p in project.plates if p.name == "Rough sand")

    def now() -> list[Gauge]:
        raster = Engine(store).evaluate(resolve(project, plate.id, store), Request(exact=True)).raster
        return gauges(Measured.delivered(deliver(raster, to)))

    faults = [g for g in now() if g.verdict == "fault"]
    assert {"size", "border"} <= {g.id for g in faults}
    for _ in range(6):
        faults = [g for g in now() if g.verdict == "fault"]
        if not faults:
            break
        project, _ = apply_fix(project, plate.id, faults[0], to)
    assert not faults


def test_the_demos_crop_leaves_the_board_out(demo: tuple[quay.Project, SourceStore]) -> None:
    project, store = demo
    plate = project.plates[0]
    line = resolve(project, plate.id, store)
    crop = line.steps[0].params
    assert isinstance(crop, Crop)
    left, top, width, height = crop_box(crop, line.facts[0])
    photo = photos.barnacle_slab()
    x, y, kept_w, kept_h = photo.kept
    assert x <= left and y <= top and left + width <= x + kept_w and top + height <= y + kept_h
    assert width > 0.9 * kept_w
    # Only here: the recipe itself knows nothing of this photo's board.
    assert project.recipe(plate.recipe).steps[0].params == Crop()
    assert quay.demo_project(SourceStore()).recipes[0].steps == project.recipes[0].steps


def test_the_pictures_in_the_docs_are_those_the_command_makes() -> None:
    folder = Path(__file__).parent.parent / "docs" / "screenshots"
    assert {p.stem for p in folder.glob("*.png")} == set(shots.SHOTS)
    root = folder.parent.parent
    words = "".join((root / p).read_text(encoding="utf-8") for p in ("README.md", "docs/guide.md"))
    for name in shots.SHOTS:
        known = facts((folder / f"{name}.png").read_bytes(), name)
        assert f"{name}.png" in words
        sheet = name in ("export", "arrives")  # as large as they are
        assert (known.width, known.height) == (1280, 800) or (sheet and known.width <= 1280)


def test_the_casts_come_back_as_their_truth(demo: tuple[quay.Project, SourceStore]) -> None:
    """The tilted panel laid flat, the leaning pot rolled out: the relief they were made from, and small files."""
    project, store = demo
    by_name = {p.name: p for p in project.plates}
    truths = {"Carved panel": casts.knot_panel().truth, "Pot frieze": casts.frieze_pot().truth}
    for name, truth in truths.items():
        line = resolve(project, by_name[name].id, store)
        raster = Engine(store).evaluate(line, Request(upto="", exact=True)).raster
        rows, columns = truth.shape
        if name == "Pot frieze":  # the band in the middle of the wall
            found = auto_frame(line.source, line.reading, store)  # type: ignore[arg-type]
            kept = round(rows * raster.height / raster.width * found.frame.width / 70 / 2)
            truth = truth[rows // 2 - kept : rows // 2 + kept]
        small = resample.resize(raster.pixels, truth.shape[0], columns)
        best = max(
            float(np.corrcoef(np.roll(truth, by, axis=1).ravel(), small.ravel())[0, 1])
            for by in (range(0, columns, 2) if name == "Pot frieze" else (0,))
        )
        assert best >= 0.99, (name, best)
    changes = {
        "Carved panel": {"side": 1024, "zero_at": "lowest"}, "Oyster shell": {"side": 1024, "zero_at": "middle"},
        "Pot frieze": {"side": 1024, "form": "cone", "band": 0.25, "zero_at": "lowest"},
    }  # fmt: skip
    for name, more in changes.items():  # looked at as they are when they are dropped
        plate = by_name[name]
        shape = shape_of(project.source(plate.source), store)
        assert first_capture(shape, plate.read_as).but(**more) == plate.reading  # type: ignore[arg-type]
    files = [make().file() for make in (casts.knot_panel, casts.oyster_shell, casts.frieze_pot)]
    assert sum(map(len, files)) < 12_000_000


def test_a_drawing_becomes_carved_and_copper_loses_its_bulge(demo: tuple[quay.Project, SourceStore]) -> None:
    """Smooth ridges without terraces or spikes; the dents stay, what is wider goes; the knot is where it is said."""
    project, store = demo
    by_name = {p.name: p for p in project.plates}

    def finished(name: str, upto: str | None = None) -> np.ndarray:
        line = resolve(project, by_name[name].id, store)
        return Engine(store).evaluate(line, Request(upto=upto, exact=True)).raster.flat()

    carved = finished("Carved knot")
    assert carved.max() > 0.75 and np.unique(carved.round(4)).size > 2000
    assert np.abs(np.diff(carved, 2, axis=1)).max() < 0.06 and np.abs(np.diff(carved, 2, axis=0)).max() < 0.06
    assert tuple(quay.KNOT) == papers.knot_drawings().boxes[1]
    scan = copper.hammered_copper()
    flat = finished("Copper", "copper-coarse-fine")
    assert np.corrcoef(flat.ravel(), scan.dents.ravel())[0, 1] > 0.75
    assert np.corrcoef(scan.heights.ravel(), scan.dents.ravel())[0, 1] < 0.6
    wet = finished("Wet hollows")
    assert wet.min() == 0 and wet.max() > 0.9 and 0.1 < (wet > 0.5).mean() < 0.5


def test_the_demo_is_kept_as_a_project_and_made_again_where_it_is_damaged(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made: list[str] = []

    def small(sources: SourceStore) -> Project:
        made.append("")
        source = sources.add(png_bytes(np.full((9, 7), len(made), np.uint8)), "slab.png")
        return edits.add_plate(Project(name=f"Quay {len(made)}"), source, "Slab", ())[0]

    monkeypatch.setattr(kept, "demo_project", small)
    folder, again = tmp_path / "new" / "demo", SourceStore()
    first = kept.kept_demo(SourceStore(), folder)
    assert kept.kept_demo(again, folder) == first and len(made) == 1
    assert again.bytes_of(first.sources[0]) == png_bytes(np.full((9, 7), 1, np.uint8))
    (path,) = folder.iterdir()
    path.write_bytes(path.read_bytes()[:200])
    (folder / "Saltmarrow Quay of before.engraver").write_bytes(b"old")
    assert kept.kept_demo(SourceStore(), folder).name == "Quay 2" and list(folder.iterdir()) == [path]
    (tmp_path / "file").write_text("")
    assert kept.kept_demo(SourceStore(), tmp_path / "file").name == "Quay 3"  # a folder that cannot be
