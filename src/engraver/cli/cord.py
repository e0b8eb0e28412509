"""``engraver cord``: a segment repeated along a curve, as a closed body or as a band of height."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import click
import numpy as np

from engraver.core import mesh
from engraver.core.cords.body import Cord
from engraver.core.cords.free import free_cord
from engraver.core.cords.segment import segment_of
from engraver.core.cords.trial import on_curve
from engraver.core.cords.write import MESHES, cord_bytes
from engraver.core.engine import Engine, SourceStore
from engraver.core.errors import BadValue
from engraver.core.files.atomic import write_bytes
from engraver.core.files.read import read_bytes
from engraver.core.files.write import encode
from engraver.core.mesh.raster import Frame, nearest, on_screen
from engraver.core.pressing.gesture import Gesture, packed_points
from engraver.core.pressing.relief import Tip
from engraver.core.pressing.settings import StrokeSettings, checked
from engraver.core.proof.curve_file import FileCurve, fitted, on_surface, read_curve
from engraver.core.proof.look import Look
from engraver.core.proof.trial_files import save_mesh
from engraver.core.proof.trial_view import TrialWish
from engraver.core.recipe import Trial
from engraver.core.sources.catalogue import SOURCE_KINDS
from engraver.core.sources.mesh import shape_of
from engraver.core.sources.trial import Given, TrialFrame, heights
from engraver.core.surfaces import SURFACES, surface
from engraver.core.surfaces.ground import SCENE

from .misuse import Misuse, as_misuse
from .press import tip_of_word, typed_settings

_ENDS = ("open", "flat", "round")
_POINTS = 1_000_000
# Room round what an .exr of a cord shows, as a share of its size.
_ROOM = 0.04
_NONE = np.zeros((1, 1), np.float32)


def _repeat(text: str) -> dict[str, Any]:
    if text in ("fit", "own"):
        return {"fits": "whole" if text == "fit" else "own"}
    if text.isdecimal() and 1 <= int(text) <= 5000:
        return {"fits": "count", "times": int(text)}
    raise Misuse(f"--repeat {text} is no number of repeats", "", "It is fit, own, or 1 to 5000")


def _mesh_of(path: Path, sources: SourceStore) -> mesh.Mesh:
    """A mesh file, or a list of solids."""
    source = sources.add(read_bytes(path), path.name)
    return shape_of(source, sources).mesh


def _is_body(path: Path) -> bool:
    """Whether a file's kind is one that has a body."""
    kinds = (kind for kind in SOURCE_KINDS.values() if path.suffix.lower() in kind.extensions)
    return any(kind.body is not None for kind in kinds)


def _pieces(text: str, sources: SourceStore) -> tuple[dict[str, Any], list[mesh.Mesh | None]]:
    """How a cord ends: a word for both ends, or a piece for each, of which one may be left out."""
    if text in _ENDS:
        return {"ends": text}, [None, None]
    names = text.split(",")
    if len(names) != 2 or not any(names):
        raise Misuse(f"--ends {text} cannot be read", "", f"It is {', '.join(_ENDS)}, or FILE,FILE")
    found = [_mesh_of(Path(n), sources) if n else None for n in names]
    for name, one in zip(names, found, strict=True):
        if one is not None and not (stood := segment_of(one, name)).cap:
            raise BadValue(f"{name} cannot close an end", stood.words, "An end piece is open at one place")
    return {}, found


def _told(notes: tuple[Any, ...]) -> None:
    """What is worth knowing, on the error stream, where it disturbs nothing."""
    for note in notes:
        where = "".join(f" at ({', '.join(f'{v:.4g}' for v in p)})" for p in note.places[:3])
        click.echo(f"{note.words.rstrip('.')}{where}.", err=True)


def _from_above(cord: Cord, side: int) -> np.ndarray:
    """Heights as they are seen from above over the lowest point, float32 (side, side), in the segment's units."""
    low, high = cord.points.min(axis=0), cord.points.max(axis=0)
    wide = float((high - low)[:2].max()) * (1 + 2 * _ROOM)
    middle = (low + high) / 2
    to, shift = on_screen(Frame(float(middle[0]), float(middle[1]), wide), side, side)
    found, cover = nearest(cord.points.astype(np.float32), cord.faces, to, shift, side, side, samples=4)
    tall: np.ndarray = np.where(cover > 0, found - np.float32(low[2]), 0).astype(np.float32)
    return tall


@click.command()
@click.argument("segment", type=click.Path(path_type=Path))
@click.option("--along", required=True, type=click.Path(path_type=Path), help="The curve: a JSON file, or an SVG.")
@click.option("--closed", is_flag=True, help="Its end is its start.")
@click.option("--on", "on", type=click.Choice([k for k, s in SURFACES.items() if not s.geometry.needs_own]),
              help="Lay it on a surface; points are shares of it.")  # fmt: skip
@click.option("--repeat", default="fit", show_default=True, help="fit, own, or how many times.")
@click.option("--ends", default="flat", show_default=True, help="open, flat, round, or FILE,FILE.")
@click.option("--twist", type=float, default=0.0, help="Whole turns about the way, from end to end.")
@click.option("--radius", type=float, help="Of the cord, in the segment's units; with --on in shares of its width.")
@click.option("--settings", default="", help="More settings: 'pitch=55% next_turn=90 joined=apart'.")
@click.option("--side", type=click.IntRange(16, 8192), default=1024, show_default=True, help="Pixels of an .exr.")
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path),
              help="A .glb, .stl, .ply or .obj, or an .exr of heights.")  # fmt: skip
def cord(
    segment: Path, along: Path, closed: bool, on: str | None, repeat: str, ends: str, twist: float,
    radius: float | None, settings: str, side: int, output: Path,
) -> None:  # fmt: skip
    """Repeat a SEGMENT along a curve: a mesh as a closed body, a picture that tiles as a band on a surface.

    The file of a curve is {"points": [[x, y, z], ...], "closed": true}, in the segment's units.
    """
    ending = output.suffix.lower()
    if ending not in (*MESHES, ".exr"):
        raise Misuse(f"{output.name} is of no kind that can be written", "", f"End it with {', '.join(MESHES)}, .exr")
    if radius is not None and not 0 < radius < 1e6:
        raise Misuse(f"--radius {radius:g} is no radius", "", "It is greater than 0")
    sources, body = SourceStore(), _is_body(segment)
    if not body and on is None:
        raise Misuse(f"{segment.name} is a picture", "a band lies on a surface", "Name one with --on")
    how, pieces = _pieces(ends, sources) if body else ({}, [None, None])
    try:
        wanted = {**_repeat(repeat), **how, "twist": twist, "made": "body" if body else "band"}
        made = checked(**wanted, **typed_settings(settings, _POINTS))
        found = read_curve(read_bytes(along), along.name)
        found = replace(found, curve=found.curve.but(closed=closed or found.curve.closed))
    except BadValue as error:
        raise as_misuse(error) from error
    if found.others:
        click.echo(f"{along.name}: the longest outline is taken, {found.others} more are left out.", err=True)
    if on is not None:
        _on_surface(segment, found, on, made, radius, pieces, sources, side, output)
        return
    stood = segment_of(_mesh_of(segment, sources), segment.name)
    first, last = (None if p is None else segment_of(p) for p in pieces)
    done, notes = free_cord(stood, found.points, found.curve, made, radius=radius or 0.0, first=first, last=last)
    _told(notes)
    if ending == ".exr":
        write_bytes(output, encode(_from_above(done, side), "exr", "float"))
    else:
        write_bytes(output, cord_bytes((done,), ending))


def _on_surface(
    segment: Path, found: FileCurve, on: str, settings: StrokeSettings, radius: float | None,
    pieces: list[mesh.Mesh | None], sources: SourceStore, side: int, output: Path,
) -> None:  # fmt: skip
    kind, body = surface(on), settings.made == "body"
    if output.suffix.lower() == ".exr" and not kind.geometry.plane:
        raise Misuse(f"Heights of the {kind.name.lower()} are no picture", "", "Write a mesh")
    places, curve = on_surface(found if found.shares else fitted(found), kind.geometry.chart)
    if radius is not None:
        settings = checked(settings, size=2 * radius)
    if body:
        listed = {"0": _mesh_of(segment, sources), "first": pieces[0], "last": pieces[1]}
        tips = {id: Tip(_NONE, None, f"cord {id}", body=one) for id, one in listed.items() if one is not None}
        ends = {f"{id}_piece": id for id in ("first", "last") if id in tips}
        settings = checked(settings, **ends)
    else:
        tips = {"0": tip_of_word(str(segment), sources, Engine(sources))}
    gesture = Gesture(uid="cord", kind="along", plate="0", settings=settings, data=packed_points(places), curve=curve)
    trial = Trial(id="cord", surface=on, points=_POINTS, gestures=(gesture,))
    _told(on_curve(gesture, kind.geometry, None, tips, sources.cache).notes)
    if output.suffix.lower() == ".exr":
        tall, _ = heights(
            Given(trial, tips, None, "cord"), TrialFrame(trial="cord", side=side), (side, side), sources
        )
        write_bytes(output, encode((tall / np.float32(SCENE)).astype(np.float32), "exr", "float"))
        return
    wish = TrialWish(trial, tips, Look((side, side), kind.eye, kind.lamp))
    save_mesh(output, wish, sources.cache, only_cords=body)
