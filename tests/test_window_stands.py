"""The window comes back as large as it was; without a screen the terminal says so; files need no command."""

from __future__ import annotations

import ctypes
import json
import os
import socket
import subprocess
import sys
from pathlib import Path

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from engraver.app import display, launch, stand
from engraver.app.stand import SIZE, Stand
from engraver.app.start_wish import StartWish
from engraver.cli.main import main

# Begins the program, gives its window a size or fills the screen with it, and closes it by its frame.
_SESSION = """
import json, sys
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from engraver.app import launch
from engraver.app.start_wish import StartWish
how = json.loads(sys.argv[1])
def furnished():
    shell = next(w for w in QApplication.topLevelWidgets() if type(w).__name__ == "Shell")
    if shell.centralWidget() is None:
        return QTimer.singleShot(50, furnished)
    print(shell.normalGeometry().width() if shell.isMaximized() else shell.width(),
          shell.normalGeometry().height() if shell.isMaximized() else shell.height(),
          shell.isMaximized(), shell.screen().name())
    if "size" in how:
        shell.showNormal(); shell.resize(*how["size"])
    if "to" in how:
        shell.move(*how["to"])
    if how.get("whole"):
        shell.showMaximized()
    QTimer.singleShot(100, shell.close)
whole = launch._go_on
launch._go_on = lambda *given: (QTimer.singleShot(0, furnished), whole(*given))[1]
sys.exit(launch.run(StartWish()))
"""


def _session(home: Path, **how: object) -> str:
    """What the window was when it came, in a session on two screens that goes as ``how`` says."""
    screens = [
        {"name": name, "x": x, "y": 0, "width": 1920, "height": 1080, "logicalDpi": 96, "dpr": 1}
        for name, x in (("left", 0), ("right", 1920))
    ]
    (home / "screens.json").write_text(json.dumps({"screens": screens}))
    own = {f"XDG_{k}_HOME": str(home / k) for k in ("CONFIG", "STATE", "DATA")}
    platform = f"offscreen:configfile={home / 'screens.json'}"
    done = subprocess.run(
        [sys.executable, "-c", _SESSION, json.dumps(how)], env={**os.environ, **own, "QT_QPA_PLATFORM": platform},
        capture_output=True, text=True, check=True, timeout=60,
    )  # fmt: skip
    return done.stdout.strip().splitlines()[-1]


def test_a_window_comes_back_as_it_was_closed(tmp_path: Path) -> None:
    assert _session(tmp_path, size=(1500, 900), to=(2000, 50)) == f"{SIZE[0]} {SIZE[1]} False left"
    assert _session(tmp_path, whole=True) == "1500 900 False right"
    assert _session(tmp_path) == "1500 900 True right"
    (tmp_path / "CONFIG" / "engraver" / "window.json").write_text("{broken")
    assert _session(tmp_path) == f"{SIZE[0]} {SIZE[1]} False left"


@given(st.integers(700, 4000), st.integers(500, 3000), st.integers(0, 5000), st.integers(0, 5000), st.booleans())
def test_no_window_is_larger_than_its_screen(width: int, height: int, w: int, h: int, whole: bool) -> None:
    found = Stand(w, h, whole).within(width, height)
    assert found.width <= width and found.height < height
    if w and h:
        assert found.maximised == whole and (found.width, found.height) == (min(w, width), min(h, height - 40))
    else:
        assert (
            found.width,
            found.height,
        ) == SIZE or found.maximised


@given(
    st.binary(max_size=60)
    | st.dictionaries(
        st.sampled_from(("width", "height", "maximised", "screen")),
        st.integers() | st.text(max_size=9) | st.none() | st.lists(st.integers()),
    ).map(lambda d: json.dumps(d).encode())
)
def test_what_was_kept_may_be_broken(tmp_path_factory: pytest.TempPathFactory, data: bytes) -> None:  # fmt: skip
    path = tmp_path_factory.getbasetemp() / "window.json"
    path.write_bytes(data)
    found = stand.load(path)
    assert found == Stand() or (0 < found.width <= 20_000 and 0 < found.height <= 20_000)
    path.write_bytes(stand.to_json(found))
    assert stand.load(path) == found


def test_a_terminal_without_a_screen_says_so(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    for name in ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY", "DISPLAY"):
        monkeypatch.delenv(name, raising=False)

    def told(*words: str) -> str:
        done = CliRunner().invoke(main, words)
        assert done.exit_code == 1 and done.stderr.count("\n") == 1
        return done.stderr

    assert "DISPLAY is not set" in told() and "DISPLAY is not set" in told("demo")
    for name in (":98765", "here", "[b]:99", "x" * 300):
        monkeypatch.setenv("DISPLAY", name)
        assert f"no screen answers at “{name[:60]}”" in told("open", "slab.png")
    # A screen answers, but the system lacks what Qt draws with.
    with socket.socket(socket.AF_UNIX) as line:
        line.bind("\0/tmp/.X11-unix/X98764")
        line.listen(9)
        monkeypatch.setenv("DISPLAY", ":98764.0")
        display.check_screen()

        def lacks(name: str) -> None:
            raise OSError("libxcb-cursor.so.0: cannot open shared object file: No such file or directory")

        monkeypatch.setattr(ctypes, "CDLL", lacks)
        assert "the system's library libxcb-cursor.so.0 is missing" in told()
    monkeypatch.setenv("WAYLAND_DISPLAY", "wayland-0")
    display.check_screen()


def test_files_need_no_command(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    began: list[StartWish] = []
    monkeypatch.setattr(launch, "run", lambda wish, **_: began.append(wish) or 0)
    monkeypatch.chdir(tmp_path)
    (tmp_path / "slab").touch()
    for words in ((), ("slab",), ("a b.png", "quay.engraver"), ("scans/deck",), ("open", "make")):
        assert CliRunner().invoke(main, words).exit_code == 0
    assert [[str(f) for f in wish.files] for wish in began] == [
        [], ["slab"], ["a b.png", "quay.engraver"], ["scans/deck"], ["make"]
    ]  # fmt: skip
    slip, other = (CliRunner().invoke(main, [word]) for word in ("exprot", "[b]quay"))
    assert slip.exit_code == other.exit_code == 2 and len(began) == 5
    assert "Did you mean export?" in slip.stderr and "No such command '[b]quay'.\n" in other.stderr
