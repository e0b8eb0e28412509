"""Curves that come from elsewhere: from a file, from a plate's outline, from the mesh, round the body."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np

from engraver.core.curves.model import Curve
from engraver.core.curves.round_body import borders_of, is_ring, sharp_edges, spaced
from engraver.core.errors import BadValue, Watch
from engraver.core.files.read import read_bytes
from engraver.core.proof.curve_file import FileCurve, fitted, on_surface, read_curve
from engraver.core.recipe import Plate

from .host import Host
from .measuring import MeasuredPlate

# Of a plate's outline: points along it, and how high it has to stand.
_OUTLINE, _STANDS = 40, 0.25


class CurveSources:
    """Asks where something has to be asked, and adds the curve to the trial on the desk."""

    def __init__(self, host: Host) -> None:
        self._host = host
        self._borders = -1

    def ask_file(self) -> None:
        """A curve from a file."""
        path = self._host.ui.files.open(
            self._host.widget, "A curve from a file", "outline", "Curves (*.svg *.json);;All files (*)"
        )
        if path is not None:
            self.take_file(path)

    def take_file(self, path: Path) -> None:
        """Read a curve off the window's thread, and lay it on the surface."""
        host = self._host

        def work(check: Watch) -> FileCurve:
            return read_curve(read_bytes(path), path.name)

        def done(found: FileCurve) -> None:
            self._lay(found if found.shares else fitted(found), f"A curve from {path.name}")
            if found.others:
                words = f"The longest of {found.others + 1} outlines of {path.name} is taken."
                host.studio.told.emit(words, "look")

        host.pictures.ask(f"Reading {path.name}…", work, done)

    def _lay(self, found: FileCurve, label: str) -> None:
        active = self._host.trials
        places, curve = on_surface(found, active.trial.declared.geometry.chart)
        active.curve.add_points(places, curve, label)

    def outline(self) -> None:
        """Round what stands of the plate in the hand."""
        if self._host.studio.plate is None:
            self._host.studio.told.emit("There is no plate to go round: open or begin one first.", "look")
        self._host.measured.ask(self._outline)

    def _outline(self, full: MeasuredPlate, _: Plate) -> None:
        host = self._host
        stands = (np.abs(full.height) > _STANDS * max(float(np.abs(full.height).max()), 1e-6)).astype(np.uint8)
        rings, _ = cv2.findContours(stands, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        rings = [r for r in rings if len(r) > 20]
        if not rings:
            host.studio.told.emit("The plate has no outline that a curve can follow.", "look")
            return
        ring = max(rings, key=len)[:, 0, :].astype(np.float64) * np.array([1.0, -1.0])
        closed = np.vstack([ring, ring[:1]])
        points = spaced(np.column_stack([closed, np.zeros(len(closed))]), _OUTLINE)
        self._lay(fitted(FileCurve(points, Curve(closed=True))), "A curve round the plate's outline")

    def border(self) -> None:
        """Along the longest open border or sharp edge of the mesh; pressed again, along the next one."""
        host, active = self._host, self._host.trials

        def act() -> None:
            own = active.own
            if own is None:
                raise BadValue("The mesh is still being read", "", "Try again in a moment")
            points, faces = own.start
            chains = [*borders_of(faces), *sharp_edges(points, faces)]
            if not chains:
                raise BadValue("The mesh has no open border and no sharp edge", "", "Draw the curve by hand")
            self._borders = (self._borders + 1) % len(chains)
            way = points[chains[self._borders]]
            active.curve.add_points(spaced(way), Curve(closed=is_ring(way)), "A curve along the mesh's edge")

        host.studio.attempt(act)

    def round_body(self) -> None:
        """The chosen curve on round the body, in the plane of its ends and the body's middle."""
        curve = self._host.trials.curve
        gesture = curve.gesture
        if gesture is None or len(gesture.points) < 2:
            return
        a, b = gesture.points[0, :3], gesture.points[-1, :3]
        normal = np.cross(b - a, a)
        size = float(np.linalg.norm(normal))
        if size < 1e-9:
            self._host.studio.told.emit("Its ends lie in one line with the middle: move one of them.", "look")
            return
        if self._host.studio.attempt(lambda: curve.round_along(a, normal / size)):
            self._host.trials.remove(gesture.uid)
