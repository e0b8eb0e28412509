"""What a starter declares, and the plate it becomes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ..recipe import Project
from ..recipe.edits import add_plate, set_ready_for
from ..recipe.models import Source, Step, new_id
from ..sources.blank import Blank


@dataclass(frozen=True, slots=True)
class Starter:
    """A finished example, all of steps that stay live.

    Attributes
    ----------
    id : str
        By which it is started from the terminal.
    name, help : str
    ready_for : str
        The id of the destination for which all its gauges are good.
    steps : () -> tuple of Step
        Its line; what is drawn by chance goes by uids that never change.
    side : int
        Pixels along each side.
    tiles : bool
        Its ground goes on over its borders.
    grey : float
        Of its ground.
    words : tuple of str
        Other words by which it is found.
    """

    id: str
    name: str
    help: str
    ready_for: str
    steps: Callable[[], tuple[Step, ...]]
    side: int = 1024
    tiles: bool = False
    grey: float = 0.0
    words: tuple[str, ...] = ()

    def line(self) -> tuple[Step, ...]:
        """Its steps with uids of their own kind and place, so that it looks the same every time."""
        return tuple(s.model_copy(update={"uid": f"{self.id}-{n}"}) for n, s in enumerate(self.steps()))

    def ground(self) -> Blank:
        """Step zero."""
        return Blank(side=self.side, grey=self.grey, tiles=self.tiles)

    def added_to(self, project: Project) -> tuple[Project, str]:
        """A project with one more plate, and the plate's id. Raises BadValue where the project is full."""
        source = Source(id=new_id("src"), kind=Blank.kind, name=self.name)
        project, plate = add_plate(project, source, self.name, self.line(), reading=self.ground(), read_as="plain")
        return set_ready_for(project, plate, self.ready_for), plate
