"""A trial written down: as a mesh for other programs, or as a picture with clear ground."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..cache import Cache
from ..cords.body import Cord
from ..cords.trial import cords_of
from ..cords.write import cord_bytes
from ..errors import BadValue, Watch, unwatched
from ..files.atomic import write_bytes
from ..files.write import encode_picture
from ..pressing.relief import Relief
from ..pressing.replay import Replay
from ..sources.trial import ground_of
from .trial_picture import TrialPicture
from .trial_view import TrialWish


def relief_of(wish: TrialWish, cache: Cache, check: Watch = unwatched) -> Relief:
    """A trial pressed at its own density. Raises BadValue, BadMesh or Cancelled."""
    ground = ground_of(wish.trial, wish.own, cache, wish.points)
    replay = Replay(
        ground, wish.trial.declared.geometry, wish.own, f"file {wish.trial.surface} {ground.count}", Cache(0)
    )
    replay.bring(wish.trial.gestures, wish.tips, check)
    return replay.relief


def cords_in(wish: TrialWish, cache: Cache, check: Watch = unwatched) -> tuple[Cord, ...]:
    """The bodies that lie along curves of a trial. Raises Cancelled."""
    return cords_of(wish.trial.gestures, wish.trial.declared.geometry, wish.own, wish.tips, cache, check)


def mesh_bytes(relief: Relief | None, ending: str, cords: Sequence[Cord] = ()) -> bytes:
    """The surface with its marks, and its cords, as a mesh file; a unit of the scene is half the surface's width.

    ``ending`` is one of ``MESHES``. Facets that close a surface are in it; without a relief only cords are.
    """
    others = [] if relief is None else [("surface", relief.points(), relief.ground.faces)]
    return cord_bytes(cords, ending, others)


def save_mesh(
    path: Path, wish: TrialWish, cache: Cache, check: Watch = unwatched, *, only_cords: bool = False
) -> None:
    """Write a trial as a mesh of the kind that the file's ending says; or only its cords.

    Raises
    ------
    BadValue
        Only cords are asked for, and there is none.
    FileTrouble
        The folder or the disk said no; what was there stands.
    Cancelled
        Nobody waits any more.
    """
    cords = cords_in(wish, cache, check)
    if only_cords and not cords:
        raise BadValue("There is no cord to write", "nothing lies along a curve as a body", "Draw one first")
    relief = None if only_cords else relief_of(wish, cache, check)
    check()
    data = mesh_bytes(relief, path.suffix.lower(), cords)
    check()
    write_bytes(path, data)


def clear_picture(wish: TrialWish, cache: Cache, check: Watch = unwatched) -> NDArray[np.uint8]:
    """The trial as it is seen, what lies behind see-through: uint8 (H, W, 4), RGBA."""
    picture = TrialPicture(relief_of(wish, cache, check), wish.trial.declared.geometry)
    seen = picture.draw(replace(wish.look, moving=False), check, cords_in(wish, cache, check))
    share = picture.cover()
    ground = np.array(wish.look.surround, np.float32)
    own = (seen.picture - ground * (1 - share[..., None])) / np.maximum(share[..., None], 1e-6)
    alpha = np.round(share * 255)[..., None]
    clear: NDArray[np.uint8] = np.concatenate([np.clip(own, 0, 255) * (alpha > 0), alpha], axis=-1).astype(np.uint8)
    return clear


def save_picture(path: Path, wish: TrialWish, cache: Cache, check: Watch = unwatched) -> None:
    """Write the trial as it is seen as a PNG with clear ground. Raises FileTrouble or Cancelled."""
    write_bytes(path, encode_picture(clear_picture(wish, cache, check)))
