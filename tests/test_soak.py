"""The long trials, short: a random hand over the real window, kills at any moment, projects that mean harm."""

from __future__ import annotations

from pathlib import Path

import pytest

from engraver.app.studio import Studio
from engraver.core.project.project_file import open_project
from engraver.core.recipe import Project, edits
from engraver.core.sources import SourceStore
from engraver.core.sources.intake import prepare
from soak.hostile import hostile
from soak.kills import MOST_LOST, kills
from soak.random_hand import some_sources, trial

FILES = Path(__file__).parent / "data" / "projects"


def _two_corks(folder: Path, store: SourceStore) -> Project:
    some_sources(folder, 1)
    project = Project(name="Corks")
    for n in range(2):
        found = prepare(folder / "sources" / f"cork_{n}.png", store)
        project, _ = edits.add_plate(
            project, found.source, found.name, found.first.steps, reading=found.first.reading,
            read_as=found.first.read_as,
        )  # fmt: skip
    return project


@pytest.mark.parametrize("seed", [1, 2])
def test_a_random_hand_finds_nothing(fonts: None, tmp_path: Path, seed: int) -> None:
    report = trial(tmp_path, seed, 90, lambda store: _two_corks(tmp_path, store))
    assert not report.exceptions, report.words()
    assert not report.threads and report.back and report.actions == 90, report.words()


def test_the_random_hand_would_find_an_exception(
    fonts: None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(self: object, plate_id: str) -> None:
        raise RuntimeError("pressed")

    monkeypatch.setattr(Studio, "choose_plate", broken)
    report = trial(tmp_path, 1, 40, lambda store: _two_corks(tmp_path, store))
    assert any("pressed" in text for text in report.exceptions)


def test_killed_work_is_there_again(tmp_path: Path) -> None:
    for found in kills(tmp_path, 5, 2):
        assert not found.wrong and found.lost <= MOST_LOST


@pytest.mark.parametrize("name", ["bosses-1", "cork-1", "net-1"])
def test_projects_that_mean_harm_end_in_words(tmp_path: Path, name: str) -> None:
    found = hostile(tmp_path, FILES / f"{name}.engraver", 11, 60)
    assert not found.surprises, found.words()
    assert found.opened < found.tried and open_project(FILES / f"{name}.engraver", SourceStore())
