"""The pictures of plates, large and little: what is asked for, and how they are made off the window's thread."""

from __future__ import annotations

from collections.abc import Callable, Mapping, MutableMapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from engraver.core.engine import Engine, Line, Request, Result, SourceStore, StepFailed, resolve
from engraver.core.errors import Watch
from engraver.core.numeric import resample
from engraver.core.pressing.tip import heights
from engraver.core.raster import Pixels, Raster
from engraver.core.recipe import Project

from .editor_kinds import EditorKind
from .screen import marks_of, to_screen, tone_counts, traced, with_ground

# Of the card of a step and of a plate in the tray, in pixels: twice what they take there.
THUMB, TRAY_THUMB = 144, 128


@dataclass(frozen=True, slots=True)
class Beside:
    """Another place of the line, to be compared with: its picture, and its shares (x, y, 1) to those of the one that
    is shown, as a 3x3 matrix."""

    result: Result
    screen: NDArray[np.uint8]
    onto: NDArray[np.float64]

    def under(self, x: float, y: float) -> tuple[float, float]:
        """Its shares at a place in shares of the picture that is shown."""
        across, down, scale = np.linalg.solve(self.onto, (x, y, 1.0))
        return float(across / scale), float(down / scale)


@dataclass(frozen=True, slots=True)
class PlateViewPicture:
    """What the plate view shows: one place of the line, at the view's resolution."""

    result: Result
    screen: NDArray[np.uint8]
    line: Line
    uid: str | None
    before: bool
    finished: Result
    full_size: bool = False
    histogram: NDArray[np.float32] | None = None
    after: NDArray[np.float32] | None = None
    height: Pixels | None = None
    revealed: bool = False
    entering: Raster | None = None
    marks: NDArray[np.uint8] | None = None
    at_rest: bool = False
    beside: Beside | None = None


@dataclass(frozen=True, slots=True)
class LookWish:
    """Which place of a line is wanted, and what beside its pixels.

    ``side`` is the view's, in pixels; ``full_size`` asks for every pixel; ``reveal`` for what the step found;
    ``traced`` for the source shining through; ``marked`` for what is clipped; ``raises`` is the tone that stands up;
    ``at_rest`` asks for the full-size results, reduced; ``beside`` for another place, as ``uid`` and ``before``.
    """

    line: Line
    uid: str | None
    before: bool
    side: int
    editor: EditorKind
    full_size: bool = False
    reveal: bool = False
    traced: bool = False
    marked: bool = False
    raises: str = "white"
    at_rest: bool = False
    beside: tuple[str | None, bool] | None = None


def look_at(engine: Engine, wish: LookWish, check: Watch) -> PlateViewPicture:
    """Compute what the plate view shows. Raises StepFailed or Cancelled."""
    line, uid, side, editor = wish.line, wish.uid, wish.side, wish.editor
    evaluate = engine.at_rest if wish.at_rest else engine.evaluate
    finished = evaluate(line, Request(side=side), check)
    wanted = Request(upto=uid, side=None if wish.full_size else side, before=wish.before, reveal=wish.reveal)
    result = evaluate(line, wanted, check) if (uid is not None or wish.full_size) else finished
    counts, after, entering = None, None, None
    if uid and editor.needs:
        came = evaluate(line, Request(upto=uid, side=side, before=True), check).raster
        if editor.needs == "entering":
            entering = came
        elif came.channels == 1:
            counts, after, entering = tone_counts(came), tone_counts(result.raster), came
    grey = result.raster.channels == 1
    screen = to_screen(result.raster, wish.raises if grey and not wish.reveal else "white")
    dims = bool(uid and not wish.before and not wish.reveal and editor.dims_ground)
    if dims and result.raster.coverage is not None:
        screen = with_ground(result.raster)
    if wish.traced and uid:
        screen = traced(screen, engine.underneath(line, uid, side, check))
    beside = None
    if wish.beside is not None:
        other = Request(upto=wish.beside[0], side=wanted.side, before=wish.beside[1])
        seen = evaluate(line, other, check)
        shown = to_screen(seen.raster, wish.raises if seen.raster.channels == 1 else "white")
        beside = Beside(seen, shown, engine.between(line, other, wanted))
    return PlateViewPicture(
        result, screen, line, uid, wish.before, finished, wish.full_size, counts, after,
        heights(finished.raster.flat(), finished.raster.zero), wish.reveal, entering,
        marks_of(result.raster) if wish.marked and grey else None, wish.at_rest,
        beside,
    )  # fmt: skip


def under_pointer(raster: Raster, share: tuple[float, float], covered: float) -> Pixels:
    """The mean tone (1,) or colour (3,) of the pixels that a screen pixel covers.

    Parameters
    ----------
    raster : Raster
        At full size.
    share : (float, float)
        Place across and down, 0..1.
    covered : float
        Width of what is covered, in pixels of the raster.
    """
    spans = []
    for place, count in ((share[1], raster.height), (share[0], raster.width)):
        middle, wide = place * count, max(1, round(covered))
        first = int(middle) if wide == 1 else int(middle - wide / 2 + 0.5)
        spans.append(slice(min(count - 1, max(0, first)), max(1, first + wide)))
    part = raster.pixels[spans[0], spans[1]]
    mean: Pixels = part.reshape(-1, raster.channels).mean(axis=0, dtype=np.float64).astype(np.float32)
    return mean


def thumbs_of(engine: Engine, line: Line, check: Watch) -> dict[str, NDArray[np.uint8]]:
    """The plate after each step, by its uid, and the source by ""; from full size where that is at hand."""
    found = {"": to_screen(engine.evaluate(line, Request(upto="", side=THUMB), check).raster)}
    for step in line.steps:
        evaluate = engine.at_rest if engine.has_full(line, step.uid) else engine.evaluate
        found[step.uid] = to_screen(evaluate(line, Request(upto=step.uid, side=THUMB), check).raster)
    return found


def tray_of(
    engine: Engine, sources: SourceStore, project: Project, known: Mapping[str, str],
    last: MutableMapping[str, NDArray[np.uint8]], each: Callable[[str, str, NDArray[np.uint8] | None], None],
    check: Watch, *, draw: bool = True,
) -> None:  # fmt: skip
    """Tells ``each`` plate whose key is not the known one, as soon as it is drawn: its id, its key and its picture,
    None where it cannot be drawn. Those in ``last`` need not be drawn; each is taken from there once. The
    others wait without ``draw``."""
    for plate in project.plates:
        try:
            line = resolve(project, plate.id, sources)
            key = f"{line.keys[-1]} {plate.raises}"
            if known.get(plate.id) == key:
                continue
            if key in last:
                each(plate.id, key, last.pop(key))
                continue
            if not draw:
                continue
            upto = line.steps[-1].uid if line.steps else ""
            evaluate = engine.at_rest if engine.has_full(line, upto) else engine.evaluate
            # The last step's picture, which is at hand by now.
            result = evaluate(line, Request(side=THUMB), check)
            each(plate.id, key, resample.at_most(to_screen(result.raster, plate.raises), TRAY_THUMB, 1))
        except StepFailed:
            each(plate.id, "", None)
