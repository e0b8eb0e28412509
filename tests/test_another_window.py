"""A second window: the program once more, and one project in two windows loses nothing."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog

from conftest import drop, settle
from engraver.app import another_window
from engraver.app.window import Window


def test_the_command_that_opens_another_window_is_the_program(tmp_path: Path) -> None:
    words = another_window.command_of(tmp_path / "quay.engraver")
    assert words[-2:] == ["open", str(tmp_path / "quay.engraver")]
    done = subprocess.run([*words[:-1], "--help"], capture_output=True, text=True, check=True)
    assert "Open the window, with a project or pictures." in done.stdout


def test_another_window_is_opened_on_a_project_and_what_fails_is_told(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    begun: list[list[str]] = []
    good = True

    class Processes:
        @staticmethod
        def startDetached(program: str, words: list[str]) -> tuple[bool, int]:
            begun.append([program, *words])
            return good, 4711

    monkeypatch.setattr(another_window, "QProcess", Processes)
    window.commands["window-new"].run()
    assert begun == [another_window.command_of()] and "Another window opens" in window.notice.text()
    chosen = [str(tmp_path / "net.engraver"), ""]
    monkeypatch.setattr(QFileDialog, "getOpenFileName", staticmethod(lambda *_, **__: (chosen.pop(0), "")))
    window.commands["window-open"].run()
    assert begun[-1][-1] == str(tmp_path / "net.engraver") and "net.engraver" in window.notice.text()
    window.commands["window-open"].run()
    assert len(begun) == 2  # nothing was chosen
    good = False
    window.commands["window-new"].run()
    assert "could not be opened" in window.notice.text()


def test_what_another_window_has_saved_is_not_overwritten_unseen(
    bench: Window, make_window: Callable[[], Window], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "quay.engraver"
    bench.filing.save_to(path)
    settle(bench)
    second = make_window()
    drop(second, path)
    second.studio.flip_polarity()
    second.save()
    settle(second)
    theirs = path.read_bytes()
    assert not second.studio.dirty
    bench.studio.add_blank()
    bench.save()
    settle(bench)
    assert "another window" in bench.notice.text() and "another name" in bench.notice.text()
    assert path.read_bytes() == theirs and bench.studio.dirty
    # Under another name nothing is in the way; over that file, when it was chosen in the sheet.
    monkeypatch.setattr(QFileDialog, "getSaveFileName", staticmethod(lambda *_, **__: (str(path), "")))
    bench.save_as()
    settle(bench)
    assert path.read_bytes() != theirs and not bench.studio.dirty
    for _ in range(2):  # one's own saves are never in the way, also when they follow each other at once
        bench.studio.add_blank()
        bench.save()
    settle(bench)
    assert not bench.studio.dirty and "Saved" in bench.notice.text()
    os.unlink(path)  # gone altogether: there is nothing to undo
    bench.studio.add_blank()
    bench.save()
    settle(bench)
    assert path.is_file() and not bench.studio.dirty
