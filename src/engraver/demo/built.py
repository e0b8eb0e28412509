"""The quay's plates that start from nothing: a rivet, a name board, iron, roof tiles, a crest, a cleat."""

from __future__ import annotations

from engraver.core.recipe import Project, Source, Step
from engraver.core.recipe.edits import add_plate, rename_plate, set_ready_for
from engraver.core.solids.model import Solid
from engraver.core.sources import SourceStore
from engraver.core.sources.blank import Blank
from engraver.core.sources.solids import EXTENSION, SOLIDS, SolidsCapture, with_solids
from engraver.core.starters import STARTERS

# Starters as they are, and what they are called on the quay.
_AS_THEY_ARE = {
    "ringed-rivet": "Hull rivet", "name-board": "Name board", "lashing": "Net lashing", "roof": "Roof tiles",
    "crest": "Harbour crest",
}  # fmt: skip


def _steady(steps: tuple[Step, ...], prefix: str) -> tuple[Step, ...]:
    """The same uids every time, so that chance falls the same way."""
    return tuple(s.model_copy(update={"uid": f"{prefix}-{n}"}) for n, s in enumerate(steps))


def _pitted(project: Project) -> Project:
    """Pits strewn over rolling iron, which raise and cut about mid-grey."""
    steps = _steady((
        Step.make("zero", zero="mid"),
        Step.make("noise", size=0.16, octaves=4, level=0.0, height=0.14, meets="add"),
        Step.make("scatter", kind="pit", count=260, least=0.035, size=0.018, size_to=0.085, bias=-0.5, height=0.25,
                  height_to=0.9, hardness=0.3),
        Step.make("falloff", fade=0.2, margin=0.016, ragged=0.25),
    ), "iron")  # fmt: skip
    source = Source(id="src-iron", kind=Blank.kind, name="Pitted iron")
    project, plate = add_plate(project, source, "Pitted iron", steps, reading=Blank(), seed=21)
    return set_ready_for(project, plate, "sculpt-stamp-mid")


def _carved(project: Project, crest: str) -> Project:
    """The crest on a plank, which follows the crest's own plate."""
    steps = _steady((
        Step.make("noise", kind="billowed", size=0.1, stretch=10.0, octaves=3, level=0.16, height=0.16, bend=0.15),
        Step.make("place", plate=crest, width=0.8, height=1.0, meets="higher"),
        Step.make("falloff", outline="square", fade=0.05, margin=0.03, ragged=0.25, profile="round"),
    ), "board")  # fmt: skip
    source = Source(id="src-board", kind=Blank.kind, name="Carved board")
    project, plate = add_plate(project, source, "Carved board", steps, reading=Blank(), seed=22)
    return set_ready_for(project, plate, "brush-form")


# A mooring cleat: a foot, two posts, and a bar that lies on them.
CLEAT = (
    Solid(kind="box", size_x=2.6, size_y=1.1, size_z=0.3, edges="round", edge=0.45),
    *(Solid(kind="cylinder", size_x=0.5, size_y=0.5, size_z=0.6, at_x=x, at_z=0.35) for x in (-0.5, 0.5)),
    Solid(kind="cylinder", size_x=0.44, size_y=0.44, size_z=2.5, turn_y=90, at_z=0.7, edges="round", edge=0.5),
)


def _cleat(project: Project, sources: SourceStore) -> Project:
    source = with_solids(Source(id="src-cleat", kind=SOLIDS.id, name=f"cleat{EXTENSION}"), CLEAT, sources)
    reading = SolidsCapture(view="top", depth="exact", side=512)
    project, plate = add_plate(project, source, "Mooring cleat", (), reading=reading, read_as="object", seed=23)
    return set_ready_for(project, plate, "brush-form")


def with_built(project: Project, sources: SourceStore) -> Project:
    """The project with the plates that need no photo."""
    ids = {}
    for id, name in _AS_THEY_ARE.items():
        project, ids[id] = STARTERS[id].added_to(project)
        project = rename_plate(project, ids[id], name)
    return _cleat(_carved(_pitted(project), ids["crest"]), sources)
