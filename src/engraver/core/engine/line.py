"""A plate ready to be computed: its source, its steps, and what is known without pixels."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from ..params import StepZero
from ..pressing.replay import content_key
from ..raster import Facts
from ..recipe.models import Project, Source, Step, Trial
from ..recipe.references import trials_of
from ..sources import SourceStore, source_kind
from ..steps import Outline, kind_of
from ..steps.falloff import Falloff, outline_of

GREY_BEFORE = "grey-before"
_KEYS = {"keys": True}


@dataclass(frozen=True, slots=True)
class Line:
    """A source and the steps that act on it, with the plain grey put in where needed.

    ``facts[0]`` are the source's, ``facts[i + 1]`` those after ``steps[i]``, all at
    full size. ``keys`` name the full-size result at the same places. ``others`` are
    the sources that steps may refer to, by id; ``plates`` the finished lines of the plates that
    steps refer to, by id. ``coarse_mesh``: a mesh is captured from few triangles, while the hand turns it.
    ``trial`` is what the source is made of, where it is made of one.
    """

    source: Source
    reading: StepZero
    seed: int
    steps: tuple[Step, ...]
    facts: tuple[Facts, ...]
    keys: tuple[str, ...]
    others: Mapping[str, Source] = field(default_factory=lambda: MappingProxyType({}))
    plates: Mapping[str, Line] = field(default_factory=lambda: MappingProxyType({}))
    coarse_mesh: bool = False
    trial: Trial | None = None

    def place_after(self, uid: str | None) -> int:
        """The place in ``facts`` after the step ``uid``; after all of them for None."""
        if uid is None:
            return len(self.steps)
        for place, step in enumerate(self.steps):
            if step.uid == uid:
                return place + 1
        return len(self.steps) if uid != "" else 0

    def place_before(self, uid: str) -> int:
        """The place of what enters the step ``uid``."""
        return max(0, self.place_after(uid) - 1)

    def place_of(self, uid: str | None, before: bool) -> int:
        """The place after the step ``uid``, or of what enters it."""
        return self.place_before(uid) if before and uid is not None else self.place_after(uid)

    def outline(self, place: int) -> Outline | None:
        """The falloff after step ``place``, when no change of frame lies between."""
        for step in self.steps[place + 1 :]:
            if not step.on:
                continue
            if step.kind == "falloff" and isinstance(step.params, Falloff):
                return outline_of(step.params)
            kind = kind_of(step.kind)
            if kind.matrix is not None and not kind.resamples:
                return None
        return None


def step_seed(seed: int, uid: str) -> int:
    """The random seed of a step, from the plate's seed and the step's uid."""
    return int.from_bytes(hashlib.blake2b(f"{seed} {uid}".encode(), digest_size=4).digest(), "big")


def referred_plates(line: Line, i: int) -> tuple[str, ...]:
    """Ids of the plates that step ``i`` refers to."""
    step = line.steps[i]
    return tuple(id for what, id in kind_of(step.kind).refers_to(step.params) if what == "plate")


def named_references(line: Line, i: int, sources: SourceStore) -> str:
    """What step ``i`` refers to, told by what it is, not by its id."""
    step = line.steps[i]
    found = []
    for what, id in kind_of(step.kind).refers_to(step.params):
        if what == "plate":
            found.append(line.plates[id].keys[-1] if id in line.plates else f"no plate {id}")
        else:
            other = line.others.get(id)
            found.append(f"no source {id}" if other is None else sources.key(other, reading_of(other, line)))
    return " ".join(found)


def reading_of(other: Source, line: Line) -> StepZero:
    """How a source that a step refers to is read: as the plate's own where it is of the same kind."""
    return line.reading if line.reading.kind == other.kind else source_kind(other.kind).reading()


def _key(before: str, step: Step, seed: int, outline: Outline | None, named: str) -> str:
    kind = kind_of(step.kind)
    measured = f"{outline}" if kind.measure is not None and kind.measures(step.params) else ""
    values = step.params.model_dump_json(context=_KEYS)
    text = f"{before}|{step.kind}|{kind.version}|{values}|{step_seed(seed, step.uid)}|{measured}|{named}"
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def _with_grey(steps: tuple[Step, ...], facts: Facts) -> tuple[Step, ...]:
    """Put a plain luma grey before the first step that takes only grey, and at the end of a colour line."""
    channels = facts.channels
    placed: list[Step] = []
    for step in steps:
        kind = kind_of(step.kind)
        if step.on and channels == 3 and kind.takes == "grey":
            placed.append(_plain_grey())
            channels = 1
        placed.append(step)
        if step.on and kind.gives == "grey":
            channels = 1
    if channels == 3:
        placed.append(_plain_grey())
    return tuple(placed)


def _plain_grey() -> Step:
    return Step.make("grey").model_copy(update={"uid": GREY_BEFORE})


def resolve(
    project: Project,
    plate_id: str,
    sources: SourceStore,
    *,
    coarse_mesh: bool = False,
    known: dict[str, Line] | None = None,
) -> Line:
    """The line of a plate, with facts and keys, without computing pixels.

    Parameters
    ----------
    coarse_mesh : bool
        While the hand turns a mesh: its picture comes from few triangles, under keys of its own.
    known : dict, optional
        Lines of plates that have been resolved already, by id; filled with those that are needed.

    The plates do not follow each other in a circle: edits and files are checked for that.
    """
    known = {} if known is None else known
    plate, steps = project.plate(plate_id), project.line(plate_id)
    others = {source.id: source for source in project.sources}
    there = {p.id for p in project.plates}
    wanted = [id for s in steps if s.on for what, id in s.declared.refers_to(s.params) if what == "plate"]
    trial = next(iter(trials_of(project, plate)), None)
    if trial is not None:
        wanted += trial.plates
    for id in wanted:
        if id in there and id not in known:
            known[id] = resolve(project, id, sources, known=known)
    plates = {id: known[id] for id in wanted if id in known}
    return assemble(
        project.source(plate.source), plate.reading, steps, plate.seed, sources, others, plates,
        coarse_mesh=coarse_mesh, trial=trial,
    )  # fmt: skip


def trial_key(trial: Trial, others: Mapping[str, Source], plates: Mapping[str, Line]) -> str:
    """Names what a trial shows: its surface, its gestures and the finished plates that they press."""
    mesh = others.get(trial.own)
    own = f"{' '.join(mesh.digests) if mesh is not None else ''} {trial.rounded} {trial.points}"
    plane = trial.declared.geometry.plane
    return content_key(
        trial.surface, "" if plane else own, trial.gestures, {id: p.keys[-1] for id, p in plates.items()}
    )


def assemble(
    source: Source, reading: StepZero, steps: tuple[Step, ...], seed: int, sources: SourceStore,
    others: Mapping[str, Source] | None = None, plates: Mapping[str, Line] | None = None, *,
    coarse_mesh: bool = False, trial: Trial | None = None,
) -> Line:  # fmt: skip
    """A line from its parts. Steps that are off stay in it and pass everything on."""
    first = sources.facts(source, reading)
    steps = _with_grey(steps, first)
    start = sources.key(source, reading) + (" coarse" if coarse_mesh else "")
    if trial is not None:
        start += trial_key(trial, others or {}, plates or {})
    facts, keys = [first], [hashlib.blake2b(start.encode(), digest_size=16).hexdigest()]
    draft = Line(
        source, reading, seed, steps, (first,), (), MappingProxyType(dict(others or {})),
        MappingProxyType(dict(plates or {})), coarse_mesh, trial,
    )  # fmt: skip
    for place, step in enumerate(steps):
        if step.on:
            facts.append(kind_of(step.kind).extent(step.params, facts[-1]))
            keys.append(_key(keys[-1], step, seed, draft.outline(place), named_references(draft, place, sources)))
        else:
            facts.append(facts[-1])
            keys.append(keys[-1])
    return replace(draft, facts=tuple(facts), keys=tuple(keys))
