"""A shelf: arrays that can always be made again, kept in a folder from one session to the next."""

from __future__ import annotations

import hashlib
import io
import json
import os
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cache
from importlib.metadata import version
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import FileTrouble
from .atomic import write_bytes
from .damaged import ZIP_TROUBLE

# Bytes of all that a folder keeps, and of one thing on it.
USUAL, _MOST = 256_000_000, 64_000_000
_ENDING, _WORDS = ".npz", "words"


@dataclass(frozen=True, slots=True)
class Kept:
    """What lies on a shelf under one name: arrays by name, and words that JSON can hold."""

    arrays: Mapping[str, NDArray[Any]]
    words: Mapping[str, Any] = field(default_factory=dict)


@cache
def edition(*more: Path) -> str:
    """Names the core's code, and that in ``more`` folders: what another edition has made may look otherwise."""
    told = [version("engraver")]
    for root in (Path(__file__).parent.parent, *more):
        for folder, _, names in os.walk(root):
            for name in names:
                if name.endswith(".py"):
                    of = os.stat(os.path.join(folder, name))
                    told.append(f"{os.path.relpath(folder, root.parent)}/{name} {of.st_size} {of.st_mtime_ns}")
    return hashlib.blake2b("\n".join(sorted(told)).encode(), digest_size=16).hexdigest()


class Shelf:
    """Keeps arrays by name; the least recently used go first. Safe to use from several threads.

    Nothing on it is missed when it is gone: what is damaged, was made by another edition of the program, or cannot be
    read is as if it had never been there, and a folder that takes no files keeps nothing.

    Parameters
    ----------
    folder : Path
        Made when something is put into it.
    limit : int
        Bytes to keep at most.
    """

    def __init__(self, folder: Path, limit: int = USUAL) -> None:
        self._folder, self._limit = folder, limit

    def _path(self, name: str) -> Path:
        return self._folder / (hashlib.blake2b(name.encode(), digest_size=16).hexdigest() + _ENDING)

    def get(self, name: str) -> Kept | None:
        """What was put there under a name; None when nothing of use is."""
        path = self._path(name)
        try:
            data = path.read_bytes()
            os.utime(path)
            with np.load(io.BytesIO(data), allow_pickle=False) as kept:
                arrays = {key: kept[key] for key in kept.files}
            words = json.loads(arrays.pop(_WORDS).tobytes())
            return Kept(arrays, words["told"]) if words["edition"] == edition() else None
        except FileNotFoundError:
            return None
        except (*ZIP_TROUBLE, KeyError, TypeError, AttributeError, MemoryError):
            with suppress(OSError):
                path.unlink(missing_ok=True)
            return None

    def put(self, name: str, kept: Kept) -> None:
        """Keep arrays and words under a name, in place of what was there. More than 64 MB is not kept."""
        if sum(array.nbytes for array in kept.arrays.values()) > min(_MOST, self._limit // 2):
            return
        out, words = io.BytesIO(), json.dumps({"edition": edition(), "told": kept.words})
        np.savez(out, allow_pickle=False, **{_WORDS: np.frombuffer(words.encode(), np.uint8)}, **kept.arrays)
        with suppress(FileTrouble, OSError):
            self._folder.mkdir(parents=True, exist_ok=True)
            write_bytes(self._path(name), out.getvalue())
            self._trim()

    def _trim(self) -> None:
        found = sorted(((s := path.stat()).st_mtime_ns, s.st_size, path) for path in self._folder.glob(f"*{_ENDING}"))
        total = sum(size for _, size, _ in found)
        for _, size, path in found:
            if total <= self._limit:
                return
            path.unlink(missing_ok=True)
            total -= size
