"""Saving, opening, the journal: equal, atomic, and safe against a kill at any moment."""

from __future__ import annotations

import json
import multiprocessing
import os
import signal
import sys
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import png_bytes
from engraver.core.engine import SourceStore
from engraver.core.errors import BadProject, EngraverError, FileTrouble
from engraver.core.project import journal
from engraver.core.project.codec import project_json, read_project, recipe_json
from engraver.core.project.project_file import open_project, save
from engraver.core.project.recipe_file import open_recipe, save_recipe
from engraver.core.recipe import History, Project, Source, Step, edits
from engraver.core.sources.blank import Blank
from engraver.core.steps import KINDS


def example(seed: int = 1) -> tuple[Project, SourceStore]:
    """Two plates: a picture with every kind of step, and a blank."""
    store = SourceStore()
    pixels = np.random.default_rng(seed).integers(0, 256, (20, 30, 3), dtype=np.uint8)
    source = store.add(png_bytes(pixels), "net weave.png")
    project, plate = edits.add_plate(Project(name="Quay"), source, "Net weave", tuple(Step.make(k) for k in KINDS))
    project = edits.set_params(project, plate, project.line(plate)[0].uid, width=0.7, angle=3.5)
    project, _ = edits.add_plate(project, Source(id="b", kind="blank", name="Blank"), "Blank", (),
                                 reading=Blank(side=64))  # fmt: skip
    return edits.flip_polarity(project, plate), store


def test_a_project_saved_and_opened_is_equal(tmp_path: Path) -> None:
    project, store = example()
    path = tmp_path / "quay.engraver"
    save(project, path, store)
    other = SourceStore()
    opened = open_project(path, other)
    assert opened == project
    assert other.bytes_of(opened.sources[0]) == store.bytes_of(project.sources[0])
    first = path.read_bytes()
    save(opened, path, other)
    assert path.read_bytes() == first
    with zipfile.ZipFile(path) as bundle:
        assert {i.compress_type for i in bundle.infolist() if i.filename.startswith("sources/")} == {
            zipfile.ZIP_STORED
        }


def test_a_recipe_saved_and_opened_is_equal(tmp_path: Path) -> None:
    recipe = example()[0].recipes[0]
    save_recipe(recipe, tmp_path / "net.recipe")
    assert open_recipe(tmp_path / "net.recipe") == recipe


def _changed(data: dict[str, Any], way: str) -> Any:
    plate, step = data["plates"][0], data["recipes"][0]["steps"][0]
    if way == "newer":
        data["version"] = 99
    elif way == "newer step":
        step["version"] = 99
    elif way == "unknown step":
        step["kind"] = "polish"
    elif way == "out of range":
        step["params"]["angle"] = 900
    elif way == "dangling":
        plate["source"] = "nowhere"
    elif way == "no version":
        del data["version"]
    elif way == "foreign":
        data["made_by"] = "somebody"
    elif way == "list":
        return [data]
    elif way == "twice":
        data["recipes"][0]["steps"].append(step)
    elif way == "surprise":
        plate["surprise"] = 1
    return data


WAYS = [
    "newer",
    "newer step",
    "unknown step",
    "out of range",
    "dangling",
    "no version",
    "foreign",
    "list",
    "twice",
    "surprise",
]


@pytest.mark.parametrize("way", WAYS)
def test_a_project_that_cannot_be_used_says_why(way: str) -> None:
    data = _changed(json.loads(project_json(example()[0])[0]), way)
    with pytest.raises(BadProject) as caught:
        read_project(json.dumps(data).encode(), "quay.engraver")
    assert "quay.engraver cannot be opened" in caught.value.sentence()
    if way.startswith("newer"):
        assert "newer" in caught.value.sentence()


def test_broken_bundles_are_told(tmp_path: Path) -> None:
    project, store = example()
    path = tmp_path / "quay.engraver"
    save(project, path, store)
    whole = path.read_bytes()
    for data in (b"", b"PK", whole[: len(whole) // 2]):
        path.write_bytes(data)
        with pytest.raises(EngraverError, match=r"quay\.engraver cannot be opened"):
            open_project(path, SourceStore())
    # A source that is damaged is told where it is looked at; the rest of the work is there.
    path.write_bytes(whole.replace(b"IDAT", b"IDAX"))
    fresh = SourceStore()
    opened = open_project(path, fresh)
    assert opened == project
    with pytest.raises(FileTrouble, match=r"in quay\.engraver is damaged"):
        fresh.bytes_of(opened.sources[0])
    with pytest.raises(FileTrouble, match="is damaged"):
        save(opened, path, fresh)
    assert path.read_bytes() == whole.replace(b"IDAT", b"IDAX")
    with zipfile.ZipFile(path, "w") as bundle:
        bundle.writestr("../../escape", b"x")
        bundle.writestr("project.json", project_json(project)[0])
    with pytest.raises(BadProject, match="is missing from it"):
        open_project(path, SourceStore())
    assert not (tmp_path.parent / "escape").exists()
    bad = recipe_json(project.recipes[0]).replace(b'"levels"', b'"polish"')
    (tmp_path / "bad.recipe").write_bytes(bad)
    with pytest.raises(BadProject, match="no step called 'polish'"):
        open_recipe(tmp_path / "bad.recipe")


@pytest.fixture(scope="module")
def bundle(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, bytes]:
    path = tmp_path_factory.mktemp("damaged") / "quay.engraver"
    project, store = example()
    save(project, path, store)
    return path, path.read_bytes()


@settings(max_examples=300)
@given(
    harm=st.lists(
        st.tuples(st.sampled_from([80, 600, 10**6]), st.integers(0, 10**6), st.integers(0, 255)), max_size=6
    ),
    cut=st.none() | st.integers(0, 10**6),
)
def test_a_damaged_project_is_opened_whole_or_told(
    bundle: tuple[Path, bytes], harm: list[tuple[int, int, int]], cut: int | None
) -> None:
    path, good = bundle
    data = bytearray(good)
    for top, place, value in harm:
        data[-1 - place % min(top, len(data))] = value  # what a zip says of itself stands at its end
        data[place % len(data)] ^= value & 1
    path.write_bytes(data if cut is None else data[: cut % len(data)])
    try:
        project = open_project(path, SourceStore())
    except EngraverError as error:
        assert "quay.engraver" in error.sentence()
    else:
        assert [p.name for p in project.plates]


def test_a_linked_source_that_changed_is_not_taken_for_the_old_one(tmp_path: Path) -> None:
    picture = tmp_path / "a.png"
    picture.write_bytes(png_bytes(np.zeros((4, 4), np.uint8)))
    store = SourceStore()
    source = store.add(picture.read_bytes(), "a.png", picture)
    fresh = SourceStore()
    assert fresh.bytes_of(source) == picture.read_bytes()
    picture.write_bytes(png_bytes(np.ones((4, 4), np.uint8)))
    with pytest.raises(FileTrouble, match="has changed"):
        SourceStore().bytes_of(source)


def test_history_is_going_back_to_an_older_project() -> None:
    project, _ = example()
    plate = project.plates[0].id
    soften = next(s.uid for s in project.line(plate) if s.kind == "soften")
    history = History.start(project)
    for n in range(1, 6):
        moved = edits.set_params(history.project, plate, soften, radius=n / 100)
        history = history.push(moved, "Soften", "drag")
    assert len(history.entries) == 2 and history.undo().project is project
    history = history.seal().push(edits.set_on(history.project, plate, soften, False), "Off", "drag")
    assert len(history.entries) == 3
    assert history.undo().undo().redo().project == history.undo().project
    assert history.undo().push(project, "New").redo_label is None


def _save_and_die(root: str, after: int) -> None:
    """In a process of its own: save the new project, killed at its touch of the disk number ``after`` + 1."""
    touched = 0

    def hook(event: str, args: tuple[object, ...]) -> None:
        nonlocal touched
        if event in ("open", "os.rename", "os.mkdir", "os.remove") and root in str(args):
            touched += 1
            if touched > after:
                os.kill(os.getpid(), signal.SIGKILL)

    sys.addaudithook(hook)
    project, store = example(2)
    save(project, Path(root) / "quay.engraver", store)
    kept = journal.Journal(Path(root) / "journals")
    kept.folder = Path(root) / "journals" / "1-a"
    kept.keep(project, None, store)


def test_a_kill_at_any_moment_leaves_the_old_or_the_new(tmp_path: Path) -> None:
    """The process is killed at its 1st, 2nd, 3rd ... touch of the disk, until it gets through."""
    old, store = example(1)
    new, _ = example(2)
    # One process has imported everything and is forked for each try: most of a try was Python starting.
    start = multiprocessing.get_context("forkserver")
    start.set_forkserver_preload(["engraver.app.window", "pytest"])

    def killed(after: int) -> tuple[int, tuple[str, ...]]:
        root = tmp_path / str(after)
        (root / "journals").mkdir(parents=True)
        save(old, root / "quay.engraver", store)
        kept = journal.Journal(root / "journals")
        kept.folder = root / "journals" / "1-a"
        kept.keep(old, None, store)
        run = start.Process(target=_save_and_die, args=(str(root), after))
        run.start()
        run.join(60)
        assert run.exitcode in (0, -signal.SIGKILL)
        head = json.loads((root / "journals" / "1-a" / "journal.json").read_bytes())
        head["pid"] = 2**22 + 1  # nobody runs under that number
        (root / "journals" / "1-a" / "journal.json").write_text(json.dumps(head))
        shown = []
        for project in (
            open_project(root / "quay.engraver", SourceStore()),
            journal.recover(journal.found(root / "journals")[0], SourceStore()),
        ):
            shas = {d for s in project.sources for d in s.digests}
            assert shas in ({d for s in old.sources for d in s.digests}, {d for s in new.sources for d in s.digests})
            shown.append("old" if shas == {d for s in old.sources for d in s.digests} else "new")
        return run.exitcode, tuple(shown)

    states, through = set(), False
    for after in range(40):
        code, shown = killed(after)
        states.add(shown)
        if through := code == 0:
            break
    assert through, "the process never got through"
    assert {("old", "old"), ("new", "old"), ("new", "new")} <= states


def test_the_journal_of_a_living_program_is_left_alone(tmp_path: Path) -> None:
    project, store = example()
    mine = journal.Journal(tmp_path)
    mine.keep(project, tmp_path / "quay.engraver", store)
    assert journal.found(tmp_path) == []
    head = mine.folder / "journal.json"
    head.write_text(head.read_text().replace(f'"pid": {os.getpid()}', '"pid": 4194305'))
    (left,) = journal.found(tmp_path)
    assert left.name == "Quay" and left.path == tmp_path / "quay.engraver"
    assert journal.recover(left, SourceStore()) == project
    journal.forget(left)
    assert journal.found(tmp_path) == []
