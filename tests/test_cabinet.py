"""The cabinet: kept, found by words and likeness, taken in, moved, looked over; two programs at once, and killed."""

from __future__ import annotations

import hashlib
import json
import os
import signal
import sqlite3
import subprocess
import sys
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from conftest import png_bytes
from engraver.cli.main import main
from engraver.core.cabinet import Cabinet, CabinetTrouble, Query, likeness
from engraver.core.cabinet import store as store_module
from engraver.core.cabinet.moving import export, join
from engraver.core.cabinet.schema import VERSION
from engraver.core.cabinet.store import NAME
from engraver.core.cabinet.take_in import take_in
from engraver.core.cabinet.to_keep import of_file, of_plate, reduced
from engraver.core.cabinet.upkeep import check, integrity, mend
from engraver.core.engine import Engine, SourceStore
from engraver.core.errors import EngraverError, FileTrouble
from engraver.core.pressing.settings import checked
from engraver.core.project.project_file import save
from engraver.core.recipe import Project, Source, brushes, edits
from engraver.core.sources.blank import Blank
from kept import png, put, tones


@pytest.fixture
def cabinet(tmp_path: Path) -> Iterator[Cabinet]:
    with Cabinet(tmp_path / "cabinet") as found:
        yield found


# -- keeping and finding ----------------------------------------------------------


def test_what_is_kept_is_found_by_the_beginning_of_any_word(cabinet: Cabinet) -> None:
    put(cabinet, "Barnacle crust", 1, tags=("Sculpt", "harbour wall"), notes="Würfel an der Mole")
    put(cabinet, "Rope lashing", 2, tags=("paint",), zero="mid", width=2048, height=1024, favourite=True)

    def names(**query: object) -> list[str]:
        return [e.name for e in cabinet.find(Query(**query))]  # type: ignore[arg-type]

    for words in ("barn", "CRUST", "crust barn", "harb", "wurfel", "mole wür", "barnacle, crust!"):
        assert names(words=words) == ["Barnacle crust"], words
    assert names() == ["Rope lashing", "Barnacle crust"]  # the newest first
    assert names(words="rust") == names(words="!!") == []
    assert names(tag="harbour wall") == ["Barnacle crust"] and names(tag="harbour") == []
    for one in ({"zero": "mid"}, {"favourite": True}, {"smallest": 1500}, {"words": "ro", "zero": "mid"}):
        assert names(**one) == ["Rope lashing"], one
    assert names(largest=1000) == ["Barnacle crust"] and names(zero="mid", words="barn") == []
    assert len(names(most=1)) == 1


@pytest.fixture(scope="module")
def one_entry(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cabinet]:
    with Cabinet(tmp_path_factory.mktemp("cabinet")) as found:
        put(found, "Net weave", 3)
        yield found


@given(st.text(max_size=40))
def test_no_words_confuse_the_search(one_entry: Cabinet, words: str) -> None:
    for entry in one_entry.find(Query(words=words)):
        assert entry.name == "Net weave"


def test_keeping_again_refreshes_the_entry_and_keeps_its_history(cabinet: Cabinet) -> None:
    first = put(cabinet, "Cork", 1, tags=("a",), notes="mine", colour="red")
    second = put(cabinet, "Cork", 2, tags=("b",))
    assert cabinet.count() == 1 and second.id == first.id and second.made == first.made
    assert second.tags == ("a", "b") and second.notes == "mine" and second.colour == "red"
    assert cabinet.picture(second) == png(2)
    assert [cabinet.blobs.get(old) for _, old in cabinet.history(first.id)] == [png(1)]
    changed = cabinet.change(first.id, name="Cork float", scope="project")
    assert cabinet.entry(first.id) == changed and [e.name for e in cabinet.find(Query(words="float"))] == [
        "Cork float"
    ]
    cabinet.forget([first.id])
    assert not cabinet.find(Query(words="cork")) and not cabinet.history(first.id)
    with pytest.raises(CabinetTrouble, match="no longer"):
        cabinet.entry(first.id)


def test_what_is_kept_until_the_program_closes_goes_with_it(tmp_path: Path) -> None:
    with Cabinet(tmp_path) as one, Cabinet(tmp_path) as other:
        put(one, "passing", 1, scope="session")
        put(other, "staying", 2)
        assert other.count() == 2
    with Cabinet(tmp_path) as again:
        assert [e.name for e in again.find()] == ["staying"]


# -- likeness ---------------------------------------------------------------------


def test_turned_mirrored_retoned_and_reduced_copies_come_first() -> None:
    """100 copies among 700 crops of the pictures that scikit-image ships: first place for 95 % and more."""
    rng, crops = np.random.default_rng(0), []
    open_ = [
        getattr(skimage.data, n)() for n in ("coins", "moon", "brick", "grass", "gravel", "camera", "page", "text")
    ]
    for n in range(700):
        array = np.asarray(open_[n % len(open_)], np.float32)
        side = int(rng.integers(90, min(180, min(array.shape))))
        y, x = rng.integers(0, array.shape[0] - side + 1), rng.integers(0, array.shape[1] - side + 1)
        crops.append(cv2.resize(array[y : y + side, x : x + side] / 255, (192, 192)))
    known = np.array([likeness(c) for c in crops])
    first = 0
    for n in rng.choice(700, 100, replace=False):
        turn = cv2.getRotationMatrix2D((95.5, 95.5), rng.uniform(0, 360), 1)
        copy = cv2.warpAffine(crops[n], turn, (192, 192))
        copy = copy[:, ::-1] if rng.random() < 0.5 else copy
        copy = np.clip(copy, 0, 1) ** rng.uniform(0.5, 2) * 0.8 + 0.1
        side = int(rng.integers(64, 160))
        first += int(np.argmax(known @ likeness(cv2.resize(copy, (side, side), interpolation=cv2.INTER_AREA))) == n)
    assert first >= 95


def test_near_and_doubles_and_flat_pictures(cabinet: Cabinet) -> None:
    assert cabinet.near(likeness(tones(5)), 3) == []
    for n in range(70):  # more than there was room for at first
        put(cabinet, f"figure {n}", n)
    turned = np.rot90(tones(5)).copy()
    found = cabinet.near(likeness(turned), 3)
    assert found[0][0].name == "figure 5" and found[0][1] < 0.02 < found[1][1]
    with Cabinet(cabinet.folder) as other:  # another program's change is seen, too
        again = other.near(likeness(turned), 3)
        assert [e.id for e, _ in again] == [e.id for e, _ in found]
        other.forget([found[0][0].id])
    assert cabinet.near(likeness(turned), 1)[0][0].name != "figure 5"
    put(cabinet, "figure 5", 5)
    assert cabinet.doubles() == []
    made = of_file(png_bytes(np.round(turned * 65535).astype(np.uint16)), "twin.png")
    twin = cabinet.keep(made)
    (pair,) = cabinet.doubles()
    assert {cabinet.entry(id).name for id in pair} == {"figure 5", "twin"} and twin.id in pair
    assert not likeness(np.full((32, 32), 0.5, np.float32)).any()


# -- files, plates, brushes -------------------------------------------------------


def test_a_plate_and_a_brush_are_kept_with_steps_and_settings(cabinet: Cabinet) -> None:
    store = SourceStore()
    source = store.add(png(4, 64), "figure.png")
    project, plate = edits.add_plate(Project(name="Quay"), source, "Figure", (), reading=store.start(source))
    project, id = brushes.keep(project, plate, checked(size=0.4, spacing=0.7), "black", name="Figure run")
    for brush in (None, project.brush(id)):
        made = of_plate(project, plate, Engine(store), brush=brush, tags=("quay",))
        entry = cabinet.keep(made)
        again = cabinet.entry(entry.id)
        assert again.project == "Quay" and again.source == "picture" and again.more["recipe"]["steps"] == []
        assert np.abs(reduced(cabinet.picture(again), 64) - tones(4, 64)).max() < 2 / 65535
    assert again.kind == "brush" and again.more["settings"]["spacing"] == 0.7 and cabinet.count() == 2


def test_a_folder_is_taken_in_measured_and_left_alone(cabinet: Cabinet, tmp_path: Path) -> None:
    folder = tmp_path / "old" / "ropes"
    folder.mkdir(parents=True)
    smooth = tones(1, 256)
    files = {
        "sound.png": png_bytes(np.round(smooth * 65535).astype(np.uint16)),
        "bands.png": png_bytes(np.round(np.sqrt(tones(6, 256)) * 0.3 * 255).astype(np.uint8)),
        "white.png": png_bytes(np.round((1 - tones(2, 256)) * 65535).astype(np.uint16)),
        "border.png": png_bytes(np.round((tones(3, 256) * 0.8 + 0.1) * 65535).astype(np.uint16)),
        "turned.png": png_bytes(np.round(np.rot90(smooth) * 65535).astype(np.uint16)),
        "broken.png": png(1)[:60], "empty.jpg": b"", ".hidden.png": png(7), "notes.txt": b"no picture",
    }  # fmt: skip
    for name, data in files.items():
        (folder / name).write_bytes(data)
    before = {p.name: (p.read_bytes(), p.stat().st_mtime_ns) for p in folder.iterdir()}
    found = take_in(cabinet, tmp_path / "old", tags=("taken",))
    wrong = {e.name: e.wrong for e in found.kept}
    assert wrong.pop("turned") == ("double",) and wrong.pop("sound") == ()
    assert "bands" in wrong["bands"] and "white" in wrong["white"] and "border" in wrong["border"]
    assert {Path(p).name for p in found.not_taken} == {"broken.png", "empty.jpg"}
    assert all(e.tags == ("taken", "ropes") for e in found.kept)
    again = take_in(cabinet, tmp_path / "old")
    assert not again.kept and len(again.there) == 5 and cabinet.count() == 5
    assert before == {p.name: (p.read_bytes(), p.stat().st_mtime_ns) for p in folder.iterdir()}
    assert cabinet.blobs.get(next(e for e in found.kept if e.name == "sound").picture) == files["sound.png"]
    with pytest.raises(FileTrouble, match="no folder"):
        take_in(cabinet, tmp_path / "nowhere")


# -- trouble ----------------------------------------------------------------------

KEEPS = """
from pathlib import Path
import numpy as np
from engraver.core.cabinet import Cabinet, Entry
from engraver.core.cabinet.to_keep import ToKeep
with Cabinet(Path({folder!r})) as cabinet:
    for n in range({most}):
        entry = Entry(id="{name}-" + str(n), name="{name}", width=8, height=8)
        print(cabinet.keep(ToKeep(entry, b"picture %d" % (n % 9), np.ones(480, np.float32))).id, flush=True)
"""


def _program(folder: Path, name: str, most: int = 100_000) -> subprocess.Popen[str]:
    text = KEEPS.format(folder=str(folder), name=name, most=most)
    return subprocess.Popen([sys.executable, "-c", text], stdout=subprocess.PIPE, text=True)


def test_nothing_that_was_kept_is_lost_by_a_kill(tmp_path: Path) -> None:
    """A program that keeps one thing after another is killed at odd moments; what it had told as kept is there."""
    rng, kept = np.random.default_rng(1), []
    for n in range(3):
        with _program(tmp_path, f"run{n}") as program:
            assert program.stdout is not None
            kept.append(program.stdout.readline().strip())
            time.sleep(float(rng.uniform(0.0, 0.4)))
            program.send_signal(signal.SIGKILL)
            kept += [line.strip() for line in program.stdout.read().splitlines(keepends=True) if line.endswith("\n")]
    assert len(kept) > 20
    with Cabinet(tmp_path) as cabinet:
        assert set(kept) <= {e.id for e in cabinet.find()}
        assert check(cabinet).sound


def test_two_programs_keep_at_once(tmp_path: Path) -> None:
    with _program(tmp_path, "one", 40) as one, _program(tmp_path, "two", 40) as two:
        ids = {line for program in (one, two) for line in program.communicate()[0].split()}
    with Cabinet(tmp_path) as cabinet:
        assert len(ids) == 80 and {e.id for e in cabinet.find()} == ids and check(cabinet).sound


def test_a_damaged_cabinet_is_told_and_its_sound_part_saved(tmp_path: Path) -> None:
    with Cabinet(tmp_path) as cabinet:
        entries = [put(cabinet, f"entry {n} " + "x" * 150, n % 7) for n in range(120)]
        gone = cabinet.blobs.path(entries[3].picture)
    gone.write_bytes(b"rubbish")
    with Cabinet(tmp_path) as cabinet:
        told = check(cabinet)
        assert not told.sound and all("is damaged" in words for words in told.told)
    base = sqlite3.connect(tmp_path / NAME)
    page = int(base.execute("PRAGMA page_size").fetchone()[0])
    base.close()
    data = bytearray((tmp_path / NAME).read_bytes())
    middle = len(data) // page // 2 * page
    data[middle : middle + 3 * page] = bytes(3 * page)
    (tmp_path / NAME).write_bytes(bytes(data))
    saved, aside = mend(tmp_path)
    assert 30 < saved <= 120 and aside.exists()
    with Cabinet(tmp_path) as cabinet:
        assert cabinet.count() == saved and cabinet.find(Query(words="entry"))
        assert integrity(cabinet) == ["ok"]
    (tmp_path / NAME).write_bytes(b"this is no database, and never was one" * 50)
    with pytest.raises(CabinetTrouble, match="damaged"):
        Cabinet(tmp_path)
    assert mend(tmp_path)[0] == 0
    with pytest.raises(CabinetTrouble, match="no cabinet to mend"):
        mend(tmp_path / "nowhere")


def test_a_newer_one_is_refused_and_a_read_only_one_is_read(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with Cabinet(tmp_path) as cabinet:
        entry = put(cabinet, "Cork", 1)

    def refused(*_: object) -> None:
        raise sqlite3.OperationalError("attempt to write a readonly database")

    monkeypatch.setattr(store_module, "migrate", refused)
    with Cabinet(tmp_path) as cabinet:
        assert cabinet.read_only and cabinet.find(Query(words="co")) == [entry] and check(cabinet).sound
        for act in (lambda: put(cabinet, "more", 2), lambda: cabinet.forget([entry.id])):
            with pytest.raises(CabinetTrouble, match="cannot be written"):
                act()
    monkeypatch.undo()
    base = sqlite3.connect(tmp_path / NAME)
    base.execute(f"PRAGMA user_version = {VERSION + 1}")
    base.close()
    with pytest.raises(CabinetTrouble, match="newer Engraver"):
        Cabinet(tmp_path)


def test_pictures_of_nothing_go_once_they_are_a_day_old(cabinet: Cabinet) -> None:
    entry = put(cabinet, "Cork", 1)
    path = cabinet.blobs.path(entry.picture)
    cabinet.forget([entry.id])
    assert check(cabinet).removed == 0 and path.exists()  # it may belong to what another program is keeping now
    os.utime(path, (time.time() - 90_000,) * 2)
    assert check(cabinet).removed == 1 and not path.exists()


# -- moving house -----------------------------------------------------------------


def test_a_cabinet_moves_in_one_file_without_doubles(cabinet: Cabinet, tmp_path: Path) -> None:
    for n in range(5):
        put(cabinet, f"figure {n}", n, tags=("even",) * (n % 2 == 0))
    out = tmp_path / "all.cabinet"
    assert export(cabinet, out) == 5 and export(cabinet, tmp_path / "even.cabinet", Query(tag="even")) == 3
    first = out.read_bytes()
    export(cabinet, out)
    assert out.read_bytes() == first
    with Cabinet(tmp_path / "other") as other:
        assert join(other, tmp_path / "even.cabinet") == (3, 0) and join(other, out) == (2, 3)
        assert join(other, cabinet.folder) == (0, 5) and check(other).sound
        assert {e.name for e in other.find()} == {e.name for e in cabinet.find()}
        assert other.near(likeness(tones(3)), 1)[0][0].name == "figure 3"


def test_a_strangers_file_is_refused_in_words_and_nothing_leaves_its_folder(cabinet: Cabinet, tmp_path: Path) -> None:
    entry = put(cabinet, "Cork", 1).model_dump(mode="json")
    digest = hashlib.sha256(b"text").hexdigest()
    sound = {"kind": "engraver cabinet", "version": 1}

    def bundle(told: object, pictures: dict[str, bytes]) -> Path:
        path = tmp_path / "stranger.cabinet"
        with zipfile.ZipFile(path, "w") as file:
            file.writestr("cabinet.json", told if isinstance(told, str) else json.dumps(told))
            for name, data in pictures.items():
                file.writestr(name, data)
        return path

    hostile = {**entry, "id": "k-x", "origin": "x", "name": "x"}
    for told, pictures in (
        ("[", {}), ([], {}), ({**sound, "version": 99, "entries": []}, {}), ({**sound, "entries": [{}]}, {}),
        ({**sound, "entries": [{**hostile, "picture": "../../escape"}]}, {"pictures/../../escape": b"x"}),
        ({**sound, "entries": [{**hostile, "picture": digest}]}, {}),
        ({**sound, "entries": [{**hostile, "picture": digest}]}, {f"pictures/{digest}": b"text"}),
    ):  # fmt: skip
        with pytest.raises(EngraverError):
            join(cabinet, bundle(told, pictures))
    # An id that is taken already does not push out what has it.
    taken = {**hostile, "id": entry["id"], "picture": hashlib.sha256(png(2)).hexdigest()}
    assert join(cabinet, bundle({**sound, "entries": [taken]}, {f"pictures/{taken['picture']}": png(2)})) == (1, 0)
    assert {e.name for e in cabinet.find()} == {"Cork", "x"} and cabinet.entry(str(entry["id"])).name == "Cork"
    (tmp_path / "not.cabinet").write_bytes(b"no zip")
    with pytest.raises(CabinetTrouble, match="no cabinet's file"):
        join(cabinet, tmp_path / "not.cabinet")
    with pytest.raises(CabinetTrouble, match="is no cabinet"):
        join(cabinet, tmp_path)
    assert cabinet.count() == 2 and not (tmp_path.parent / "escape").exists()


def test_in_the_terminal(tmp_path: Path) -> None:
    run, folder = CliRunner().invoke, str(tmp_path / "cabinet")
    one = tmp_path / "Hammered copper.png"
    one.write_bytes(png(1))
    kept = run(main, ["keep", str(one), "--tag", "metal", "--cabinet", folder, "--json"])
    assert kept.exit_code == 0 and json.loads(kept.output)[0]["tags"] == ["metal"]
    project, _ = edits.add_plate(
        Project(name="Quay"), Source(id="b", kind="blank", name="Blank"), "Blank", (), reading=Blank(side=64)
    )
    save(project, tmp_path / "quay.engraver", SourceStore())
    assert run(main, ["keep", f"{tmp_path}/quay.engraver:Blank", "--cabinet", folder]).exit_code == 0
    assert run(main, ["keep", f"{tmp_path}/quay.engraver:Nothing", "--cabinet", folder]).exit_code == 2
    found = json.loads(run(main, ["find", "hamm", "--cabinet", folder, "--json"]).output)
    assert [f["name"] for f in found] == ["Hammered copper"]
    near = json.loads(run(main, ["find", "--near", str(one), "--cabinet", folder, "--json"]).output)
    assert near[0]["name"] == "Hammered copper" and near[0]["distance"] == 0
    assert "Hammered copper" in run(main, ["cabinet", "list", "--cabinet", folder]).output
    (tmp_path / "old").mkdir()
    one.with_name("old").joinpath("new.png").write_bytes(png(2))
    assert "1 kept" in run(main, ["cabinet", "take-in", f"{tmp_path}/old", "--cabinet", folder]).output
    assert json.loads(run(main, ["cabinet", "doubles", "--cabinet", folder, "--json"]).output) == []
    out = str(tmp_path / "all.cabinet")
    assert "3 entries" in run(main, ["cabinet", "export", out, "--cabinet", folder]).output
    assert "0 came, 3 were there" in run(main, ["cabinet", "join", out, "--cabinet", folder]).output
    assert run(main, ["cabinet", "check", "--cabinet", folder]).exit_code == 0
    for path in (Path(folder) / "pictures").glob("*/*"):
        path.unlink()
    assert run(main, ["cabinet", "check", "--cabinet", folder]).exit_code == 3
