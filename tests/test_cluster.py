"""Batches on a cluster: a real scheduler and real workers on this machine, one of which is killed at its work."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import cv2
import numpy as np
import pytest

PYTHON = Path(sys.executable)


def _free_port() -> int:
    with closing(socket.socket()) as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


def _start(*words: str) -> subprocess.Popen[bytes]:
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    # What the lost worker held is given up soon, not after half a minute.
    soon = {**os.environ, "DASK_DISTRIBUTED__COMM__TIMEOUTS__CONNECT": "2s"}
    return subprocess.Popen([PYTHON, "-m", *words], env=soon, start_new_session=True, **quiet)  # type: ignore[call-overload, no-any-return]


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[str, list[subprocess.Popen[bytes]]]]:
    """Its address, and its two workers."""
    home, address = str(tmp_path_factory.mktemp("dask")), f"tcp://127.0.0.1:{_free_port()}"
    scheduler = _start("distributed.cli.dask_scheduler", "--host", address, "--no-dashboard")
    workers = [
        _start("distributed.cli.dask_worker", address, "--nthreads", "1", "--no-nanny", "--no-dashboard",
               "--local-directory", home)
        for _ in range(2)
    ]  # fmt: skip
    yield address, workers
    for one in (*workers, scheduler):
        os.killpg(one.pid, signal.SIGKILL)
        one.wait()


def _batch(*words: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [PYTHON, "-m", "engraver.cli.main", "batch", *map(str, words)], capture_output=True, text=True
    )


@pytest.fixture
def pictures(tmp_path: Path) -> list[Path]:
    y, x = np.mgrid[0:96, 0:96] / 96
    found = []
    for n in range(12):
        found.append(tmp_path / f"slab{n:02}.png")
        cv2.imwrite(str(found[-1]), np.uint8(120 + 90 * np.sin(9 * x + n) * np.cos(7 * y)))
    return found


def test_a_cluster_makes_what_one_machine_makes_and_a_bad_file_is_passed_over(
    cluster: tuple[str, list[subprocess.Popen[bytes]]], pictures: list[Path], tmp_path: Path
) -> None:
    bad = tmp_path / "bad.png"
    bad.write_bytes(b"no picture")
    words = ("surface", *pictures[:3], bad)
    done = _batch(*words, "-o", tmp_path / "far", "--scheduler", cluster[0])
    assert done.returncode == 1 and done.stdout.strip() == "3 made, 1 passed over", done.stderr
    assert "bad.png cannot be read" in done.stderr
    assert _batch(*words, "-o", tmp_path / "near").returncode == 1
    near = {p.name: p.read_bytes() for p in (tmp_path / "near").iterdir()}
    assert len(near) == 3 and {p.name: p.read_bytes() for p in (tmp_path / "far").iterdir()} == near
    again = _batch(*words[:-1], "-o", tmp_path / "far", "--scheduler", cluster[0])
    assert again.returncode == 0 and again.stdout.strip() == "0 made, 0 passed over, 3 there already"


def test_what_a_lost_worker_had_is_done_by_another(
    cluster: tuple[str, list[subprocess.Popen[bytes]]], pictures: list[Path], tmp_path: Path
) -> None:
    address, workers = cluster
    out = tmp_path / "out"
    words = [PYTHON, "-m", "engraver.cli.main", "batch", "surface", *pictures, "-o", out, "--scheduler", address]
    batch = subprocess.Popen([str(w) for w in words], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    until = time.monotonic() + 60
    while len(list(out.glob("*.png"))) < 2 and time.monotonic() < until:
        time.sleep(0.02)
    os.killpg(workers[0].pid, signal.SIGKILL)
    told, wrong = batch.communicate(timeout=120)
    assert batch.returncode == 0, wrong
    assert len(list(out.glob("*.png"))) == 12 and " 0 passed over" in told
    for path in out.glob("*.png"):
        assert cv2.imread(str(path), cv2.IMREAD_UNCHANGED).dtype == np.uint16


def test_an_address_where_nobody_answers_is_told(pictures: list[Path], tmp_path: Path) -> None:
    for address, word in (
        (f"tcp://127.0.0.1:{_free_port()}", "No scheduler answers"),
        ("tcp:/nowhere", "is no address"),
    ):
        done = _batch("surface", pictures[0], "-o", tmp_path, "--scheduler", address)
        assert done.returncode in (1, 2) and word in done.stderr and "Traceback" not in done.stderr, done.stderr
