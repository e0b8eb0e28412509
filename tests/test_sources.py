"""Each way to start a plate, held to what its declaration promises; and files that are read only when looked at."""

from __future__ import annotations

import os
import threading
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from conftest import band_limited, png_bytes
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.errors import BadPicture, EngraverError, FileTrouble
from engraver.core.params import specs
from engraver.core.project import journal
from engraver.core.project.project_file import open_project, save
from engraver.core.recipe import Project, Source, Step, edits
from engraver.core.solids.model import Solid, file_of
from engraver.core.sources import EXTENSIONS, READINGS, SOURCE_KINDS, source_kind
from engraver.core.sources.intake import prepare_data
from solids import sheet

Made = tuple[SourceStore, Source]


def _picture() -> Made:
    store = SourceStore()
    tones = (band_limited(90, 130, 0.06, 5) * 255).astype(np.uint8)
    return store, store.add(png_bytes(tones), "shell.png")


def _mesh() -> Made:
    store = SourceStore()
    bumps = sheet(2 * band_limited(61, 61, 0.05, 4).astype(np.float64), 0.5)
    data = trimesh.Trimesh(bumps.points + bumps.origin, bumps.faces, process=False).export(file_type="ply")
    return store, store.add(data, "panel.ply")


def _blank() -> Made:
    return SourceStore(), Source(id="b", kind="blank", name="Blank")


def _solids() -> Made:
    store = SourceStore()
    return store, store.add(file_of((Solid(kind="cone"), Solid(size_x=0.4, op="cut", at_z=0.3))), "rivet.solids")


MADE: dict[str, Callable[[], Made]] = {"picture": _picture, "mesh": _mesh, "blank": _blank, "solids": _solids}
CAPTURED = ("mesh", "solids")


def test_every_kind_is_tried_here() -> None:
    assert set(MADE) | {"trial"} == set(SOURCE_KINDS) == set(READINGS)  # trials: tests/test_trials.py
    endings = [e for kind in SOURCE_KINDS.values() for e in kind.extensions]
    assert len(endings) == len(set(endings)) and set(endings) == set(EXTENSIONS)


@pytest.mark.parametrize("kind", MADE)
def test_facts_are_those_of_the_raster_at_every_size(kind: str) -> None:
    store, source = MADE[kind]()
    reading = store.start(source)
    assert source.kind == kind and type(reading) is source_kind(kind).reading
    if kind in CAPTURED:
        reading = reading.but(side=120)
    facts = store.facts(source, reading)
    full = store.raster(source, reading, (facts.height, facts.width))
    assert (full.width, full.height, full.channels) == (facts.width, facts.height, facts.channels)
    assert np.isfinite(full.flat()).all() and not full.pixels.flags.writeable
    small = store.raster(source, reading, (facts.height // 3, facts.width // 3))
    assert (small.height, small.width) == (facts.height // 3, facts.width // 3)
    # A reduced picture keeps the mean of the large one (an area average does; a smaller capture nearly).
    assert abs(float(small.flat().mean()) - float(full.flat().mean())) < (0.02 if kind in CAPTURED else 2e-3)
    again = store.raster(source, reading, (facts.height, facts.width))
    assert np.array_equal(again.pixels, full.pixels)


@pytest.mark.parametrize("kind", MADE)
def test_a_key_names_source_and_reading(kind: str) -> None:
    store, source = MADE[kind]()
    reading = store.start(source)
    keys = {store.key(source, reading)}
    for name, spec in specs(type(reading)).items():
        if spec.kind.row == "number" and spec.default is not None:
            other = spec.hi if getattr(reading, name) != spec.hi else spec.lo
            try:
                keys.add(store.key(source, reading.but(**{name: other})))
            except ValueError:
                continue  # two values that do not go together
    assert len(keys) > 1 or kind == "picture"
    assert store.key(source, reading) in keys and len(keys) == len({k.strip() for k in keys})
    assert all(source_kind(kind).id in key for key in keys)


@pytest.mark.parametrize("kind", MADE)
def test_a_new_plate_starts_with_a_line_that_computes(kind: str) -> None:
    store, source = MADE[kind]()
    first = store.first(source)
    reading = first.reading.but(side=96) if kind != "picture" else first.reading
    project, plate = edits.add_plate(Project(), source, "Plate", first.steps, reading=reading, read_as=first.read_as)
    line = resolve(project, plate, store)
    raster = Engine(store).evaluate(line, Request(exact=True)).raster
    assert raster.channels == 1 or not first.steps
    assert first.read_as in source_kind(kind).read_as or first.read_as == "plain"
    assert source_kind(kind).words(source, reading, store)
    assert set(source_kind(kind).shown(source)) <= set(specs(type(reading)))


@pytest.mark.parametrize("kind", ["picture", "mesh"])
def test_what_a_file_is_made_of_tells_its_kind_not_its_name(kind: str) -> None:
    store, source = MADE[kind]()
    data = store.bytes_of(source)
    ready = prepare_data(data, "misnamed.txt" if kind == "picture" else "wrong ending.PLY", SourceStore())
    assert ready.source.kind == kind and ready.name in ("Misnamed", "Wrong ending")


@pytest.mark.parametrize("data", [b"", b"hello", b"\x00" * 64, os.urandom(200), b"solid", b"ply\n", b"\x89PNG\r\n"])
def test_what_nobody_knows_is_told_and_nothing_is_kept(data: bytes) -> None:
    store = SourceStore()
    with pytest.raises(EngraverError) as told:
        store.add(data, "odd.bin")
    assert "odd.bin" in told.value.what and store.cache.used == 0


def test_facts_need_no_byte_once_they_are_known() -> None:
    store, source = _picture()
    other = SourceStore()

    def refuse() -> bytes:
        raise AssertionError("a file was read for its facts")

    other.provide(source.file.sha256, refuse)
    facts = other.facts(source, other.start(source))
    assert (facts.width, facts.height) == (130, 90)
    assert other.key(source, other.start(source)) == store.key(source, store.start(source))
    assert not other.missing(source)


def test_a_project_that_lies_about_a_picture_is_told() -> None:
    store, source = _picture()
    assert source.file.facts is not None
    lying = source.file.model_copy(update={"facts": replace(source.file.facts, width=50)})
    with pytest.raises(BadPicture, match="not what the project says"):
        store.raster(source.model_copy(update={"files": (lying,)}), store.start(source), (90, 50))


def test_two_threads_that_ask_for_one_mesh_read_it_once(monkeypatch: pytest.MonkeyPatch) -> None:
    from engraver.core.sources import mesh as kind

    store, source = _mesh()
    store.in_use = None
    store.cache.drop(f"mesh {source.file.sha256}")
    reads: list[int] = []
    real = kind._shape

    def counted(*args: object) -> object:
        reads.append(1)
        return real(*args)  # type: ignore[arg-type]

    monkeypatch.setattr(kind, "_shape", counted)
    found: list[object] = []
    threads = [threading.Thread(target=lambda: found.append(kind.shape_of(source, store))) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert len(found) == 4 and len(set(map(id, found))) == 1 and reads == [1]


# -- a project file is read when it is looked at -------------------------------------


def _saved(tmp_path: Path, count: int = 4) -> tuple[Path, Project]:
    store, project = SourceStore(), Project(name="Quay")
    for n in range(count):
        pixels = np.random.default_rng(n).integers(0, 256, (60, 60), dtype=np.uint8)
        source = store.add(png_bytes(pixels), f"plate {n}.png")
        project, _ = edits.add_plate(project, source, f"Plate {n}", (Step.make("grey"),))
    path = tmp_path / "quay.engraver"
    save(project, path, store)
    return path, project


def test_opening_reads_no_source_and_looking_reads_one(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path, project = _saved(tmp_path)
    read: list[str] = []
    real = zipfile.ZipFile.read

    def counted(self: zipfile.ZipFile, member: zipfile.ZipInfo, pwd: bytes | None = None) -> bytes:
        read.append(member.filename)
        return real(self, member, pwd)

    monkeypatch.setattr(zipfile.ZipFile, "read", counted)
    store = SourceStore()
    opened = open_project(path, store)
    assert opened == project and not [name for name in read if name.startswith("sources/")]
    Engine(store).evaluate(resolve(opened, opened.plates[2].id, store), Request(exact=True))
    assert [n for n in read if n.startswith("sources/")] == [f"sources/{opened.sources[2].file.sha256}"]


def test_an_open_project_outlives_its_file(tmp_path: Path) -> None:
    """Another program may replace or remove the file: what was opened goes on being read."""
    path, project = _saved(tmp_path)
    store = SourceStore()
    opened = open_project(path, store)
    other = tmp_path / "other"
    other.mkdir()
    os.replace(_saved(other, 1)[0], path)
    data = store.bytes_of(opened.sources[3])
    path.unlink()
    assert data and store.bytes_of(opened.sources[0])
    save(opened, tmp_path / "again.engraver", store)
    assert open_project(tmp_path / "again.engraver", SourceStore()) == project


def test_a_damaged_picture_is_told_when_it_is_looked_at_and_the_others_open(tmp_path: Path) -> None:
    path, _ = _saved(tmp_path)
    with zipfile.ZipFile(path) as bundle:
        infos = {i.filename: bundle.read(i) for i in bundle.infolist()}
    names = sorted(n for n in infos if n.startswith("sources/"))
    infos[names[0]] = infos[names[0]][:-20] + bytes(20)
    with zipfile.ZipFile(path, "w") as bundle:
        for name, data in infos.items():
            bundle.writestr(name, data)
    store = SourceStore()
    opened = open_project(path, store)
    told = 0
    for source in opened.sources:
        try:
            assert store.bytes_of(source)
        except FileTrouble as error:
            told += 1
            assert "is damaged" in error.what and source.name in error.what and error.fix
    assert told == 1


def test_the_journal_holds_a_second_name_of_the_opened_file_and_not_its_sources(tmp_path: Path) -> None:
    path, project = _saved(tmp_path)
    store = SourceStore()
    opened = open_project(path, store)
    book = journal.Journal(tmp_path / "journal")
    changed = edits.rename_plate(opened, opened.plates[0].id, "Rope")
    fresh = store.add(png_bytes(np.zeros((9, 9), np.uint8)), "new.png")
    changed, _ = edits.add_plate(changed, fresh, "New", ())
    book.keep(changed, path, store)
    inside = sorted(p.name for p in (book.folder / "sources").iterdir())
    assert inside == [fresh.file.sha256]  # only what lies in no file yet
    (link,) = book.folder.glob("opened-*.engraver")
    assert link.stat().st_ino == path.stat().st_ino
    path.unlink()
    kept = journal.Kept(book.folder, "Quay", path, 0.0)
    back = SourceStore()
    found = journal.recover(kept, back)
    assert found == changed and all(back.bytes_of(s) for s in found.sources)
    assert project.plates[0].name != found.plates[0].name
