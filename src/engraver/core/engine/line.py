"""A plate ready to be computed: its source, its steps, and what is known without pixels."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from ..raster import Facts
from ..recipe.models import AnyReading, Project, Source, Step
from ..steps import Outline, kind_of
from ..steps.falloff import Falloff, outline_of
from .sources import SourceStore

GREY_BEFORE = "grey-before"
_KEYS = {"keys": True}


@dataclass(frozen=True, slots=True)
class Line:
    """A source and the steps that act on it, with the plain grey put in where needed.

    ``facts[0]`` are the source's, ``facts[i + 1]`` those after ``steps[i]``, all at
    full size. ``keys`` name the full-size result at the same places. ``others`` are
    the sources that steps may refer to, by id.
    """

    source: Source
    reading: AnyReading
    seed: int
    steps: tuple[Step, ...]
    facts: tuple[Facts, ...]
    keys: tuple[str, ...]
    others: Mapping[str, Source] = field(default_factory=lambda: MappingProxyType({}))

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


def _key(before: str, step: Step, seed: int, outline: Outline | None, others: Mapping[str, Source]) -> str:
    kind = kind_of(step.kind)
    measured = f"{outline}" if kind.measure is not None and kind.measures(step.params) else ""
    named = [others[id].sha256 for name in kind.references if (id := getattr(step.params, name)) in others]
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


def resolve(project: Project, plate_id: str, sources: SourceStore) -> Line:
    """The line of a plate, with facts and keys, without computing pixels."""
    plate = project.plate(plate_id)
    others = {source.id: source for source in project.sources}
    return assemble(project.source(plate.source), plate.reading, project.line(plate_id), plate.seed, sources, others)


def assemble(
    source: Source, reading: AnyReading, steps: tuple[Step, ...], seed: int, sources: SourceStore,
    others: Mapping[str, Source] | None = None,
) -> Line:  # fmt: skip
    """A line from its parts. Steps that are off stay in it and pass everything on."""
    others = MappingProxyType(dict(others or {}))
    first = sources.facts(source, reading)
    steps = _with_grey(steps, first)
    facts, keys = [first], [hashlib.blake2b(sources.key(source, reading).encode(), digest_size=16).hexdigest()]
    draft = Line(source, reading, seed, steps, (first,), ())
    for place, step in enumerate(steps):
        if step.on:
            facts.append(kind_of(step.kind).extent(step.params, facts[-1]))
            keys.append(_key(keys[-1], step, seed, draft.outline(place), others))
        else:
            facts.append(facts[-1])
            keys.append(keys[-1])
    return Line(source, reading, seed, steps, tuple(facts), tuple(keys), others)
