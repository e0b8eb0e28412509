"""Many at once: the batch in the terminal, shared recipes, families, sheets, replaced sources, HEIC."""

from __future__ import annotations

import io
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from conftest import png_bytes
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.errors import BadPicture, BadValue
from engraver.core.files import heic
from engraver.core.files.read import facts, load
from engraver.core.numeric import parts, tone
from engraver.core.params import Stroke
from engraver.core.project import journal
from engraver.core.project.project_file import open_project, save
from engraver.core.project.recipe_file import save_recipe
from engraver.core.recipe import Project, Recipe, Step, edits, many
from engraver.demo import papers


def engraver(*words: object) -> subprocess.CompletedProcess[str]:
    done = [sys.executable, "-m", "engraver.cli.main", *map(str, words)]
    return subprocess.run(done, capture_output=True, text=True, check=False)


@pytest.fixture
def three(tmp_path: Path) -> list[Path]:
    found = []
    for n in range(3):
        found.append(tmp_path / f"cork_{n}.png")
        found[-1].write_bytes(png_bytes(np.random.default_rng(n).integers(0, 256, (90, 120, 3), dtype=np.uint8)))
    return found


def test_a_batch_makes_what_make_makes_and_passes_over_what_is_broken(three: list[Path], tmp_path: Path) -> None:
    recipe = tmp_path / "r.recipe"
    steps = (Step.make("crop"), Step.make("grey"), Step.make("denoise", method="median"), Step.make("falloff"),
             Step.make("size", side=256))  # fmt: skip
    save_recipe(Recipe(id="r", steps=steps), recipe)
    broken = tmp_path / "broken.jpg"
    broken.write_bytes(b"\xff\xd8\xff cut")
    out = tmp_path / "out"
    done = engraver("batch", recipe, *three, broken, "-o", out, "--for", "sculpt-stamp", "--jobs", 2)
    assert done.returncode == 1 and "broken.jpg cannot be read" in done.stderr and "Traceback" not in done.stderr
    assert "3 made, 1 passed over" in done.stdout
    assert sorted(p.name for p in out.iterdir()) == ["cork_0.png", "cork_1.png", "cork_2.png"]
    one = tmp_path / "one.png"
    assert engraver("make", three[1], "--recipe", recipe, "--for", "sculpt-stamp", "-o", one).returncode == 0
    assert one.read_bytes() == (out / "cork_1.png").read_bytes()
    again = engraver("batch", recipe, three[0], "-o", out, "--for", "sculpt-stamp")
    assert again.returncode == 0 and "0 made, 0 passed over, 1 there already" in again.stdout
    assert "1 made" in engraver("batch", recipe, three[0], "-o", out, "--for", "sculpt-stamp", "--force").stdout
    assert engraver("batch", "surface", three[0], "-o", tmp_path / "s").returncode == 0
    assert (tmp_path / "s" / "cork_0.png").is_file()


def test_a_batch_that_is_misused_says_how(three: list[Path], tmp_path: Path) -> None:
    done = engraver("batch", "no-such-recipe", three[0], "-o", tmp_path / "x")
    assert done.returncode == 2 and "surface, relief" in done.stderr
    twin = tmp_path / "other" / "cork_0.png"
    twin.parent.mkdir()
    twin.write_bytes(three[0].read_bytes())
    done = engraver("batch", "plain", three[0], twin, "-o", tmp_path / "x")
    assert done.returncode == 2 and "both become cork_0.png" in done.stderr


def two_plates() -> tuple[Project, str, str, SourceStore]:
    store = SourceStore()
    rng = np.random.default_rng(1)
    a, b = (store.add(png_bytes(rng.integers(0, 256, (60, 80), dtype=np.uint8)), f"{n}.png") for n in "ab")
    steps = (Step.make("crop"), Step.make("heal"), Step.make("levels"), Step.make("size", side=32))
    project, first = edits.add_plate(Project(), a, "A", steps)
    project, second = edits.add_plate(project, b, "B", (Step.make("crop"), Step.make("invert")))
    return project, first, second, store


def test_plates_that_share_a_recipe_change_together_but_for_what_is_only_here() -> None:
    project, a, b, _ = two_plates()
    mine, theirs = project.line(a)[0].uid, project.line(b)[0].uid
    project = edits.set_params(project, b, theirs, x=0.3)
    project = many.share_recipe(project, a, [b])
    assert [s.kind for s in project.line(b)] == ["crop", "heal", "levels", "size"] and len(project.recipes) == 1
    assert project.line(b)[0].params.x == 0.3, "its own crop stays"  # type: ignore[attr-defined]
    levels = project.line(a)[2].uid
    project = edits.set_params(project, a, levels, gamma=2.0)
    assert project.line(b)[2].params.gamma == 2.0  # type: ignore[attr-defined]
    project = edits.set_params(project, b, mine, x=0.7)
    assert project.line(a)[0].params.x == 0.5  # type: ignore[attr-defined]
    project = edits.set_only_here(project, b, levels, True)
    project = edits.set_params(project, b, levels, gamma=3.0)
    assert project.line(a)[2].params.gamma == 2.0  # type: ignore[attr-defined]
    project = edits.set_only_here(project, b, levels, False)
    assert project.line(b)[2].params.gamma == 2.0  # type: ignore[attr-defined]
    with pytest.raises(BadValue, match="this picture alone"):
        edits.set_only_here(project, b, mine, False)
    assert {p.id for p in many.sharing(project, a)} == {a, b}
    parted = many.part_from_recipe(project, b)
    parted = edits.set_params(parted, b, levels, gamma=4.0)
    assert parted.line(a)[2].params.gamma == 2.0 and many.part_from_recipe(parted, b) is parted  # type: ignore[attr-defined]


def test_plates_are_doubled_named_and_numbered() -> None:
    project, a, _, _ = two_plates()
    project, twin = many.duplicate_plate(project, a)
    project, crop = many.plate_from_source(project, a)
    assert [p.name for p in project.plates] == ["A", "A 3", "A 2", "B"]
    assert (
        project.plate(twin).recipe != project.plate(a).recipe
        and project.plate(crop).recipe == project.plate(a).recipe
    )
    assert len(project.sources) == 2


def test_a_family_is_one_parameter_over_several_values() -> None:
    project, a, _, store = two_plates()
    size = project.line(a)[3].uid
    project = many.family(project, a, size, "side", [16, 24, 48])
    assert [p.name for p in project.plates] == ["A", "A side 16", "A side 24", "A side 48", "B"]
    sides = [resolve(project, p.id, store).facts[-1].width for p in project.plates[:4]]
    assert sides == [32, 16, 24, 48]
    with pytest.raises(BadValue):
        many.family(project, a, size, "side", [])
    with pytest.raises(BadValue, match="99999"):
        many.family(project, a, size, "side", [99999])


def test_a_better_photo_keeps_all_steps() -> None:
    project, a, b, store = two_plates()
    better = store.add(png_bytes(np.full((120, 160), 200, np.uint8)), "better.png")
    changed = many.replace_source(project, a, better)
    assert changed.line(a) == project.line(a) and changed.plate(a).source == better.id
    assert {s.name for s in changed.sources} == {"better.png", "b.png"}
    assert changed.plate(b) == project.plate(b)
    follow = many.follow_recipe(changed, b, Recipe(id="x", name="R", steps=(Step.make("invert"),)))
    assert [s.kind for s in follow.line(b)] == ["invert"]


def test_all_six_drawings_of_the_demo_page_are_found_and_split() -> None:
    """Boxes within 2 % of the truth, no false ones; each becomes a plate with the same recipe."""
    page = papers.knot_drawings(900, 1260)
    grey = tone.mix((page.rgb / np.float32(255)).astype(np.float32), tone.LUMA_709)
    boxes = parts.find(grey)
    truth = np.array(page.boxes) / (1260, 900, 1260, 900)
    assert len(boxes) == 6 and np.abs(np.array(boxes) - truth).max() < 0.02
    assert parts.find(np.full((200, 300), 0.8, np.float32)) == [], "nothing on the sheet"
    store = SourceStore()
    source = store.add(png_bytes(page.rgb), "page.png")
    project, plate = edits.add_plate(Project(), source, "Knot", (Step.make("grey"), Step.make("size", side=64)))
    split, first = many.split_sheet(project, plate, boxes, (1260, 900), margin=0.05, keep=False)
    assert [p.name for p in split.plates] == [f"Knot {n}" for n in range(1, 7)] and split.plates[0].id == first
    assert len(split.recipes) == 1 and [s.kind for s in split.line(first)] == ["crop", "grey", "size"]
    for part, (left, _, right, _) in zip(split.plates, truth, strict=True):
        line = resolve(split, part.id, store)
        assert line.facts[1].width == pytest.approx((right - left) * 1260 * 1.1, rel=0.06)
    kept, _ = many.split_sheet(project, plate, boxes, (1260, 900), margin=0.05, keep=True)
    assert kept.plates[0].name == "Knot" and len(kept.plates) == 7 and len(kept.recipes) == 2
    assert [s.kind for s in kept.line(plate)] == ["grey", "size"]
    with pytest.raises(BadValue, match="nothing to split"):
        many.split_sheet(project, plate, [], (1260, 900), margin=0.05, keep=False)


def test_strokes_are_kept_beside_the_json_and_come_back(tmp_path: Path) -> None:
    project, a, _, store = two_plates()
    heal = project.line(a)[1].uid
    marks = (
        Stroke.through([(0.2, 0.3), (0.25, 0.31)], 0.02, "auto"),
        Stroke.through([(0.5, 0.5)], 0.1, "from", (0.1, 0)),
    )
    project = edits.set_params(project, a, heal, strokes=marks)
    path = tmp_path / "p.engraver"
    save(project, path, store)
    assert open_project(path, SourceStore()) == project
    kept = journal.Journal(tmp_path / "state")
    kept.keep(project, None, store)
    blobs = [p for p in (kept.folder / "sources").iterdir() if p.stat().st_size in (16, 32)]
    assert len(blobs) == 2
    found = journal.Kept(kept.folder, "p", None, 0.0)
    assert journal.recover(found, SourceStore()) == project
    blobs[0].unlink()
    with pytest.raises(Exception, match="missing"):
        journal.recover(found, SourceStore())
    recipe = Recipe(id="r", steps=project.line(a))
    save_recipe(recipe, tmp_path / "r.recipe")
    from engraver.core.project.recipe_file import open_recipe

    assert open_recipe(tmp_path / "r.recipe") == recipe
    assert marks[0] != marks[1] and marks[0] == Stroke.model_validate(marks[0].model_dump())
    for data in (b"", b"123", b"\x00\x00\xc0\x7f" * 4):
        with pytest.raises(ValueError):
            Stroke(radius=0.1, data=data)


def test_a_stroke_is_a_new_key_and_its_undo_the_old() -> None:
    project, a, _, store = two_plates()
    heal = project.line(a)[1].uid
    before = resolve(project, a, store).keys[-1]
    stroked = edits.set_params(project, a, heal, strokes=(Stroke.through([(0.4, 0.4)], 0.05, "auto"),))
    assert resolve(stroked, a, store).keys[-1] != before == resolve(project, a, store).keys[-1]
    engine = Engine(store)
    one, two = (engine.evaluate(resolve(p, a, store), Request(exact=True)).raster.pixels for p in (project, stroked))
    assert not np.array_equal(one, two)


def test_phone_photos_are_read(monkeypatch: pytest.MonkeyPatch) -> None:
    pillow_heif = pytest.importorskip("pillow_heif")
    rgb = np.zeros((48, 64, 3), np.uint8)
    rgb[:, :32] = (200, 60, 40)
    out = io.BytesIO()
    pillow_heif.from_pillow(Image.fromarray(rgb)).save(out, quality=95)
    known = facts(out.getvalue(), "a.heic")
    assert (known.format, known.width, known.height, known.lossy) == ("HEIC", 64, 48, True)
    pixels = load(out.getvalue(), "a.heic").pixels
    assert np.abs(pixels[24, 8] * 255 - (200, 60, 40)).max() < 8 and pixels[24, 56].max() < 0.05
    with pytest.raises(BadPicture, match="cut short"):
        load(out.getvalue()[:150], "a.heic")
    monkeypatch.setitem(sys.modules, "pillow_heif", None)
    with pytest.raises(BadPicture, match="decoder for HEIC pictures is not installed"):
        heic.facts(out.getvalue(), "a.heic")


def test_specks_on_a_page_are_no_drawings_and_rows_are_read_in_order() -> None:
    page = np.full((400, 600), 0.85, np.float32)
    page[300:380, 60:160] = 0.1
    page[40:120, 400:520] = 0.1
    page[60:130, 80:170] = 0.1
    page[200:206, 300:306] = 0.1
    boxes = parts.find(page)
    assert [(round(b[0] * 600), round(b[1] * 400)) for b in boxes] == [(80, 60), (400, 40), (60, 300)]
    assert len(parts.find(page, parts.Search(smallest=0.001))) == 4
    assert len(parts.find(page, parts.Search(gap=1.2))) == 1, "what lies close together is one thing"
