"""Packs: what they come to, written and refreshed, read by others, opened safely, compared and taken in."""

from __future__ import annotations

import io
import json
import subprocess
import zipfile
from pathlib import Path

import jsonschema
import numpy as np
import png as pypng
import pypdf
import pytest
from click.testing import CliRunner
from PIL import Image

from conftest import png_bytes
from engraver.cli.main import main
from engraver.core.cabinet import Cabinet
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.errors import BadValue, Cancelled, FileTrouble
from engraver.core.pack import PackFile, PieceFailed, build, open_pack, plan
from engraver.core.pack.build import preview
from engraver.core.pack.compare import compared
from engraver.core.pack.listing import schema_json
from engraver.core.pack.opened import check_pack
from engraver.core.pack.ready import fixed, ready
from engraver.core.pack.taking import pieces_of
from engraver.core.pressing.settings import checked
from engraver.core.project.project_file import save
from engraver.core.readiness import deliver, shipped
from engraver.core.recipe import Project, brushes, edits
from engraver.core.recipe.models import Step
from engraver.core.starters import starter
from engraver.standins.receiver import habit_for, receive

SCHEMA = Path(__file__).parents[1] / "src/engraver/core/pack/pack.schema.json"


def quay(**changes: object) -> tuple[Project, Engine]:
    """Three small plates and a brush of the second, for two uses."""
    project, ids = Project(name="Quay"), []
    for id in ("soft-disc", "boss", "seal"):
        project, plate = starter(id).added_to(project)
        project = edits.set_reading(project, plate, side=256)
        step = Step.make("size", side=256)
        project = edits.insert_step(project, plate, step, len(project.line(plate)))
        ids.append(plate)
    project, brush = brushes.keep(project, ids[1], checked(size=0.37, spacing=0.5), "black", name="Boss brush")
    said = {"destinations": ("sculpt-stamp", "paint-tip"), "author": "A. Carver", "licence": "CC0", **changes}
    pack = project.pack.with_items((*ids, brush)).model_copy(update=said)
    return project.model_copy(update={"pack": pack}), Engine(SourceStore())


@pytest.fixture(scope="module")
def written(tmp_path_factory: pytest.TempPathFactory) -> tuple[Project, Engine, Path]:
    """A pack in a folder; tests do not change it."""
    project, engine = quay()
    out = tmp_path_factory.mktemp("packs") / "quay"
    build(project, out, engine)
    return project, engine, out


def files(folder: Path) -> dict[str, bytes]:
    return {p.relative_to(folder).as_posix(): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


# -- written ----------------------------------------------------------------------


def test_a_pack_holds_what_its_list_says_and_others_read_it(written: tuple[Project, Engine, Path]) -> None:
    """Checked by sha256sum, a JSON-schema validator, Pillow and pypng, and pypdf."""
    project, engine, out = written
    listing = json.loads((out / "pack.json").read_bytes())
    jsonschema.Draft202012Validator(json.loads(SCHEMA.read_bytes())).validate(listing)
    assert SCHEMA.read_bytes() == schema_json()
    told = PackFile.model_validate(listing)
    sums = "".join(f"{digest}  {path}\n" for path, digest in told.digests().items())
    subprocess.run(["sha256sum", "--check", "--quiet", "--strict"], input=sums, cwd=out, text=True, check=True)
    assert set(files(out)) == {*told.digests(), "pack.json"}
    assert [(p.name, p.kind) for p in told.pieces] == [
        ("Soft disc", "alpha"), ("Six-sided boss", "alpha"), ("Seal", "alpha"), ("Boss brush", "brush"),
    ]  # fmt: skip
    size = next(s for s in told.pieces[3].stroke if s.id == "size")
    assert size.value == 0.37 and size.read == "37 %"
    plate = project.plates[1]
    raster = engine.evaluate(resolve(project, plate.id, engine.sources), Request(exact=True)).raster
    data = (out / "sculpt-stamp/six-sided-boss.png").read_bytes()
    width, height, rows, _ = pypng.Reader(bytes=data).read()
    stored = np.vstack([np.asarray(row, np.float64) for row in rows]) / 65535
    assert (width, height) == (256, 256)
    assert np.abs(stored - np.clip(deliver(raster, shipped()["sculpt-stamp"]).pixels, 0, 1)).max() < 1e-5
    icon = Image.open(io.BytesIO((out / "icons/six-sided-boss-128.png").read_bytes()))
    assert icon.size == (128, 128) and icon.mode == "RGBA"
    assert told.pieces[1].icons == tuple(f"icons/six-sided-boss-{side}.png" for side in (64, 96, 128))  # two uses ask
    sheet = pypdf.PdfReader(out / "contact-sheet.pdf")
    first, last = sheet.pages[0].extract_text(), sheet.pages[-1].extract_text()
    assert "Quay" in first and "Six-sided boss" in first and "256 × 256" in first
    assert "rebuild a brush" in sheet.pages[1].extract_text() + last
    page = Image.open(io.BytesIO((out / "contact-sheet-1.png").read_bytes())).convert("L")
    assert page.size == (1190, 1684) and np.asarray(page).std() > 10
    text = (out / "README.txt").read_text()
    assert max(map(len, text.splitlines())) <= 78
    for words in ("A. Carver", "CC0", "paint-tip/", "black paints", "Size: 37 %", shipped()["paint-tip"].note[:40]):
        assert words in text, words


def test_a_pack_is_the_same_bytes_each_time_in_a_folder_or_a_zip(
    written: tuple[Project, Engine, Path], tmp_path: Path
) -> None:
    project, _, out = written
    build(project, tmp_path / "again", Engine(SourceStore()))
    assert files(tmp_path / "again") == files(out)
    for name in ("a.zip", "b.zip"):
        build(project, tmp_path / name, Engine(SourceStore()))
    assert (tmp_path / "a.zip").read_bytes() == (tmp_path / "b.zip").read_bytes()
    with zipfile.ZipFile(tmp_path / "a.zip") as bundle:
        assert bundle.testzip() is None
        assert {info.filename: bundle.read(info) for info in bundle.infolist()} == files(out)


@pytest.mark.parametrize("name", ["pack", "pack.zip"])
def test_refreshing_rewrites_only_what_changed_under_the_same_names(name: str, tmp_path: Path) -> None:
    project, engine = quay()
    out = tmp_path / name
    build(project, out, engine)
    before = {} if out.is_file() else {path: (out / path).stat().st_mtime_ns for path in files(out)}
    assert build(project, out, engine).kept == 4
    turned = edits.insert_step(project, project.plates[2].id, Step.make("invert"), 0)
    renamed = turned.model_copy(update={"pack": turned.pack.but(turned.plates[0].id, name="Dome")})
    built = build(renamed, out, engine)
    assert built.kept == 2 and check_pack(out).sound
    with open_pack(out) as found:
        assert found.holds("sculpt-stamp/dome.png") and not found.holds("sculpt-stamp/soft-disc.png")
        assert set(found.paths) == {*built.listing.digests(), "pack.json"}
    if before:
        same = {p for p, at in before.items() if (out / p).is_file() and (out / p).stat().st_mtime_ns == at}
        assert {"sculpt-stamp/six-sided-boss.png", "icons/boss-brush-128.png"} <= same
        assert "sculpt-stamp/seal.png" not in same
    (tmp_path / "fresh").mkdir()
    build(renamed, tmp_path / "fresh" / name, Engine(SourceStore()))
    with open_pack(tmp_path / "fresh" / name) as fresh, open_pack(out) as found:
        assert {p: fresh.read(p) for p in fresh.paths} == {p: found.read(p) for p in found.paths}


def test_what_cannot_be_delivered_names_the_piece_and_leaves_what_lies_there(tmp_path: Path) -> None:
    project, engine = quay()
    out = tmp_path / "pack"
    build(project, out, engine)
    before = files(out)
    mid = edits.insert_step(project, project.plates[0].id, Step.make("zero", zero="mid", tones="keep"), 99)
    with pytest.raises(PieceFailed, match=r"Soft disc cannot go into the pack: .*cannot cut.*Or leave it out"):
        build(mid, out, engine)
    stopped = []

    def check(share: float | None = None, /) -> None:
        stopped.append(share)
        if len(stopped) > 6:
            raise Cancelled

    with pytest.raises(Cancelled):
        build(edits.insert_step(project, project.plates[0].id, Step.make("invert"), 0), out, engine, check=check)
    assert files(out) == before and [p.name for p in tmp_path.iterdir()] == ["pack"]
    pack = mid.pack.leave_out(project.plates[0].id, "sculpt-stamp", "It cuts").leave_out(
        project.plates[0].id, "paint-tip", "It cuts"
    )
    listing = build(mid.model_copy(update={"pack": pack}), out, engine).listing
    assert [p.name for p in listing.pieces] == ["Six-sided boss", "Seal", "Boss brush"]
    assert listing.left_out["Soft disc for Paint tip, black marks"] == "It cuts"
    assert "LEFT OUT" in (out / "README.txt").read_text()
    strange = tmp_path / "mine"
    strange.mkdir()
    (strange / "holiday.jpg").write_bytes(b"mine")
    with pytest.raises(FileTrouble, match="no pack"):
        build(project, strange, engine)
    assert files(strange) == {"holiday.jpg": b"mine"}


def test_names_by_a_pattern_and_clashes_are_told_before(tmp_path: Path) -> None:
    project, engine = quay(pattern="{prefix} {name} {nn}", prefix="quay")
    assert [p.stem for p in plan(project).pieces][:2] == ["quay-soft-disc-01", "quay-six-sided-boss-02"]
    clash = project.model_copy(update={"pack": project.pack.but(project.plates[0].id, name="A/b").but(
        project.plates[1].id, name="a b")})  # fmt: skip
    assert plan(clash).twice == {"a-b"}
    with pytest.raises(BadValue, match="Two pieces would be called a-b"):
        build(clash, tmp_path / "pack", engine)
    for changes, words in (({"items": ()}, "nothing in the pack"), ({"destinations": ()}, "for nothing yet")):
        empty = project.model_copy(update={"pack": project.pack.model_copy(update=changes)})
        with pytest.raises(BadValue, match=words):
            build(empty, tmp_path / "pack", engine)
    without = edits.remove_plate(project, project.plates[0].id)
    assert plan(without).gone == (project.plates[0].id,) and len(plan(without).pieces) == 3


def test_a_brush_whose_plate_is_gone_is_packed_as_it_was_kept(tmp_path: Path) -> None:
    project, engine = quay()
    without = edits.remove_plate(project, project.plates[1].id)
    listing = build(without, tmp_path / "pack", engine).listing
    assert "Boss brush" in [p.name for p in listing.pieces] and "Six-sided boss" not in [
        p.name for p in listing.pieces
    ]


def test_readiness_of_each_piece_for_each_use_and_all_fixed() -> None:
    project, engine = quay()
    wide = edits.set_params(project, project.plates[0].id, project.line(project.plates[0].id)[-1].uid, side=300)
    planned = plan(wide)
    before = {(p.name, to.id): ready(wide, p, to, engine) for p in planned.going for to in planned.uses_of(p)}
    short = before["Soft disc", "sculpt-stamp"]
    assert short.verdict == "fault" and "power of two" in short.words() and short.fixable
    mended, told = fixed(wide, planned, engine)
    planned = plan(mended)
    after = ready(mended, planned.pieces[0], planned.destinations[0], engine)
    assert after.verdict != "fault" and any(line.startswith("Soft disc: ") for line in told)


def test_what_arrives_of_every_destination_is_what_was_meant() -> None:
    """Each destination's own habit reads its files as they are meant."""
    project, engine = quay()
    raster = engine.evaluate(resolve(project, project.plates[2].id, engine.sources), Request(exact=True)).raster
    for to in shipped().values():
        name, data = deliver(raster, to).files("seal")[0]
        found = receive(data, name, habit_for(to.id), raster.flat())
        assert to.id in habit_for(to.id).destinations and not [f for f in found.faults if f.id != "bands"], to.id


def test_a_pack_is_checked_compared_and_taken_into_the_cabinet(
    written: tuple[Project, Engine, Path], tmp_path: Path
) -> None:
    project, engine, out = written
    copy = tmp_path / "theirs"
    for path, data in files(out).items():
        (copy / path).parent.mkdir(parents=True, exist_ok=True)
        (copy / path).write_bytes(data)
    assert check_pack(copy).sound
    with open_pack(copy) as found, Cabinet(tmp_path / "cabinet") as cabinet:
        made = dict(pieces_of(found))
        kept = [cabinet.keep(one) for one in made.values() if not isinstance(one, str)]
    assert [(e.name, e.kind) for e in kept][1::2] == [("Six-sided boss", "alpha"), ("Boss brush", "brush")]
    assert kept[3].more["settings"]["size"] == 0.37 and "CC0" in kept[0].notes
    (copy / "sculpt-stamp/seal.png").write_bytes(b"another")
    (copy / "icons/seal-128.png").unlink()
    (copy / "extra.txt").write_bytes(b"x")
    assert check_pack(copy).told == (
        "icons/seal-128.png is missing.", "sculpt-stamp/seal.png is another file than the list says.",
        "extra.txt is not in the list.",
    )  # fmt: skip
    with open_pack(out) as found:
        old = found.listing
    turned = edits.insert_step(project, project.plates[2].id, Step.make("invert"), 0)
    turned = edits.remove_plate(turned, project.plates[0].id)
    now = preview(turned, plan(turned), engine.sources)
    assert compared(old, now).words() == ["Soft disc is gone.", "Seal: made from something else."]
    assert compared(old, preview(project, plan(project), engine.sources)).same


def test_in_the_terminal(tmp_path: Path) -> None:
    project, engine = quay(destinations=())
    path = tmp_path / "quay.engraver"
    save(project, path, engine.sources)
    run = CliRunner()
    out = str(tmp_path / "out.zip")
    made = run.invoke(
        main, ["pack", str(path), "--for", "sculpt-stamp", "--for", "layer-mask", "-o", out, "--icons", "32"]
    )
    assert made.exit_code == 0 and "4 pieces for 2 uses" in made.output, made.output
    again = run.invoke(
        main, ["pack", str(path), "--for", "sculpt-stamp", "--for", "layer-mask", "-o", out, "--icons", "32"]
    )
    assert "4 as they were" in again.output
    assert run.invoke(main, ["pack", "check", out]).exit_code == 0
    arrives = run.invoke(main, ["receive", out, "--json"])
    told = json.loads(arrives.output)
    assert {t["habit"] for t in told} == {"stamps-16", "masks"} and len(told) == 8
    assert {f["id"] for t in told for f in t["faults"]} <= {"bands"}
    one = tmp_path / "one"
    file = tmp_path / "seal.png"
    with open_pack(Path(out)) as found:
        file.write_bytes(found.read("sculpt-stamp/seal.png"))
    made = run.invoke(
        main, ["pack", str(file), f"{path}:Boss brush", "--for", "sculpt-stamp", "-o", str(one), "--json"]
    )
    assert [p["name"] for p in json.loads(made.output)["pieces"]] == ["seal", "Boss brush"], made.output
    assert run.invoke(main, ["pack", "compare", out, str(one)]).exit_code == 3
    table = run.invoke(main, ["pack", "ready", str(path), "--for", "sculpt-stamp", "--json"])
    assert len(json.loads(table.output)) == 4
    taken = run.invoke(main, ["pack", "take", out, "--cabinet", str(tmp_path / "cabinet")])
    assert "4 came." in taken.output
    assert "Add --for" in run.invoke(main, ["pack", str(path), "-o", out]).output
    bad = tmp_path / "bad.zip"
    bad.write_bytes(b"PK")
    for words in (["pack", "check", str(bad)], ["receive", str(bad)]):
        told_ = run.invoke(main, words)
        assert told_.exit_code == 1 and "cannot be opened" in told_.output


def test_a_plate_in_colour_is_packed_by_its_tone_as_it_is_seen(tmp_path: Path) -> None:
    """Its file is that of the same picture in grey; cast and icon are made of it, too."""
    rng = np.random.default_rng(8)
    rgb = rng.integers(0, 256, (64, 64, 3), dtype=np.uint8)
    store = SourceStore()
    source = store.add(png_bytes(rgb), "spots.png")
    project, plate = edits.add_plate(Project(), source, "Spots", (), reading=store.start(source))
    pack = project.pack.with_items((plate,)).model_copy(update={"destinations": ("plain-jpeg",)})
    listing = build(project.model_copy(update={"pack": pack}), tmp_path / "pack", Engine(store)).listing
    assert listing.pieces[0].icons == ("icons/spots-128.png",)
    with Image.open(tmp_path / "pack" / listing.pieces[0].files[0].path) as written:
        found = np.asarray(written.convert("L"), float)
    luma = rgb @ np.array([0.2126, 0.7152, 0.0722])
    assert found.shape == (64, 64) and np.corrcoef(found.ravel(), luma.ravel())[0, 1] > 0.9
