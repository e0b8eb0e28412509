"""The pack as it lies in a project: edits keep their promises, files keep it, and what cannot be is refused."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from engraver.core.errors import BadProject
from engraver.core.limits import BRUSHES, PLATES
from engraver.core.pack.compare import compared
from engraver.core.pack.listing import InFile, InPack, PackFile
from engraver.core.pack.read_me import read_me
from engraver.core.project.codec import project_json, read_project
from engraver.core.recipe import Pack, Packed, Project

IDS = st.lists(st.sampled_from("abcdefgh"), max_size=8, unique=True)


def ids(pack: Pack) -> list[str]:
    return [item.id for item in pack.items]


@given(IDS, IDS, st.integers(-3, 12))
def test_edits_add_once_take_out_what_is_meant_and_lose_nothing(
    first: list[str], more: list[str], place: int
) -> None:
    pack = Pack().with_items(tuple(first))
    grown = pack.with_items(tuple(more))
    assert ids(grown) == first + [id for id in more if id not in first]
    assert grown.with_items(tuple(more)) == grown
    assert ids(grown.without(tuple(more))) == [id for id in first if id not in more]
    for id in ids(grown):
        moved = grown.moved(id, place)
        assert sorted(ids(moved)) == sorted(ids(grown))
        assert ids(moved).index(id) == min(max(0, place), len(ids(grown)) - 1)
        assert [i for i in ids(moved) if i != id] == [i for i in ids(grown) if i != id]


@given(st.text(min_size=1, max_size=300), st.sampled_from(["", "sculpt-stamp"]))
def test_what_is_left_out_has_a_word_and_comes_back(why: str, to: str) -> None:
    pack = Pack().with_items(("a", "b"))
    out = pack.leave_out("a", to, why)
    assert out.items[0].left_out == {to: why[:200]} and out.items[1].left_out == {}
    assert out.leave_out("a", to, "") == pack
    assert Pack.model_validate(json.loads(out.model_dump_json())) == out


def test_a_project_keeps_its_pack_and_what_cannot_be_is_refused() -> None:
    pack = Pack(name="Hull", destinations=("sculpt-stamp",), icon="mark", icon_sides=(32, 64)).with_items(("a",))
    pack = pack.but("a", name="Rope").leave_out("a", "sculpt-stamp", "Too flat")
    project = Project(name="Quay", pack=pack)
    data, _ = project_json(project)
    assert read_project(data, "quay") == project
    values = json.loads(data)
    old = {key: value for key, value in values.items() if key != "pack"} | {"version": 4}
    assert read_project(json.dumps(old).encode(), "old").pack == Pack()
    for change in (
        {"items": [{"id": "a"}, {"id": "a"}]}, {"icon_sides": [8]}, {"icon": "photo"}, {"pattern": ""},
        {"items": [{"id": str(n)} for n in range(PLATES + BRUSHES + 1)]}, {"surprise": 1},
    ):  # fmt: skip
        broken = {**values, "pack": {**values["pack"], **change}}
        with pytest.raises(BadProject, match="cannot be opened"):
            read_project(json.dumps(broken).encode(), "broken")
    with pytest.raises(ValidationError):
        Packed(id="x" * 100)


def listing(**pieces: str) -> PackFile:
    """A list of pieces with a picture each, by name and digest."""
    return PackFile(name="Hull", pieces=tuple(
        InPack(name=name, kind="alpha", zero="black", tiling=False, key=digest, files=(
            InFile(path=f"sculpt-stamp/{name}.png", destination="sculpt-stamp", sha256=digest * 64, bytes=1, width=8,
                   height=8),
        )) for name, digest in pieces.items()
    ))  # fmt: skip


def test_versions_are_compared_by_their_pictures() -> None:
    old, new = listing(rope="1", cork="2", net="3"), listing(rope="1", cork="4", shell="5")
    found = compared(old, new)
    assert (found.came, found.went) == (("shell",), ("net",))
    assert found.changed == {"cork": "another picture for sculpt-stamp"}
    assert compared(old, old).same and not found.same
    assert found.words() == ["shell is new.", "net is gone.", "cork: another picture for sculpt-stamp."]


@given(st.text(max_size=400), st.text(min_size=1, max_size=100).filter(str.strip))
def test_a_read_me_is_plain_text_of_narrow_lines(about: str, name: str) -> None:
    made = read_me(PackFile(name=name, about=about[:8000], author=name, pieces=listing(rope="1").pieces))
    assert made.endswith("\n") and "sculpt-stamp/rope.png  8 x 8" in made
    words = {word for word in (about + " " + name).split() if len(word) <= 60}
    assert all(word in made for word in words if word.isalnum())
