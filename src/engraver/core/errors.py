"""Errors that speak to the artist: what happened, why, and what to do."""

from __future__ import annotations

from typing import Protocol


class EngraverError(Exception):
    """Root of everything Engraver raises on purpose.

    Parameters
    ----------
    what : str
        What happened, in plain words ("slab.jpg cannot be read").
    why : str
        The reason as far as it is known, without an exception's name.
    fix : str
        What the artist can do about it.
    """

    def __init__(self, what: str, why: str = "", fix: str = "") -> None:
        self.what, self.why, self.fix = what, why, fix
        super().__init__(self.sentence())

    def sentence(self) -> str:
        """The whole message on one line."""
        text = self.what.rstrip(".")
        if self.why:
            text += f": {self.why.rstrip('.')}"
        if self.fix:
            text += f". {self.fix.rstrip('.')}"
        return text + "."


class BadValue(EngraverError, ValueError):
    """A parameter, recipe or option holds something that is not allowed."""


class BadPicture(EngraverError, ValueError):
    """A picture cannot be used: broken, empty, too large, of an unknown kind."""


class BadMesh(EngraverError, ValueError):
    """A mesh cannot be used: broken, empty, without extent, of an unknown kind."""


class BadProject(EngraverError, ValueError):
    """A project or recipe file cannot be used."""


class FileTrouble(EngraverError, OSError):
    """The disk or the folder said no: missing, read-only, full."""

    def __str__(self) -> str:
        return self.sentence()


class Cancelled(EngraverError, RuntimeError):
    """A computation was stopped because nobody waits for it any more."""

    def __init__(self) -> None:
        super().__init__("stopped")


class Watch(Protocol):
    """Called between the parts of long work: raises Cancelled when nobody waits, may be told the share done."""

    def __call__(self, share: float | None = None, /) -> None: ...


def unwatched(share: float | None = None, /) -> None:
    """For work that is not watched."""


def file_trouble(action: str, path: object, error: OSError) -> FileTrouble:
    """Turn an operating system error into a sentence for the artist."""
    import errno

    known = {
        errno.ENOSPC: ("the disk is full", "Free some space or choose another folder, then try again"),
        errno.EDQUOT: ("the disk quota is used up", "Free some space or choose another folder"),
        errno.EACCES: ("the folder or file does not allow it", "Choose another folder or change its rights"),
        errno.EPERM: ("the folder or file does not allow it", "Choose another folder or change its rights"),
        errno.EROFS: ("the folder is read-only", "Choose another folder"),
        errno.ENOENT: ("it is not there", "Check the name, or find where it was moved"),
        errno.EISDIR: ("that is a folder", "Name a file"),
        errno.ENOTDIR: ("part of the path is not a folder", "Check the path"),
    }
    why, fix = known.get(error.errno or 0, (error.strerror or "the system refused", "Try another folder"))
    return FileTrouble(f"{path} cannot be {action}", why, fix)
