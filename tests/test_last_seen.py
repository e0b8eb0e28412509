"""What was last seen is shown at once when a project is opened again, and never where it is not the same."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import drop, settle
from engraver.app.lanes import wait_idle
from engraver.app.window import Places, Window
from engraver.core.cache import Cache
from engraver.core.engine.at_hand import Listening, put_back
from engraver.core.files import shelf as shelves
from engraver.core.files.shelf import Kept, Shelf
from engraver.core.raster import Raster

MakeWindow = Callable[..., Window]


def _thing(seed: int = 0, side: int = 8) -> Kept:
    rng = np.random.default_rng(seed)
    return Kept(
        {"a": rng.random((side, side), np.float32), "b": rng.integers(0, 9, (3, 2, 3), np.uint8)}, {"n": seed}
    )


def _same(one: Kept | None, two: Kept) -> bool:
    return (
        one is not None
        and one.words == two.words
        and set(one.arrays) == set(two.arrays)
        and all(one.arrays[k].dtype == a.dtype and np.array_equal(one.arrays[k], a) for k, a in two.arrays.items())
    )


def test_a_shelf_gives_back_what_was_put_there_and_only_that(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    shelf = Shelf(tmp_path / "new" / "folder")
    assert shelf.get("one") is None
    shelf.put("one", _thing(1))
    shelf.put("two", _thing(2))
    assert _same(shelf.get("one"), _thing(1)) and _same(shelf.get("two"), _thing(2))
    monkeypatch.setattr(shelves, "edition", lambda: "of another program")
    assert shelf.get("one") is None


def test_a_full_shelf_lets_the_least_recently_used_go(tmp_path: Path) -> None:
    size = sum(path.stat().st_size for path in _put(Shelf(tmp_path / "probe"), "x"))
    shelf = Shelf(tmp_path / "shelf", 3 * size + size // 2)
    for n, name in enumerate(("one", "two", "three")):
        for path in _put(shelf, name):
            os.utime(path, (1000 + n, 1000 + n))
    assert shelf.get("one") is not None  # used: now "two" is the oldest
    _put(shelf, "four")
    assert [name for name in ("one", "two", "three", "four") if shelf.get(name) is None] == ["two"]
    shelf.put("too much", _thing(0, 200))
    assert shelf.get("too much") is None


def _put(shelf: Shelf, name: str) -> set[Path]:
    before = set(shelf._folder.glob("*"))
    shelf.put(name, _thing())
    return set(shelf._folder.glob("*")) - before


def test_a_folder_that_takes_no_files_keeps_nothing(tmp_path: Path) -> None:
    (tmp_path / "a file").write_text("")
    shelf = Shelf(tmp_path / "a file" / "folder")
    shelf.put("one", _thing())
    assert shelf.get("one") is None


@settings(max_examples=400, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_whatever_is_damaged_is_as_if_it_had_never_been_there(tmp_path: Path, data: st.DataObject) -> None:
    shelf = Shelf(tmp_path)
    shelf.put("one", _thing(5))
    (path,) = tmp_path.glob("*")
    whole = path.read_bytes()
    place = data.draw(st.integers(0, len(whole) - 1))
    flipped = bytes([whole[place] ^ data.draw(st.integers(0, 255))])
    path.write_bytes(whole[:place] if data.draw(st.booleans()) else whole[:place] + flipped + whole[place + 1 :])
    found = shelf.get("one")
    # Bytes that say nothing, such as dates, may be others.
    assert found is None or _same(found, _thing(5))


def test_what_was_heard_of_a_cache_is_put_back_as_it_was() -> None:
    full, empty = Cache(), Cache()
    pixels, cover = np.random.default_rng(1).random((2, 6, 5), np.float32)
    raster = Raster.of(pixels, cover, wrap=(True, False), zero="mid", units=2.5, unit="mm", spacing=(0.1, "mm"))
    full.put("there", raster)
    full.put("not asked for", raster)
    full.note("autos", {"low": 0.1 + 0.2, "order": 2})
    full.note("facts", object())
    listening = Listening(full)
    assert listening.get("there") is raster and not listening.holds("elsewhere")
    listening.noted("autos"), listening.noted("facts")
    put_back(empty, listening.heard())
    back = empty.get("there")
    assert back == raster.but(pixels=back.pixels, coverage=back.coverage)
    assert np.array_equal(back.pixels, pixels) and np.array_equal(back.coverage, cover)
    assert dict(empty.noted("autos")) == {"low": 0.1 + 0.2, "order": 2}
    assert empty.get("not asked for") is None and empty.noted("facts") is None
    with pytest.raises(ValueError, match="not what was heard"):
        put_back(empty, Kept({}, {"rasters": [["there", {}]], "values": {}}))


@pytest.fixture
def places(tmp_path: Path) -> Places:
    """With a cache, unlike those of other tests."""
    return Places(tmp_path / "config", tmp_path / "state", cache=tmp_path / "cache")


def _opened(window: Window, path: Path) -> None:
    window.filing.open_paths([path])
    settle(window)


@pytest.fixture
def left(make_window: MakeWindow, photo: Path, tmp_path: Path) -> tuple[Path, Window]:
    """A saved project, and the window in which it was last seen."""
    window = make_window()
    drop(window, photo)
    path = tmp_path / "float.engraver"
    window.filing.save_to(path)
    settle(window)
    window.pictures.seen.lay_by()
    wait_idle(window.pictures.seen.lanes)
    return path, window


def test_a_project_that_is_opened_again_shows_what_was_seen_before_anything_is_ready(
    left: tuple[Path, Window], make_window: MakeWindow
) -> None:
    path, before = left
    window, proofs, answers, little = make_window(), [], [], []
    before.pictures.proofed.connect(proofs.append)
    before.pictures.draw_proof(moving=False)
    settle(before)
    (was,) = proofs
    window.pictures.kernels_ready = False  # nothing can be pressed or drawn yet
    window.pictures.seen.answered.connect(answers.append)
    window.pictures.proofed.connect(proofs.append)
    window.pictures.thumbs.connect(little.append)
    _opened(window, path)
    steps = before.pictures.seen._little[1]
    assert len(steps) == len(before.studio.steps) + 1 and set(little[0]) == set(steps)
    assert all(np.array_equal(little[0][uid], picture) for uid, picture in steps.items())
    assert answers == [True] and len(proofs) >= 2 and all(np.array_equal(was, shown) for shown in proofs)
    look = window.pictures.look
    assert look is not None and not look.finished.provisional
    drawn = len(proofs)
    # What is drawn afterwards from the very same is the same to the last bit.
    window.pictures.kernels_ready = True
    window.pictures.settle()
    settle(window)
    assert len(proofs) > drawn and np.array_equal(was, proofs[-1])


def test_what_is_no_longer_the_same_is_not_shown(
    left: tuple[Path, Window], make_window: MakeWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    # The finished plate does not wait long for a proof that nothing here will draw.
    monkeypatch.setattr("engraver.app.pictures.PROOF_FIRST", 0.1)
    path, before = left
    window, proofs = make_window(), []
    window.pictures.kernels_ready = False
    window.studio.set_proof(points=100_000)
    window.pictures.proofed.connect(proofs.append)
    _opened(window, path)
    assert proofs == []
    falloff = next(s for s in before.studio.steps if s.kind == "falloff")
    before.studio.set_params(falloff.uid, fade=0.05)
    before.filing.save_to(path)
    settle(before)
    other, seen = make_window(), []
    other.pictures.kernels_ready = False
    other.pictures.seen.answered.connect(seen.append)
    other.pictures.proofed.connect(proofs.append)
    _opened(other, path)
    assert seen == [False] and proofs == []


def test_the_tray_shows_what_it_showed(
    left: tuple[Path, Window], make_window: MakeWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    path, before = left
    window, came = make_window(), []
    monkeypatch.setattr("engraver.app.looking.to_screen", lambda *given: np.zeros((4, 4), np.uint8))
    window.pictures.tray.came.connect(came.append)
    _opened(window, path)
    (plate,) = window.studio.project.plates
    was = before.pictures.tray.pictures[plate.id]
    assert was is not None and np.array_equal(came[0][plate.id], was)  # not drawn, as that would be all black
    assert not np.array_equal(came[-1][plate.id], was)  # once it is measured a better one is drawn


def test_what_waits_when_the_program_ends_is_laid_by(make_window: MakeWindow, photo: Path, places: Places) -> None:
    window = make_window()
    drop(window, photo)
    assert places.last_seen is not None and not places.last_seen.exists()  # it has not stood long enough
    window.close()
    assert len(list(places.last_seen.glob("*.npz"))) == 2  # the look and the tray
    assert not list(places.last_seen.glob(".*"))
