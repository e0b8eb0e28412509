"""The engine: works back to the scale of the source, then forward through the line."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import TypeVar

import numpy as np

from ..errors import BadValue, Cancelled, EngraverError, Watch, unwatched
from ..files.picture import Reading
from ..numeric import resample
from ..params import Strokes
from ..raster import Facts, Raster
from ..recipe.models import Step
from ..steps import StepContext, kind_of
from ..steps.kind import NOTHING, Matrix
from .cache import Cache
from .line import Line, assemble, step_seed
from .plan import Autos, Plan, Size, make_plan, size_at
from .sources import SourceStore

Answer = TypeVar("Answer")

# For so many places in lines, and so many runs of strokes at each, what they made is kept.
RUNS = 4


class StepFailed(EngraverError, ValueError):
    """A step of the line could not do its work; ``uid`` says which ("" for the source)."""

    def __init__(self, uid: str, cause: EngraverError) -> None:
        self.uid = uid
        super().__init__(cause.what, cause.why, cause.fix)


@dataclass(frozen=True, slots=True)
class Request:
    """What is wanted of a line.

    Attributes
    ----------
    upto : str or None
        The uid of the last step to apply; None for the finished plate, "" for the source.
    side : int or None
        Pixels along the longer side of the result; None for full size.
    exact : bool
        Measure automatic values on full-size pixels now; else use known ones, or
        provisional ones from this scale.
    before : bool
        What enters the step ``upto`` rather than what leaves it.
    reveal : bool
        What the step ``upto`` found (its light, its specks), as a picture of its input's size.
    """

    upto: str | None = None
    side: int | None = None
    exact: bool = False
    before: bool = False
    reveal: bool = False


@dataclass(frozen=True, slots=True)
class Result:
    """A raster with the facts of its full size.

    ``scale`` is pixels per full-size pixel. ``provisional`` says that an automatic
    value is not yet measured at full size, ``draft`` that a grain step ran on a
    reduced picture. ``autos`` are the automatic values used, by step uid.
    """

    raster: Raster
    facts: Facts
    scale: float
    provisional: bool = False
    draft: bool = False
    autos: Mapping[str, Autos] = field(default_factory=lambda: MappingProxyType({}))


class Engine:
    """Computes lines; safe to use from several threads.

    Parameters
    ----------
    sources : SourceStore
    limit : int
        Bytes of results to remember; 0 for one-off work in little memory.
    """

    def __init__(self, sources: SourceStore, limit: int = 1_500_000_000) -> None:
        self.sources = sources
        self.cache = Cache(limit)
        self._autos: dict[str, Autos] = {}
        self._runs: OrderedDict[str, list[tuple[Strokes, Raster]]] = OrderedDict()
        self._lock = threading.Lock()

    def evaluate(self, line: Line, request: Request, check: Watch = unwatched) -> Result:
        """Compute what is asked.

        Raises
        ------
        StepFailed
            A step, or reading the source, could not do its work.
        Cancelled
            ``check`` said that nobody waits any more.
        """
        inner = (request.before or request.reveal) and request.upto
        place = line.place_before(request.upto) if inner and request.upto else line.place_after(request.upto)
        plan = self._plan(line, place, request.side, request.exact)
        raster = self._stage(line, plan, plan.place, check)
        scale = raster.width / line.facts[place].width
        if request.reveal and place < len(line.steps):
            raster = self._revealed(line, plan, raster, request, check)
        autos = {
            line.steps[i].uid: values
            for i in range(plan.place)
            if (values := plan.known[i] or self._found(f"provisional {plan.keys[i + 1]}")) is not None and values
        }
        return Result(raster, line.facts[place], scale, plan.provisional, plan.draft, MappingProxyType(autos))

    def _revealed(self, line: Line, plan: Plan, raster: Raster, request: Request, check: Watch) -> Raster:
        """What the step after the plan's place found, as a picture of its input's size."""
        i = plan.place
        step, kind = line.steps[i], kind_of(line.steps[i].kind)
        if kind.reveal is None or not step.on:
            return raster
        after = self._plan(line, i + 1, request.side, request.exact)
        context = self._context(line, after, i, raster, check, size=(raster.height, raster.width))
        return self._guarded(step.uid, lambda: kind.reveal(raster, step.params, context))  # type: ignore[misc]

    def underneath(self, line: Line, uid: str, side: int, check: Watch = unwatched) -> Raster:
        """The source as it lies under the step ``uid``: through the geometry before it, its tones untouched."""
        frame = tuple(s for s in line.steps[: line.place_before(uid)] if s.on and kind_of(s.kind).matrix)
        same = assemble(line.source, line.reading, frame, line.seed, self.sources)
        return self.evaluate(same, Request(side=side), check).raster

    def autos(self, line: Line, uid: str) -> Autos | None:
        """The full-size automatic values of a step, when they are known."""
        place = line.place_before(uid)
        return self._found(line.keys[place + 1]) if place < len(line.steps) else None

    def _found(self, key: str) -> Autos | None:
        with self._lock:
            return self._autos.get(key)

    def _keep(self, key: str, values: Autos) -> Autos:
        with self._lock:
            if len(self._autos) > 5000:
                self._autos.clear()
            self._autos[key] = values
        return values

    def _plan(self, line: Line, place: int, side: int | None, exact: bool) -> Plan:
        return make_plan(line, place, side, exact=exact, found=self._found, held=self.cache.holds)

    def _stage(self, line: Line, plan: Plan, place: int, check: Watch) -> Raster:
        # Steps that are off are passed over here, so that nothing is computed for them.
        while place > 0 and not line.steps[place - 1].on:
            place -= 1
        found = self.cache.get(plan.keys[place])
        if found is not None:
            return found
        check()
        if place == 0:
            raster = self._source(line, plan, check)
        elif plan.grain[place - 1] and plan.sizes[place] != size_at(line.facts[place], 1.0):
            raster = self._reduced(line, plan, place, check)
        else:
            # The input goes out of sight before the result is kept, to hold as little as possible.
            raster = self._step(line, plan, place - 1, self._stage(line, plan, place - 1, check), check)
        self.cache.put(plan.keys[place], raster)
        return raster

    def _reduced(self, line: Line, plan: Plan, place: int, check: Watch) -> Raster:
        """A grain step: computed at full size, then reduced."""
        full = self._stage(line, self._plan(line, place, None, True), place, check)
        check()
        pixels, cover = resample.with_coverage(full.pixels, full.coverage, *plan.sizes[place], full.wrap)
        return _stamped(full.but(pixels=pixels, coverage=cover), line.facts[place], plan.scales[place])

    def _source(self, line: Line, plan: Plan, check: Watch) -> Raster:
        def read() -> Raster:
            return self.sources.raster(line.source, line.reading, plan.sizes[0], self.cache, check)

        return _stamped(self._guarded("", read), line.facts[0], plan.scales[0])

    @staticmethod
    def _guarded(uid: str, work: Callable[[], Answer]) -> Answer:
        """Do a step's work; what goes wrong is told with the step's uid."""
        try:
            return work()
        except (Cancelled, StepFailed):
            raise
        except EngraverError as error:
            raise StepFailed(uid, error) from error

    def _step(self, line: Line, plan: Plan, i: int, raster: Raster, check: Watch) -> Raster:
        step = line.steps[i]
        kind = kind_of(step.kind)
        context = self._context(line, plan, i, raster, check, size=plan.sizes[i + 1])
        if kind.one_by_one and raster.coverage is None:
            result = self._guarded(step.uid, lambda: self._stroked(step, raster, context, plan.keys[i]))
        else:
            result = self._guarded(step.uid, lambda: kind.apply(raster, step.params, context))
        return _stamped(result, line.facts[i + 1], plan.scales[i + 1])

    def _stroked(self, step: Step, raster: Raster, context: StepContext, before: str) -> Raster:
        """A step whose strokes act one after the other, from the longest run of them that has been done already."""
        kind = kind_of(step.kind)
        marks: Strokes = getattr(step.params, kind.one_by_one)
        key = f"{before} {step.uid} {context.size}"
        with self._lock:
            runs = self._runs.setdefault(key, [])
            self._runs.move_to_end(key)
            while len(self._runs) > RUNS:
                self._runs.popitem(last=False)
            done = max((run for run in runs if run[0] == marks[: len(run[0])]), key=lambda r: len(r[0]), default=None)
            if done is not None:  # the one in use stays longest
                runs.remove(done)
                runs.append(done)
        if done is not None:
            raster = done[1]
            params = step.params.but(**{kind.one_by_one: marks[len(done[0]) :]})
        else:
            params = step.params
        result = kind.apply(raster, params, context)
        with self._lock:
            if done is None or done[0] != marks:
                runs.insert(max(0, len(runs) - 1), (marks, result))
                del runs[: max(0, len(runs) - RUNS)]
        return result

    def _context(self, line: Line, plan: Plan, i: int, raster: Raster, check: Watch, size: Size) -> StepContext:
        step = line.steps[i]
        into = self._map(line, plan, i)
        scale = np.diag([raster.width / line.facts[i].width, raster.height / line.facts[i].height, 1.0])
        shares = np.diag([line.facts[0].width, line.facts[0].height, 1.0])
        context = StepContext(
            facts=line.facts[i], out=line.facts[i + 1], size=size, scale=plan.scales[i + 1],
            seed=step_seed(line.seed, step.uid), outline=line.outline(i), check=check,
            from_source=scale @ into @ shares, source=line.facts[0],
            references=self._references(line, i, (raster.height, raster.width), check),
        )  # fmt: skip
        return replace(context, autos=self._measured(line, plan, i, raster, context))

    def _map(self, line: Line, plan: Plan, i: int) -> Matrix:
        """Full-size source pixels to full-size pixels of what enters step ``i``."""
        total: Matrix = np.eye(3)
        for j in range(i):
            step, kind = line.steps[j], kind_of(line.steps[j].kind)
            if step.on and kind.matrix is not None:
                autos = plan.known[j] or self._found(f"provisional {plan.keys[j + 1]}") or NOTHING
                total = kind.matrix(step.params, line.facts[j], autos) @ total
        return total

    def into(self, line: Line, uid: str) -> Matrix:
        """Full-size source pixels to full-size pixels of what enters the step ``uid``, as far as known now."""
        place = line.place_before(uid)
        return self._map(line, self._plan(line, place, None, False), place)

    def _references(self, line: Line, i: int, size: Size, check: Watch) -> Mapping[str, Raster]:
        """Other sources that the step names, brought into its frame by the geometry before it."""
        step, kind = line.steps[i], kind_of(line.steps[i].kind)
        found: dict[str, Raster] = {}
        for name in kind.references:
            other = line.others.get(getattr(step.params, name))
            if other is None:
                continue
            frame = [s for s in line.steps[:i] if s.on and (kind_of(s.kind).matrix or s.kind == "grey")]
            reading = line.reading if isinstance(line.reading, Reading) else Reading()
            same = assemble(other, reading, tuple(frame), line.seed, self.sources)
            if (same.facts[0].width, same.facts[0].height) != (line.facts[0].width, line.facts[0].height):
                why = f"it has {same.facts[0].width} × {same.facts[0].height} pixels"
                fix = f"Take one of {line.facts[0].width} × {line.facts[0].height}, of the same set-up"
                raise StepFailed(step.uid, BadValue(f"{other.name} does not fit this picture", why, fix))
            found[name] = self.evaluate(same, Request(side=max(size)), check).raster
        return MappingProxyType(found)

    def _measured(self, line: Line, plan: Plan, i: int, raster: Raster, context: StepContext) -> Autos:
        known = plan.known[i]
        if known is not None:
            return known
        step, kind = line.steps[i], kind_of(line.steps[i].kind)
        measure = kind.measure
        assert measure is not None
        if plan.provisional:
            values = self._guarded(step.uid, lambda: measure(raster, step.params, context))
            return self._keep(f"provisional {plan.keys[i + 1]}", MappingProxyType(values))
        if plan.scales[i] < 1:
            full = self._plan(line, i, None, True)
            raster = self._stage(line, full, i, context.check)
            grow = np.diag([1 / plan.scales[i], 1 / plan.scales[i], 1.0])
            context = replace(context, from_source=grow @ context.from_source, scale=1.0)
        context.check()
        values = self._guarded(step.uid, lambda: measure(raster, step.params, context))
        plan.known[i] = self._keep(line.keys[i + 1], MappingProxyType(values))
        return plan.known[i] or NOTHING


def _stamped(raster: Raster, facts: Facts, scale: float) -> Raster:
    """What a raster carries comes from the declared extent, in one place for every step."""
    lattice = facts.lattice if scale >= 1 else None
    return raster.but(
        wrap=facts.wrap, zero=facts.zero, units=facts.units, lattice=lattice,
        source_per_pixel=facts.source_per_pixel / scale,
    )  # fmt: skip
