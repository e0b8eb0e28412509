"""What the cabinet keeps, and how it is asked for."""

from __future__ import annotations

from typing import Any, Literal, NamedTuple

from pydantic import BaseModel, ConfigDict, Field

from .. import limits
from ..raster import Zero

Kind = Literal["alpha", "brush"]
Scope = Literal["session", "project", "always"]
Colour = Literal["", "red", "amber", "green", "blue", "violet", "grey"]
# Letters of notes, of a tag, and how many tags an entry has.
MOST_NOTES, MOST_TAG, MOST_TAGS = 4000, 60, 40


class _Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


class Entry(_Model):
    """An alpha or a brush that is kept.

    Attributes
    ----------
    id, name, notes : str
    tags : tuple of str
    kind : {"alpha", "brush"}
    scope : {"session", "project", "always"}
    colour : str
        A colour tag; "" for none.
    favourite : bool
    project, origin : str
        The name of the project it was kept from; what it is, so that keeping again refreshes the same entry.
    destination : str
        The id of the one it is measured for.
    width, height : int
        Of the finished picture, in pixels.
    zero : {"black", "mid"}
    tiling : bool
    source : str
        The kind of its source; "file" for one that was taken in.
    made, used : float
        Seconds since 1970: when it was kept first, and used last.
    picture : str
        SHA-256 of the finished picture, a PNG; "" before it is kept.
    wrong : tuple of str
        What was found wrong when it was taken in.
    more : mapping
        Its steps and stroke settings, as in a project file.
    """

    id: str = Field(max_length=limits.ID)
    name: str = Field(min_length=1, max_length=limits.NAME)
    notes: str = Field("", max_length=MOST_NOTES)
    tags: tuple[str, ...] = Field((), max_length=MOST_TAGS)
    kind: Kind = "alpha"
    scope: Scope = "always"
    colour: Colour = ""
    favourite: bool = False
    project: str = Field("", max_length=limits.NAME)
    origin: str = Field("", max_length=limits.PATH)
    destination: str = Field("", max_length=limits.ID)
    width: int = Field(ge=1, le=65536)
    height: int = Field(ge=1, le=65536)
    zero: Zero = "black"
    tiling: bool = False
    source: str = Field("file", max_length=limits.ID)
    made: float = 0.0
    used: float = 0.0
    picture: str = Field("", pattern=r"^([0-9a-f]{64})?$")
    wrong: tuple[str, ...] = ()
    more: dict[str, Any] = Field(default_factory=dict)


class Listed(NamedTuple):
    """What a wall of pictures shows of an entry: little, so that ten thousand are at hand at once."""

    id: str
    name: str
    kind: Kind
    picture: str
    zero: Zero
    favourite: bool
    colour: Colour
    wrong: bool


class Query(_Model):
    """What is looked for; what is left out does not count.

    ``words`` are looked for in name, tags and notes, each as the beginning of a word; ``smallest`` and ``largest``
    are sides in pixels; ``since`` and ``used_since`` are when it was made and used last, in seconds since 1970;
    ``drawer`` is the id of one that is filled by hand; ``within`` is the name of a project, without what is
    kept for other ones.
    """

    words: str = Field("", max_length=400)
    tag: str = ""
    kind: Kind | None = None
    scope: Scope | None = None
    colour: Colour | None = None
    favourite: bool | None = None
    project: str | None = None
    destination: str | None = None
    smallest: int = 0
    largest: int = 0
    zero: Zero | None = None
    tiling: bool | None = None
    source: str | None = None
    since: float = 0.0
    used_since: float = 0.0
    drawer: str = Field("", max_length=limits.ID)
    within: str | None = None
    wrong: bool | None = None
    most: int = Field(100_000, ge=1)


def retagged(tags: tuple[str, ...], before: tuple[str, ...], after: tuple[str, ...]) -> tuple[str, ...]:
    """An entry's tags when those of another one became ``after``: what came there is added, what went there goes, and
    all else of its own stays. For ``tags`` as they were before these are the others, in their order."""
    if tags == before:
        return after
    kept = (tag for tag in tags if tag not in before or tag in after)
    return tuple(dict.fromkeys((*kept, *(tag for tag in after if tag not in before))))[:MOST_TAGS]
