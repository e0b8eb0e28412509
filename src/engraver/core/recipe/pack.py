"""What is delivered together: which plates and brushes, for which destinations, under which names."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from .. import limits
from .base import Model

IconAs = Literal["ball", "mark", "stroke", "flat"]
# Letters of what is said about a pack; destinations of a pack.
MOST_WORDS, MOST_DESTINATIONS = 8000, 40


class Packed(Model):
    """A plate or a brush in a pack.

    Attributes
    ----------
    id : str
        Of the plate or the brush, in the project.
    name : str
        Typed over its own; "" for that.
    left_out : mapping
        By destination, why it is not delivered for that one; under "" why it stays out of the pack altogether.
    """

    id: str = Field(max_length=limits.ID)
    name: str = Field("", max_length=limits.NAME)
    left_out: dict[str, str] = Field(default_factory=dict, max_length=MOST_DESTINATIONS + 1)


class Pack(Model):
    """A project's pack.

    Attributes
    ----------
    name, author, licence, about : str
    prefix, pattern : str
        How its pieces are named: see :mod:`engraver.core.files.naming`.
    destinations : tuple of str
        Ids.
    items : tuple of Packed
        In order.
    icon : {"ball", "mark", "stroke", "flat"}
        What icons show.
    icon_sides : tuple of int
        Sides of the icons, in pixels; none for no icons.
    """

    name: str = Field("", max_length=limits.NAME)
    author: str = Field("", max_length=limits.NAME)
    licence: str = Field("", max_length=limits.NAME)
    about: str = Field("", max_length=MOST_WORDS)
    prefix: str = Field("", max_length=40)
    pattern: str = Field("{name}", min_length=1, max_length=80)
    destinations: tuple[str, ...] = Field((), max_length=MOST_DESTINATIONS)
    items: tuple[Packed, ...] = Field((), max_length=limits.PLATES + limits.BRUSHES)
    icon: IconAs = "ball"
    icon_sides: tuple[int, ...] = Field((128,), max_length=8)

    @model_validator(mode="after")
    def _whole(self) -> Pack:
        if len({item.id for item in self.items}) != len(self.items):
            raise ValueError("a pack holds the same piece twice")
        if any(not 16 <= side <= 2048 for side in self.icon_sides):
            raise ValueError("an icon has a side from 16 to 2048 pixels")
        return self

    def but(self, id: str, **changes: str | dict[str, str]) -> Pack:
        """The same with something else said of one piece."""
        items = tuple(i.model_copy(update=changes) if i.id == id else i for i in self.items)
        return self.model_copy(update={"items": items})

    def leave_out(self, id: str, destination: str, why: str) -> Pack:
        """The same with a piece left out for a destination, or altogether for ""; in again where ``why`` is ""."""
        item = next(i for i in self.items if i.id == id)
        rest = {to: word for to, word in item.left_out.items() if to != destination}
        return self.but(id, left_out={**rest, destination: why[: limits.NAME]} if why else rest)

    def with_items(self, ids: tuple[str, ...]) -> Pack:
        """The same with more pieces, each once, at the end."""
        known = {item.id for item in self.items}
        more = tuple(Packed(id=id) for id in dict.fromkeys(ids) if id not in known)
        return self.model_copy(update={"items": (*self.items, *more)})

    def without(self, ids: tuple[str, ...]) -> Pack:
        """The same with fewer pieces."""
        return self.model_copy(update={"items": tuple(i for i in self.items if i.id not in ids)})

    def moved(self, id: str, place: int) -> Pack:
        """The same with a piece at another place."""
        one = next(i for i in self.items if i.id == id)
        rest = [i for i in self.items if i.id != id]
        rest.insert(max(0, min(len(rest), place)), one)
        return self.model_copy(update={"items": tuple(rest)})
