"""What the cabinet's desk stands on: drawers, sessions, casts, names, pieces used again and mended."""

from __future__ import annotations

import os
import signal
import sqlite3
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import png_bytes
from engraver.core.cabinet import Cabinet, CabinetTrouble, Query, drawers, likeness
from engraver.core.cabinet.doubles import alike
from engraver.core.cabinet.likeness import LENGTH
from engraver.core.cabinet.mending import mended
from engraver.core.cabinet.past import bring_back
from engraver.core.cabinet.reliefs import SIDE, Reliefs
from engraver.core.cabinet.schema import VERSION, migrate, version_of
from engraver.core.cabinet.sessions import Session
from engraver.core.cabinet.store import NAME
from engraver.core.cabinet.to_keep import of_file, of_plate, reduced
from engraver.core.cabinet.upkeep import check, is_old, mend
from engraver.core.cabinet.using import taken
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.errors import BadValue
from engraver.core.files.naming import LONGEST, by_pattern
from engraver.core.files.naming import alike as same_names
from engraver.core.pressing.settings import checked
from engraver.core.proof.relief_light import cast, lamp_table, lit, plaster_colours
from engraver.core.recipe import Project, brushes
from engraver.core.starters import starter
from kept import png, put, tones


@pytest.fixture
def cabinet(tmp_path: Path) -> Iterator[Cabinet]:
    with Cabinet(tmp_path / "cabinet") as found:
        yield found


# -- drawers ----------------------------------------------------------------------


def test_a_drawer_holds_what_was_put_in_and_a_search_what_it_finds(cabinet: Cabinet) -> None:
    rope, crust = put(cabinet, "Rope", 1, tags=("deck",)), put(cabinet, "Crust", 2)
    mine = drawers.add(cabinet, "For the hull")
    search = drawers.add(cabinet, "Deck", Query(tag="deck"))
    drawers.put(cabinet, mine.id, [crust.id, crust.id])
    assert [e.name for e in cabinet.find(mine.asks)] == ["Crust"] and cabinet.counted(mine.asks) == 1
    assert [e.name for e in cabinet.listed(search.asks)] == ["Rope"]
    with pytest.raises(CabinetTrouble, match="is a search"):
        drawers.put(cabinet, search.id, [rope.id])
    assert drawers.add(cabinet, "Deck").name == "Deck 2"
    drawers.rename(cabinet, search.id, "For the hull")
    assert [d.name for d in drawers.drawers(cabinet)] == ["Deck 2", "For the hull", "For the hull 2"]
    assert drawers.drawers(cabinet)[2].query == Query(tag="deck")
    cabinet.forget([crust.id])
    assert cabinet.counted(mine.asks) == 0
    drawers.put(cabinet, mine.id, [rope.id])
    drawers.remove(cabinet, mine.id)
    assert cabinet.count() == 1 and not cabinet.rows("SELECT * FROM lies_in")


def test_what_is_kept_for_a_project_is_seen_there_and_where_it_is_asked_for(cabinet: Cabinet) -> None:
    put(cabinet, "Mine", 1, scope="project", project="Quay")
    put(cabinet, "All", 2, project="Quay")
    for within, names in (("Quay", {"Mine", "All"}), ("Other", {"All"}), (None, {"Mine", "All"})):
        assert {e.name for e in cabinet.listed(Query(within=within))} == names


def test_a_cabinet_of_the_first_version_becomes_todays_and_keeps_all(tmp_path: Path) -> None:
    folder = tmp_path / "cabinet"
    with Cabinet(folder) as found:
        put(found, "Rope", 1)
    base = sqlite3.connect(folder / NAME)
    base.executescript("DROP TABLE drawers; DROP TABLE lies_in; DROP INDEX by_wall; DROP TRIGGER entry_taken_out;"
                       "CREATE INDEX by_made ON entries (made); PRAGMA user_version = 1;")  # fmt: skip
    base.close()
    with Cabinet(folder) as found:
        assert version_of(found._base) == VERSION and [e.name for e in found.find()] == ["Rope"]
        assert drawers.add(found, "New") in drawers.drawers(found)
        assert check(found).sound
    fresh = sqlite3.connect(":memory:", isolation_level=None)
    migrate(fresh)
    assert version_of(fresh) == VERSION


def test_mending_a_damaged_cabinet_saves_drawers_and_history(tmp_path: Path) -> None:
    folder = tmp_path / "cabinet"
    with Cabinet(folder) as found:
        old = put(found, "Rope", 1)
        new = put(found, "Rope", 2)
        drawers.put(found, drawers.add(found, "Deck").id, [new.id])
    assert mend(folder)[0] == 1
    with Cabinet(folder) as found:
        assert [picture for _, picture in found.history(new.id)] == [old.picture]
        (drawer,) = drawers.drawers(found)
        assert [e.id for e in found.find(drawer.asks)] == [new.id]


def test_a_picture_that_is_kept_again_is_new_again(cabinet: Cabinet) -> None:
    """Else it could be removed as old before its entry names it."""
    digest = cabinet.blobs.put(b"one")
    path = cabinet.blobs.path(digest)
    os.utime(path, (1, 1))
    assert is_old(cabinet, digest)
    cabinet.blobs.put(b"one")
    assert not is_old(cabinet, digest)


def test_what_an_entry_was_can_be_brought_back_and_what_it_is_stays(cabinet: Cabinet) -> None:
    old = put(cabinet, "Rope", 1)
    new = put(cabinet, "Rope", 2)
    back = bring_back(cabinet, new.id, old.picture)
    assert back.id == new.id and back.picture == old.picture == cabinet.entry(new.id).picture
    assert new.picture in [picture for _, picture in cabinet.history(new.id)]
    assert cabinet.nearest(likeness(tones(1)), 1)[0][1] < 0.01
    with pytest.raises(CabinetTrouble, match="no longer in its history"):
        bring_back(cabinet, new.id, "0" * 64)


# -- programs that end ------------------------------------------------------------


def test_what_is_kept_until_the_program_closes_goes_when_it_ends_also_by_a_kill(tmp_path: Path) -> None:
    folder = tmp_path / "cabinet"
    script = (
        "import sys, time; from pathlib import Path; sys.path.insert(0, sys.argv[2]);"
        "from engraver.core.cabinet import Cabinet; from engraver.core.cabinet.sessions import Session;"
        "from kept import put; folder = Path(sys.argv[1]); session = Session(folder); c = Cabinet(folder, session);"
        "put(c, 'Theirs', 3, scope='session'); print('kept', flush=True); time.sleep(60)"
    )
    other = subprocess.Popen(
        [sys.executable, "-c", script, str(folder), str(Path(__file__).parent)], stdout=subprocess.PIPE, text=True
    )
    assert other.stdout is not None and other.stdout.readline() == "kept\n"
    mine = Session(folder)
    with Cabinet(folder, mine) as found:
        put(found, "Mine", 1, scope="session")
    with Cabinet(folder, mine) as found:  # closing one does not end the session
        assert {e.name for e in found.find()} == {"Mine", "Theirs"}
        assert mine.ended(found.sessions()) == []
        other.send_signal(signal.SIGKILL)
        other.wait()
        other.stdout.close()
        found.let_go(mine.ended(found.sessions()))
        assert {e.name for e in found.find()} == {"Mine"}
        found.let_go([mine.id])
        assert not found.find()
    mine.end()


# -- what looks alike -------------------------------------------------------------


def test_doubles_are_those_that_a_full_comparison_finds() -> None:
    rng = np.random.default_rng(5)
    rows = np.abs(rng.normal(size=(300, LENGTH))).astype(np.float32) ** 3
    rows[40:60] = rows[:20] + rng.normal(0, 1e-3, (20, LENGTH)).astype(np.float32)
    rows[70:75] = rows[0]
    rows /= np.linalg.norm(rows, axis=1)[:, None]
    # One just near enough, off along the axis on which they differ most: nothing of that is lost by a projection.
    axis = np.linalg.svd(rows - rows.mean(axis=0), full_matrices=False)[2][0]
    along = axis - (axis @ rows[25]) * rows[25]
    rows[200] = rows[25] + 0.088 * along / np.linalg.norm(along)
    rows[200] /= np.linalg.norm(rows[200])
    rows[100:110] = 0
    kinds = [n in (71, 45) for n in range(300)]
    found = alike(rows, kinds, 0.004)
    near = rows @ rows.T > 1 - 0.004
    expected = {frozenset((a, b)) for a in range(300) for b in range(a) if near[a, b] and kinds[a] == kinds[b]}
    told = {frozenset((group[0], other)) for group in found for other in group[1:]}
    assert told <= expected and all(any(pair <= set(group) for group in found) for pair in expected)
    assert (0, 40, 70, 72, 73, 74) in found and (25, 200) in found and not any(71 in group for group in found)


@given(st.floats(0.25, 4.0), st.integers(0, 3), st.booleans())
def test_likeness_does_not_mind_any_rising_change_of_tone(power: float, turns: int, mirror: bool) -> None:
    """Ranks stay what they are: with tones as they are, a gamma of 4 would be far away."""
    height = tones(3, 160)
    other = np.rot90(height, turns)
    other = (other[:, ::-1] if mirror else other) ** np.float32(power)
    assert float(likeness(height) @ likeness(np.ascontiguousarray(other))) > 0.995


# -- casts ------------------------------------------------------------------------


def test_light_on_a_cast_is_lamberts_law_on_its_normals() -> None:
    """Lambert's cosine law on a ramp, from memory: I = ambient + lamp * n.l, level ground at one tone."""
    x = np.tile(np.linspace(0, 1, 64, dtype=np.float32), (64, 1))
    for turn, brighter in ((180.0, True), (0.0, False)):  # it rises to the right: its flank looks to the left
        made = cast(x, 64)
        table = lamp_table(turn, 40.0).reshape(256, 256)
        flank = int(table[made[32, 32, 1], made[32, 32, 0]])
        assert (flank > int(table[128, 128])) is brighter
    for turn in range(0, 360, 45):
        for high in (30, 45, 62):
            assert abs(int(lamp_table(turn, high)[128 + 256 * 128]) - 178) <= 1
    out = np.zeros((64, 64), np.uint32)
    lit(cast(np.zeros((64, 64), np.float32), 64), lamp_table(30, 45), plaster_colours(), out)
    assert len(np.unique(out)) == 1 and out[0, 0] >> 24 == 255


def test_a_cast_is_kept_and_made_again_where_it_is_damaged_or_cannot_be_kept(cabinet: Cabinet) -> None:
    entry = put(cabinet, "Rope", 1)
    reliefs = Reliefs(cabinet.folder)
    made = reliefs.get(entry.picture, "black")
    assert made.shape[2] == 3 and max(made.shape[:2]) <= SIDE
    (path,) = (cabinet.folder / "casts-1").glob("??/*")
    kept = reliefs.get(entry.picture, "black")
    assert np.abs(kept.astype(int) - made).mean() < 4
    path.write_bytes(b"no picture")
    assert np.array_equal(reliefs.get(entry.picture, "black"), made)
    cabinet.forget([entry.id])
    os.utime(cabinet.blobs.path(entry.picture), (1, 1))
    check(cabinet)
    assert not list((cabinet.folder / "casts-1").glob("??/*"))
    with pytest.raises(Exception, match="cannot be read"):
        reliefs.get(entry.picture, "black")


# -- names ------------------------------------------------------------------------


def test_names_by_a_pattern() -> None:
    assert by_pattern("{prefix}_{name}_{nnn}", ["Rope", "Cork"], prefix="quay", start=9) == [
        "quay_Rope_009", "quay_Cork_010",
    ]  # fmt: skip
    for pattern, words in (("{nome}", "no word"), ("  ", "empty"), ("{prefix}", "empty name")):
        with pytest.raises(BadValue, match=words):
            by_pattern(pattern, ["Rope"])
    assert same_names(["Rope", "rope", "Cork"]) == {"Rope", "rope"}


@given(st.lists(st.text(min_size=1, max_size=300).filter(str.strip), min_size=1, max_size=5), st.integers(1, 5))
def test_names_of_any_letters_stay_short_and_apart(names: list[str], figures: int) -> None:
    made = by_pattern("{" + "n" * figures + "} {name}", names)
    assert len(made) == len(names) and all(0 < len(name) <= LONGEST for name in made) and not same_names(made)


# -- used again -------------------------------------------------------------------


def of_starter(id: str) -> tuple[Project, str, Engine]:
    project, plate = starter(id).added_to(Project(name="Quay"))
    return project, plate, Engine(SourceStore())


def test_a_piece_comes_back_with_all_its_steps_and_gives_the_same_picture(cabinet: Cabinet) -> None:
    project, plate, engine = of_starter("boss")
    entry = cabinet.keep(of_plate(project, plate, engine))
    found = taken(Project(name="Another"), entry, cabinet.picture(entry), engine.sources)
    assert found.whole and found.project.line(found.plate) == project.line(plate)
    pictures = [
        engine.evaluate(resolve(p, id, engine.sources), Request(exact=True)).raster.flat()
        for p, id in ((project, plate), (found.project, found.plate))
    ]  # fmt: skip
    assert np.array_equal(*pictures)
    again = taken(found.project, entry, cabinet.picture(entry), engine.sources)
    assert len(again.project.plates) == 2 and len({s.id for s in again.project.sources}) == 2


@pytest.mark.parametrize("zero", ["black", "mid"])
def test_a_piece_whose_source_is_gone_comes_as_a_finished_plate_with_its_zero(cabinet: Cabinet, zero: str) -> None:
    entry = put(cabinet, "Rope", 1, zero=zero)
    sources = SourceStore()
    found = taken(Project(), entry, cabinet.picture(entry), sources)
    raster = Engine(sources).evaluate(resolve(found.project, found.plate, sources), Request(exact=True)).raster
    assert not found.whole and raster.zero == zero
    assert np.abs(raster.flat() - tones(1)).max() < 1e-4
    for broken in ({"recipe": {"steps": "none"}}, {"source": 3}, {"settings": {"size": "wide"}}):
        other = entry.model_copy(update={"more": broken})
        assert not taken(Project(), other, cabinet.picture(entry), sources).whole


def test_a_brush_comes_with_its_settings_and_a_tooth_that_is_not_here_gives_way(cabinet: Cabinet) -> None:
    project, plate, engine = of_starter("barnacles")
    settings = checked(size=0.37, turn_jitter=0.4)
    project, brush = brushes.keep(project, plate, settings, "black", name="Crust")
    entry = cabinet.keep(of_plate(project, plate, engine, brush=project.brush(brush)))
    found = taken(Project(), entry, cabinet.picture(entry), engine.sources)
    assert found.project.brush(found.brush).settings == settings and found.project.brush(found.brush).name == "Crust"
    toothed = settings.but(tooth="plate", tooth_plate=plate).model_dump(mode="json")
    entry = entry.model_copy(update={"more": {**entry.more, "settings": toothed}})
    found = taken(Project(), entry, cabinet.picture(entry), engine.sources)
    assert found.project.brush(found.brush).settings.tooth == "grit"


# -- mended -----------------------------------------------------------------------


def test_old_files_are_mended_in_their_place_and_what_they_were_stays(cabinet: Cabinet) -> None:
    side = 256
    high = cv2.resize(tones(2, 128), (side, side), interpolation=cv2.INTER_CUBIC)
    y, x = np.mgrid[-1 : 1 : side * 1j, -1 : 1 : side * 1j]
    dome = np.clip(1 - 1.1 * np.hypot(x, y) ** 2, 0, 1) * (0.8 + 0.2 * np.sin(3 * x))
    banded = np.round(np.round(dome * 24) / 24 * 255).astype(np.uint8)
    square = np.round((0.2 + 0.7 * cv2.resize(tones(5, 128), (side, side))) * 65535).astype(np.uint16)
    white = np.round((1 - np.clip(high, 0, 1)) * 65535).astype(np.uint16)
    before = {}
    for name, picture, wrong in (("bands", banded, "bands"), ("square", square, "border"), ("pale", white, "white")):
        entry = cabinet.keep(of_file(png_bytes(picture), f"{name}.png"))
        assert wrong in entry.wrong, (name, entry.wrong)
        before[name] = entry
    for name, entry in before.items():
        kept = cabinet.keep(mended(entry, cabinet.picture(entry)))
        assert kept.id == entry.id and not kept.wrong and kept.picture != entry.picture, name
        assert [picture for _, picture in cabinet.history(kept.id)] == [entry.picture]
        again = of_file(cabinet.picture(kept), "again.png").entry
        assert not again.wrong, (name, again.wrong)
    pale = reduced(cabinet.picture(cabinet.find(Query(words="pale"))[0]), side)
    assert np.corrcoef(pale.ravel(), high.ravel())[0, 1] > 0.97


def test_a_cabinet_that_cannot_be_written_shows_its_drawers(tmp_path: Path) -> None:
    folder = tmp_path / "cabinet"
    with Cabinet(folder) as found:
        drawers.add(found, "Deck")
        put(found, "Rope", 1)
    os.chmod(folder / NAME, 0o400)
    os.chmod(folder, 0o500)
    try:
        with Cabinet(folder) as found:
            assert [d.name for d in drawers.drawers(found)] == ["Deck"] and len(found.listed()) == 1
            if found.read_only:  # root may write all the same
                with pytest.raises(CabinetTrouble, match="cannot be written"):
                    drawers.add(found, "Other")
    finally:
        os.chmod(folder, 0o700)


def test_pictures_are_asked_for_by_the_png_they_are(cabinet: Cabinet) -> None:
    entry = cabinet.keep(of_file(png(4), "a.png"))
    assert cabinet.picture(entry) == png(4)
