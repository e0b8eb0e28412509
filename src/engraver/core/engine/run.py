"""The engine: works back to the scale of the source, then forward through the line."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from ..errors import Cancelled, EngraverError
from ..numeric import resample
from ..raster import Facts, Raster
from ..steps import StepContext, kind_of
from .cache import Cache
from .line import Line, step_seed
from .sources import SourceStore

Autos = Mapping[str, float]
_NOTHING: Autos = MappingProxyType({})


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
    """

    upto: str | None = None
    side: int | None = None
    exact: bool = False
    before: bool = False


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


@dataclass(slots=True)
class _Plan:
    place: int
    scales: list[float]
    sizes: list[tuple[int, int]]
    keys: list[str]
    known: list[Autos | None]
    provisional: bool
    draft: bool


def _size(facts: Facts, scale: float) -> tuple[int, int]:
    return max(1, round(facts.height * scale)), max(1, round(facts.width * scale))


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
        self._lock = threading.Lock()

    def evaluate(self, line: Line, request: Request, check: Callable[[], None] = lambda: None) -> Result:
        """Compute what is asked.

        Raises
        ------
        StepFailed
            A step, or reading the source, could not do its work.
        Cancelled
            ``check`` said that nobody waits any more.
        """
        place = line.place_before(request.upto) if request.before and request.upto else line.place_after(request.upto)
        plan = self._plan(line, place, request)
        raster = self._stage(line, plan, plan.place, check)
        scale = raster.width / line.facts[place].width
        autos = {
            line.steps[i].uid: values
            for i in range(plan.place)
            if (values := plan.known[i] or self._found(f"provisional {plan.keys[i + 1]}")) is not None and values
        }
        return Result(raster, line.facts[place], scale, plan.provisional, plan.draft, MappingProxyType(autos))

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

    def _plan(self, line: Line, place: int, request: Request) -> _Plan:
        facts = line.facts[: place + 1]
        longer = max(facts[-1].width, facts[-1].height)
        last = 1.0 if request.side is None else min(1.0, request.side / longer)
        scales, draft = [1.0] * (place + 1), False
        scales[place] = last
        for i in range(place - 1, -1, -1):
            kind, after = kind_of(line.steps[i].kind), scales[i + 1]
            scales[i] = after
            if not line.steps[i].on or last >= 1:
                continue
            if kind.agreement == "grain":
                if request.exact:
                    scales[i] = 1.0
                else:
                    draft = True
            elif kind.resamples:
                scales[i] = min(1.0, after * facts[i + 1].width / facts[i].width)
        sizes = [_size(f, s) for f, s in zip(facts, scales, strict=True)]
        keys = [f"{line.keys[0]} {sizes[0]}"]
        known: list[Autos | None] = []
        provisional = False
        for i in range(place):
            step, kind = line.steps[i], kind_of(line.steps[i].kind)
            values: Autos | None = _NOTHING
            if step.on and kind.measure is not None and kind.measures(step.params):
                values = self._found(line.keys[i + 1])
                if values is None and not request.exact:
                    provisional = True
            known.append(values)
            text = f"{keys[-1]}|{line.keys[i + 1]}|{sizes[i + 1]}|{provisional}|{draft}"
            same = not step.on
            keys.append(keys[-1] if same else hashlib.blake2b(text.encode(), digest_size=16).hexdigest())
        return _Plan(place, scales, sizes, keys, known, provisional, draft)

    def _stage(self, line: Line, plan: _Plan, place: int, check: Callable[[], None]) -> Raster:
        # Steps that are off are passed over here, so that nothing is computed for them.
        while place > 0 and not line.steps[place - 1].on:
            place -= 1
        found = self.cache.get(plan.keys[place])
        if found is not None:
            return found
        check()
        if place == 0:
            raster = self._source(line, plan, check)
        else:
            # The input goes out of sight before the result is kept, to hold as little as possible.
            raster = self._step(line, plan, place - 1, self._stage(line, plan, place - 1, check), check)
        self.cache.put(plan.keys[place], raster)
        return raster

    def _source(self, line: Line, plan: _Plan, check: Callable[[], None]) -> Raster:
        try:
            raster = self.sources.raster(line.source, line.reading, plan.sizes[0], self.cache, check)
        except Cancelled:
            raise
        except EngraverError as error:
            raise StepFailed("", error) from error
        return _stamped(raster, line.facts[0], plan.scales[0])

    def _step(self, line: Line, plan: _Plan, i: int, raster: Raster, check: Callable[[], None]) -> Raster:
        step = line.steps[i]
        kind = kind_of(step.kind)
        grain = kind.agreement == "grain" and plan.scales[i] >= 1 and plan.scales[i + 1] < 1
        size = _size(line.facts[i + 1], 1.0) if grain else plan.sizes[i + 1]
        context = StepContext(
            facts=line.facts[i], out=line.facts[i + 1], size=size,
            scale=1.0 if grain else plan.scales[i + 1],
            seed=step_seed(line.seed, step.uid), check=check,
            autos=self._measured(line, plan, i, raster, check),
        )  # fmt: skip
        try:
            result = kind.apply(raster, step.params, context)
        except Cancelled:
            raise
        except EngraverError as error:
            raise StepFailed(step.uid, error) from error
        if grain:
            pixels, cover = resample.with_coverage(result.pixels, result.coverage, *plan.sizes[i + 1], result.wrap)
            result = result.but(pixels=pixels, coverage=cover)
        return _stamped(result, line.facts[i + 1], plan.scales[i + 1])

    def _measured(self, line: Line, plan: _Plan, i: int, raster: Raster, check: Callable[[], None]) -> Autos:
        known = plan.known[i]
        if known is not None:
            return known
        step, kind = line.steps[i], kind_of(line.steps[i].kind)
        assert kind.measure is not None
        try:
            if plan.provisional:
                values = kind.measure(raster, step.params, line.outline(i))
                return self._keep(f"provisional {plan.keys[i + 1]}", MappingProxyType(values))
            if plan.scales[i] < 1:
                full = self._plan(line, i, Request(exact=True))
                raster = self._stage(line, full, i, check)
            check()
            values = kind.measure(raster, step.params, line.outline(i))
        except Cancelled:
            raise
        except StepFailed:
            raise
        except EngraverError as error:
            raise StepFailed(step.uid, error) from error
        plan.known[i] = self._keep(line.keys[i + 1], MappingProxyType(values))
        return plan.known[i] or _NOTHING


def _stamped(raster: Raster, facts: Facts, scale: float) -> Raster:
    """What a raster carries comes from the declared extent, in one place for every step."""
    lattice = facts.lattice if scale >= 1 else None
    return raster.but(
        wrap=facts.wrap, zero=facts.zero, units=facts.units, lattice=lattice,
        source_per_pixel=facts.source_per_pixel / scale,
    )  # fmt: skip
