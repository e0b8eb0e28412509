"""The terminal at its edges: names of any sign and length, places that take nothing, batches that are stopped."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest

from engraver.core.errors import FileTrouble
from engraver.core.files.atomic import check_place, write_bytes
from engraver.core.readiness import shipped
from test_cli import engraver

LONG = "x" * 300


def run(*words: object, env: dict[str, str] | None = None) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "engraver.cli.main", *map(str, words)], capture_output=True, text=True, check=False,
        env={**os.environ, **(env or {})}, timeout=120,
    )  # fmt: skip


def until(is_so: Callable[[], bool], seconds: float = 20.0) -> bool:
    end = time.monotonic() + seconds
    while not is_so():
        if time.monotonic() > end:
            return False
        time.sleep(0.05)
    return True


def test_names_of_any_length_are_told_in_one_line(tmp_path: Path) -> None:
    cv2.imwrite(str(tmp_path / "a.png"), np.full((16, 16), 90, np.uint8))
    good, long = tmp_path / "a.png", tmp_path / f"{LONG}.png"
    for words in (
        ("make", long, "-o", tmp_path / "b.png"), ("make", good, "-o", long), ("check", long),
        ("batch", LONG, good, "-o", tmp_path / "o"), ("batch", "plain", good, "-o", tmp_path / LONG),
        ("keep", long, "--cabinet", tmp_path), ("receive", tmp_path / f"{LONG}.zip"),
        ("cord", tmp_path / f"{LONG}.stl", "--along", tmp_path / "c.json", "-o", tmp_path / "c.glb"),
        ("press", LONG, "--on", "flat", "--gestures", LONG, "-o", tmp_path / "p.exr"),
        ("pack", f"{LONG}.engraver", "--for", "sculpt-stamp", "-o", tmp_path / "p.zip"),
        ("icon", LONG, "-o", tmp_path / "i.png"),
    ):  # fmt: skip
        done = engraver(*words)
        assert done.exit_code in (1, 2) and "Traceback" not in done.output, words
        assert done.exception is None or isinstance(done.exception, SystemExit), (words, done.exception)
        assert done.output.strip(), words
    # A name that the system allows is written, however long the one beside it would be.
    fits = tmp_path / f"{'y' * 251}.png"
    write_bytes(fits, b"whole")
    assert fits.read_bytes() == b"whole" and not list(tmp_path.glob("*.part"))


def test_names_with_square_brackets_are_printed_as_they_stand(tmp_path: Path) -> None:
    folder = tmp_path / "config" / "engraver" / "destinations"
    folder.mkdir(parents=True)
    one = shipped()["sculpt-stamp"].model_dump(mode="json")
    name = "[/] [bold]Harbour[/bold] [link=x]"
    (folder / "odd.json").write_text(json.dumps({**one, "id": "odd", "name": name}))
    cv2.imwrite(str(tmp_path / "[red]a[link=x].png"), np.full((64, 64), 90, np.uint8))
    home = {"XDG_CONFIG_HOME": str(tmp_path / "config"), "COLUMNS": "200"}
    listed = run("destinations", env=home)
    assert listed.returncode == 0 and name in listed.stdout
    checked = run("check", tmp_path / "[red]a[link=x].png", "--for", "odd", env=home)
    assert "Traceback" not in checked.stderr and f"[red]a[link=x].png · {name}" in checked.stdout


def test_a_place_that_takes_nothing_is_told_before_work_is_done(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for shot, words in ((tmp_path / "none" / "a.png", "folder is not there"), (tmp_path, "is a folder")):
        done = run("demo", "--offscreen-shot", shot)
        assert done.returncode == 1 and words in done.stderr and "Traceback" not in done.stderr
    check_place(tmp_path / "new.png")
    with monkeypatch.context() as patched, pytest.raises(FileTrouble, match="takes no files"):
        patched.setattr(os, "access", lambda *_: False)
        check_place(tmp_path / "new.png")
    shot = tmp_path / "s.png"
    done = run("demo", "--offscreen-shot", shot, "--plate", "Anchor", env={"QT_QPA_PLATFORM": "offscreen"})
    assert done.returncode == 2 and "no plate 'Anchor'" in done.stderr and "Barnacles" in done.stderr
    assert not shot.exists()


def test_the_same_export_twice_is_the_same_bytes(tmp_path: Path) -> None:
    y, x = np.mgrid[-1:1:96j, -1:1:96j]
    cv2.imwrite(str(tmp_path / "a.png"), (np.clip(1 - np.hypot(x, y), 0, 1) * 65535).astype(np.uint16))
    for ending in ("png", "tif", "exr"):
        made = []
        for n in (1, 2):
            out = tmp_path / f"{n}.{ending}"
            step = ("--step", "falloff fade=20%", "--step", "noise")
            assert engraver("make", tmp_path / "a.png", *step, "-o", out).exit_code == 0
            made.append(out.read_bytes())
        assert made[0] == made[1], ending


def _pictures(folder: Path, count: int) -> list[Path]:
    """The same picture under many names: more than are made before a signal comes, however busy the machine is."""
    cv2.imwrite(str(folder / "one.png"), np.random.default_rng(1).integers(0, 255, (700, 700), np.uint8))
    found = [folder / f"p{n:03}.png" for n in range(count)]
    for path in found:
        path.hardlink_to(folder / "one.png")
    return found


def _alive(parent: int) -> list[int]:
    """Processes of a group whose leader was ``parent``, apart from it."""
    found = []
    for entry in Path("/proc").iterdir():
        try:
            fields = (entry / "stat").read_text().rpartition(")")[2].split()
            if entry.name.isdigit() and int(fields[2]) == parent and int(entry.name) != parent and fields[0] != "Z":
                found.append(int(entry.name))
        except (OSError, IndexError, ValueError):
            continue
    return found


def _begun(words: list[str]) -> subprocess.Popen[str]:
    """As a shell begins it; a shell's background jobs, as these tests may be one, would not heed Ctrl-C."""
    return subprocess.Popen(
        words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, start_new_session=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )  # fmt: skip


_WHILE_IT_BEGINS = """
import os, signal
from multiprocessing import forkserver
from engraver.cli.fork_server import fork_server
whole = forkserver.ensure_running
forkserver.ensure_running = lambda: (whole(), os.kill(os.getpid(), signal.SIGINT))
try:
    fork_server()
    print("lost")
except KeyboardInterrupt:
    print("heeded")
os.kill(forkserver._forkserver._forkserver_pid, signal.SIGINT)
forkserver.ensure_running = whole
process = fork_server().Process(target=abs, args=(1,))
process.start()
process.join()
print(process.exitcode)
"""


def test_ctrl_c_is_not_lost_while_processes_begin() -> None:
    begun = _begun([sys.executable, "-c", _WHILE_IT_BEGINS])
    assert (*begun.communicate(timeout=60), begun.returncode) == ("heeded\n0\n", "", 0)


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM])
def test_a_batch_that_is_stopped_while_it_begins_says_only_that(how: signal.Signals, tmp_path: Path) -> None:
    """What its processes, half begun, would say when it has gone under them is not for the artist."""
    pictures, out = map(str, _pictures(tmp_path, 4)), tmp_path / "out"
    words = [sys.executable, "-m", "engraver.cli.main", "batch", "surface", *pictures, "-o", str(out)]
    batch = _begun([*words, "--jobs", "2"])
    assert until(out.is_dir)
    time.sleep(0.1)
    os.killpg(batch.pid, how) if how == signal.SIGINT else batch.send_signal(how)
    told, wrong = batch.communicate(timeout=20)
    # On a busy machine it may not yet have come to its pictures: then it ends as any program does.
    assert batch.returncode in (130, 1, -how) and "Traceback" not in wrong and not list(out.iterdir())
    assert batch.returncode != 130 or told.startswith("Stopped: 0 made, 0 passed over, 4 not done.")


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM, signal.SIGKILL])
def test_a_batch_that_is_stopped_leaves_whole_files_and_goes_on(how: signal.Signals, tmp_path: Path) -> None:
    pictures, out = _pictures(tmp_path, 300), tmp_path / "out"
    words = [sys.executable, "-m", "engraver.cli.main", "batch", "surface", *map(str, pictures), "-o", str(out)]
    batch = _begun([*words, "--jobs", "2"])
    assert until(lambda: out.is_dir() and len(list(out.glob("*.png"))) >= 2, 60)
    if how == signal.SIGINT:  # as a terminal does: to all of them
        os.killpg(batch.pid, how)
    else:
        batch.send_signal(how)
    told, _ = batch.communicate(timeout=20)
    assert until(lambda: not _alive(batch.pid), 4)
    assert not list(out.glob(".*"))
    made = sorted(out.glob("*.png"))
    assert 2 <= len(made) < 300 and all(cv2.imread(str(p), -1) is not None for p in made)
    if how != signal.SIGKILL:
        assert batch.returncode == 130 and told.startswith("Stopped: ") and "not done" in told
    before = {p: p.stat().st_mtime_ns for p in made}
    again = run("batch", "surface", *pictures[: len(made) + 2], "-o", out)
    assert again.returncode == 0 and "there already" in again.stdout
    assert all(p.stat().st_mtime_ns == at for p, at in before.items())
