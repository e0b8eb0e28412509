"""Figures of meshes: reading, capturing against ray casting, ten million triangles, turning by hand."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np
from PySide6.QtCore import QCoreApplication, QEventLoop, QPoint, Qt, QTimer
from PySide6.QtTest import QTest

from bench.apart import apart
from bench.figures import Figure, at_most, median
from bench.window import application
from engraver.app.lanes import wait_idle
from engraver.app.prefs import Prefs
from engraver.app.studio import Studio
from engraver.app.window import Places, Window
from engraver.core.compiled import use_kernel_cache
from engraver.core.mesh.capture import Capture, capture_heights, measured
from engraver.core.mesh.read import load
from engraver.core.mesh.shape import Shape
from engraver.demo.casts import Cast

FINE = 4096


def boulder(triangles: int) -> Cast:
    """A lumpy closed body of about so many triangles, 100 units wide."""
    rows = round((triangles / 2) ** 0.5)
    columns = rows
    up = np.linspace(0.001, np.pi - 0.001, rows)[:, None]
    around = np.arange(columns) * 2 * np.pi / columns
    radius = 45 + 3 * np.sin(5 * around) * np.sin(up) ** 2 + 0.6 * np.sin(60 * around) * np.sin(50 * up) * np.sin(up)
    ring = radius * np.sin(up)
    points = np.stack([ring * np.cos(around), ring * np.sin(around), radius * np.cos(up)], -1).reshape(-1, 3)
    n = np.arange(rows * columns, dtype=np.int32).reshape(rows, columns)
    a, b, c, d = n[:-1], np.roll(n, -1, axis=1)[:-1], n[1:], np.roll(n, -1, axis=1)[1:]
    faces = np.concatenate([np.stack([a, c, b], -1).reshape(-1, 3), np.stack([b, c, d], -1).reshape(-1, 3)])
    return Cast(points, faces, np.zeros((1, 1), np.float32))


def relief(triangles: int) -> Cast:
    """An open piece of scanned surface of about so many triangles, 100 units wide."""
    side = round((triangles / 2) ** 0.5) + 1
    y, x = np.mgrid[0:side, 0:side] * (100 / (side - 1))
    z = 4 * np.sin(x / 3) * np.sin(y / 4) + 0.5 * np.sin(1.7 * x + 0.9 * y) + 0.2 * np.sin(5.1 * x - 4.3 * y)
    n = np.arange(side * side, dtype=np.int32).reshape(side, side)
    a, b, c, d = n[:-1, :-1], n[:-1, 1:], n[1:, :-1], n[1:, 1:]
    faces = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([b, d, c], -1).reshape(-1, 3)])
    return Cast(np.stack([x - 50, y - 50, z], -1).reshape(-1, 3), faces, np.zeros((1, 1), np.float32))


def stl(cast: Cast) -> bytes:
    """Binary STL."""
    record = np.zeros(len(cast.faces), np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("rest", "<u2")]))
    record["corners"] = cast.points[cast.faces]
    return b"\0" * 80 + np.uint32(len(record)).tobytes() + record.tobytes()


def obj(cast: Cast) -> bytes:
    """OBJ as text."""
    points = "".join(f"v {x:.6f} {y:.6f} {z:.6f}\n" for x, y, z in cast.points.tolist())
    return (points + "".join(f"f {a} {b} {c}\n" for a, b, c in (cast.faces + 1).tolist())).encode()


def _timed(data: bytes, name: str) -> tuple[float, Shape]:
    took, mesh = [], None
    for _ in range(3):
        start = time.perf_counter()
        mesh = load(data, name)
        took.append(time.perf_counter() - start)
    assert mesh is not None
    return median(took), Shape(mesh)


def reading() -> list[Figure]:
    """Files of two million triangles (OBJ: one) to a checked mesh."""
    use_kernel_cache()
    two = boulder(2_000_000)
    return [
        at_most("binary STL, 2 M triangles, read", _timed(stl(two), "b.stl")[0], "s", 1.5),
        at_most("binary PLY, 2 M triangles, read", _timed(two.file(), "b.ply")[0], "s", 1.5),
        at_most("OBJ, 1 M triangles, read", _timed(obj(boulder(1_000_000)), "b.obj")[0], "s", 5.0),
    ]


def _cast(cast: Cast, frame_width: float) -> float:
    """Seconds that trimesh with embreex takes for one ray a pixel, straight from the top, in bands of rows.

    Its tree is built beforehand and does not count.
    """
    import trimesh
    from trimesh.ray.ray_pyembree import RayMeshIntersector

    rays = RayMeshIntersector(trimesh.Trimesh(cast.points, cast.faces, process=False))
    rays.intersects_first(np.array([[0.0, 0.0, 90.0]]), np.array([[0.0, 0.0, -1.0]]))
    away = (np.arange(FINE) + 0.5 - FINE / 2) * frame_width / FINE
    total = 0.0
    for first in range(0, FINE, 256):
        x, y = np.meshgrid(away, -away[first : first + 256])
        start = time.perf_counter()
        origins = np.column_stack([x.ravel(), y.ravel(), np.full(x.size, 90.0)])
        rays.intersects_location(origins, np.tile([0.0, 0.0, -1.0], (x.size, 1)), multiple_hits=False)
        total += time.perf_counter() - start
    return total


def capturing() -> list[Figure]:
    """Two million triangles to 4096 squared, one sample: a scanned surface, and a closed body; and by ray casting."""
    use_kernel_cache()
    figures = []
    for name, cast, times in (("scanned surface", relief(2_000_000), 40), ("closed body", boulder(2_000_000), 60)):
        shape = Shape(load(cast.file(), "b.ply"))
        params = Capture(view="top", side=FINE, samples="1")
        found = measured(shape, params)
        took = []
        for _ in range(5):
            start = time.perf_counter()
            capture_heights(shape, params, found, params.size)
            took.append(time.perf_counter() - start)
        ours = median(took)
        theirs = _cast(cast, found.frame.width)
        ratio = theirs / ours
        figures += [
            at_most(f"2 M triangles to 4096², {name}", ours, "s", 0.4),
            Figure(f"times as fast as rays, {name}", ours, "s", f"trimesh and embreex {theirs:.1f} s", ratio,
                   f"at least {times} times", ratio >= times),
        ]  # fmt: skip
    return figures


_TEN = """
import sys, time
from engraver.core.compiled import use_kernel_cache
use_kernel_cache()
from engraver.core.mesh.capture import Capture, capture_heights, measured
from engraver.core.mesh.read import load
from engraver.core.mesh.shape import Shape
from engraver.core.mesh import file_kernels, kernels
kernels.warm(); file_kernels.warm()
shape = Shape(load(open(sys.argv[1], "rb").read(), "ten.ply"))
params = Capture(view="top", side=4096, samples="1")
found = measured(shape, params)
start = time.perf_counter()
capture_heights(shape, params, found, params.size)
print(time.perf_counter() - start)
"""


def ten_million() -> list[Figure]:
    """Ten million triangles to 4096 squared in a process of its own, with its peak memory from the file on."""
    with tempfile.TemporaryDirectory() as home:
        path = Path(home) / "ten.ply"
        path.write_bytes(boulder(10_000_000).file())
        told, memory = apart(_TEN, str(path))
    return [
        at_most("10 M triangles to 4096², one sample", float(told), "s", 2.0),
        at_most("peak memory of it, reading too", memory, "GB", 2.5),
    ]


def turning() -> list[Figure]:
    """A mesh of two million triangles turned by the mouse in the large capture view."""
    application()
    with tempfile.TemporaryDirectory() as home:
        path = Path(home) / "boulder.ply"
        path.write_bytes(boulder(2_000_000).file())
        window = Window(Studio(), Places(Path(home) / "c", Path(home) / "s"), Prefs())
        window.pictures.kernels_ready = True
        window.show()
        lanes = [*window.pictures.lanes, window.filing.tasks]
        window.filing.open_paths([path])
        wait_idle(lanes, lambda: window.pictures.busy)
        window.captures.show_large(True)
        wait_idle(lanes, lambda: window.pictures.busy)
        canvas = window.bench.capture_view.canvas
        frames: list[float] = []
        still: list[float] = []
        looks: list[float] = []
        proofs: list[float] = []

        def drawn(picture: object) -> None:
            canvas.repaint()
            (frames if picture.moving else still).append(time.perf_counter())  # type: ignore[attr-defined]

        window.captures.drawn.connect(drawn)
        window.pictures.looked.connect(lambda _: looks.append(time.perf_counter()))
        window.pictures.proofed.connect(lambda _: proofs.append(time.perf_counter()))
        place = QPoint(canvas.width() // 2, canvas.height() // 2)
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=place)
        start = time.perf_counter()
        while time.perf_counter() - start < 4:  # a move every 16 ms, as a hand's
            step = int((time.perf_counter() - start) * 60)
            QTest.mouseMove(canvas, place + QPoint(step, step // 3))
            loop = QEventLoop()
            QTimer.singleShot(16, loop.quit)
            loop.exec()
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=place)
        end = time.perf_counter()
        wait_idle(lanes, lambda: window.pictures.busy)
        QCoreApplication.processEvents()
        rate = sum(t <= end for t in frames) / (end - start)
        shown = min(t for t in looks if t > min(s for s in still if s > end))
        figures = [
            Figure("turning 2 M triangles, pictures a second", rate, "/s", "", rate / 12, "at least 12", rate >= 12),
            at_most("settled picture after the hand rests", next(t for t in still if t > end) - end, "s", 0.4),
            at_most("plate after the hand rests", shown - end, "s", 0.5),
            at_most("proof of it after the hand rests", next(t for t in proofs if t > shown) - end, "s", 0.5),
        ]
        window.close()
    return figures
