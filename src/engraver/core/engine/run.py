"""The engine: works back to the scale of the source, then forward through the line."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import TypeVar, cast

import numpy as np

from engraver.core.mesh.model import Mesh

from ..cache import Cache
from ..errors import BadValue, Cancelled, EngraverError, Watch, unwatched
from ..numeric import resample
from ..params import Strokes
from ..pressing.relief import Tip
from ..pressing.strip import strip_of
from ..pressing.tip import standing
from ..raster import Facts, Raster
from ..sources import SourceStore, source_kind
from ..sources.trial import Given, own_of, tip_side
from ..steps import StepContext, kind_of
from ..steps.kind import NOTHING, PLATE_SIDE, Matrix
from .line import Line, assemble, named_references, reading_of, referred_plates, step_seed, trial_key
from .mapping import between, to_place
from .measured_source import source_measured
from .plan import Autos, Plan, Size, make_plan, size_at, stamped

Answer = TypeVar("Answer")


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
    cache : Cache, optional
        Where results are remembered; with the sources' own things, when it is left out.
    """

    def __init__(self, sources: SourceStore, cache: Cache | None = None) -> None:
        self.sources = sources
        self.cache = sources.cache if cache is None else cache

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
        measure = not self.cache.holds(plan.keys[plan.place])
        known = self._guarded("", lambda: source_measured(line, self.sources, check, measure=measure))
        if known is not line:
            line, plan = known, self._plan(known, place, request.side, request.exact)
        raster = self._stage(line, plan, plan.place, check)
        scale = raster.width / line.facts[place].width
        if request.reveal and place < len(line.steps):
            raster = self._revealed(line, plan, raster, request, check)
        autos = {
            line.steps[i].uid: values
            for i in range(plan.place)
            if line.steps[i].on
            and (values := plan.known[i] or self._found(f"provisional {plan.keys[i + 1]}")) is not None
            and values
        }
        return Result(raster, line.facts[place], scale, plan.provisional, plan.draft, MappingProxyType(autos))

    def at_rest(self, line: Line, request: Request, check: Watch = unwatched) -> Result:
        """As :meth:`evaluate`, by the full-size result, reduced: what a view shows once the hand rests.

        The source itself is reduced from full size in any case.
        """
        if not request.reveal and line.place_of(request.upto, request.before) == 0:
            return self.evaluate(line, request, check)
        full = self.evaluate(line, replace(request, side=None, exact=True), check)
        longer = max(full.facts.width, full.facts.height)
        if request.side is None or request.side >= longer:
            return full
        size = size_at(full.facts, request.side / longer)
        key = f"at rest {line.keys[line.place_after(request.upto)]} {request.before} {request.reveal} {size}"
        raster = cast("Raster | None", self.cache.get(key))
        if raster is None:
            check()
            whole = full.raster
            pixels, cover = resample.with_coverage(whole.pixels, whole.coverage, *size, whole.wrap)
            scale = request.side / longer
            raster = whole.but(
                pixels=pixels, coverage=cover, lattice=None, source_per_pixel=whole.source_per_pixel / scale
            )
            self.cache.put(key, raster)
        return replace(full, raster=raster, scale=raster.width / full.facts.width)

    def has_full(self, line: Line, upto: str) -> bool:
        """Whether the full-size result of a step is at hand, so that showing it costs next to nothing."""
        place = line.place_after(upto)
        return self.cache.holds(self._plan(line, place, None, True).keys[place])

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
        return cast("Autos | None", self.cache.noted(f"autos {key}"))

    def _keep(self, key: str, values: Autos) -> Autos:
        self.cache.note(f"autos {key}", values)
        return values

    def _plan(self, line: Line, place: int, side: int | None, exact: bool) -> Plan:
        def settled(i: int) -> bool:
            subs = [line.plates[id] for id in referred_plates(line, i) if id in line.plates]
            plans = [self._plan(sub, len(sub.steps), PLATE_SIDE, False) for sub in subs]
            return not any(p.provisional or p.draft for p in plans)

        return make_plan(line, place, side, exact=exact, found=self._found, held=self.cache.holds, settled=settled)

    def _stage(self, line: Line, plan: Plan, place: int, check: Watch) -> Raster:
        # Steps that are off are passed over here, so that nothing is computed for them.
        while place > 0 and not line.steps[place - 1].on:
            place -= 1
        found = self.cache.get(plan.keys[place])
        if found is not None:
            return cast(Raster, found)
        check()
        if place == 0:
            raster = self._source(line, plan, check)
        elif plan.grain[place - 1] and plan.sizes[place] != size_at(line.facts[place], 1.0):
            raster = self._reduced(line, plan, place, check)
        else:
            # The input goes out of sight before the result is kept, to hold as little as possible.
            raster = self._step(line, plan, place - 1, self._stage(line, plan, place - 1, check), check)
        if not self._made_again(line, plan, place, raster):
            self.cache.put(plan.keys[place], raster)
        return raster

    def _made_again(self, line: Line, plan: Plan, place: int, raster: Raster) -> bool:
        """Whether a result is better made again than kept: somebody else keeps it, or it is a large copy."""
        if place == 0:
            return plan.sizes[0] == size_at(line.facts[0], 1.0) and source_kind(line.source.kind).kept
        step = line.steps[place - 1]
        return kind_of(step.kind).copies(step.params) and self.cache.takes_much(raster)

    def _reduced(self, line: Line, plan: Plan, place: int, check: Watch) -> Raster:
        """A grain step: computed at full size, then reduced."""
        full = self._stage(line, self._plan(line, place, None, True), place, check)
        check()
        pixels, cover = resample.with_coverage(full.pixels, full.coverage, *plan.sizes[place], full.wrap)
        return stamped(full.but(pixels=pixels, coverage=cover), line.facts[place], plan.scales[place])

    def _source(self, line: Line, plan: Plan, check: Watch) -> Raster:
        kind, trial = source_kind(line.source.kind), line.trial
        if kind.from_trial is not None and trial is not None:
            from_trial = kind.from_trial

            def make() -> Raster:
                own = own_of(trial, line.others.get(trial.own), self.sources, check)
                used = {id: line.plates[id] for id in trial.plates if id in line.plates}
                full = plan.sizes[0] == size_at(line.facts[0], 1.0)
                side = None if full else tip_side(trial, own, line.reading, max(plan.sizes[0]))
                tips = self.tips(used, check, side=side, bodies=trial.bodies)
                given = Given(trial, tips, own, trial_key(trial, line.others, line.plates))
                return from_trial(given, line.reading, plan.sizes[0], self.sources, check)

            return stamped(self._guarded("", make), line.facts[0], plan.scales[0])

        def read() -> Raster:
            return self.sources.raster(line.source, line.reading, plan.sizes[0], check, coarse=line.coarse_mesh)

        return stamped(self._guarded("", read), line.facts[0], plan.scales[0])

    def tips(
        self, lines: Mapping[str, Line], check: Watch = unwatched, *, side: int | None = None,
        bodies: Collection[str] = (),
    ) -> Mapping[str, Tip]:  # fmt: skip
        """Finished plates as marks are made with them, by id.

        Parameters
        ----------
        side : int, optional
            Pixels along their longer side that are enough, for a preview; else they are of full size and exact.
        bodies : collection of str
            The plates whose meshes are wanted, too, where they are made from one.

        Raises
        ------
        StepFailed
            A plate cannot be computed.
        Cancelled
            Nobody waits any more.
        """
        found: dict[str, Tip] = {}
        for id, line in lines.items():
            key = f"tip {line.keys[-1]} {side or 'full'}{' body' if id in bodies else ''}"
            tip = self.cache.get(key)
            if not isinstance(tip, Tip):
                request = Request(exact=True) if side is None else Request(side=side)
                raster = self.evaluate(line, request, check).raster
                body = self.body(line, check) if id in bodies else None
                tip = Tip(*standing(raster), key, strip=strip_of(raster), body=body)
                self.cache.put(key, tip)
            found[id] = tip
        return MappingProxyType(found)

    def body(self, line: Line, check: Watch = unwatched) -> Mesh | None:
        """The mesh that a plate is made from, None where it is not. Raises BadMesh, FileTrouble or Cancelled."""
        body_of = source_kind(line.source.kind).body
        return None if body_of is None else body_of(line.source, self.sources, check)

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
            result = self._guarded(step.uid, lambda: self._stroked(line, i, raster, context, plan.keys[i]))
        else:
            result = self._guarded(step.uid, lambda: kind.apply(raster, step.params, context))
        return stamped(result, line.facts[i + 1], plan.scales[i + 1])

    def _stroked(self, line: Line, i: int, raster: Raster, context: StepContext, before: str) -> Raster:
        """A step whose strokes act one after the other, from the longest run of them that has been done already."""
        step, kind = line.steps[i], kind_of(line.steps[i].kind)
        strokes: Strokes = getattr(step.params, kind.one_by_one)
        head = f"{before} {step.uid} {context.size} {named_references(line, i, self.sources)}"
        keys, so_far = [], hashlib.blake2b(head.encode(), digest_size=16)
        for stroke in strokes:
            so_far.update(stroke.digest.encode())
            keys.append(f"run {so_far.hexdigest()}")
        for done in range(len(strokes), 0, -1):
            known = self.cache.get(keys[done - 1])
            if known is not None:
                break
        else:
            done, known = 0, None
        if known is not None and done == len(strokes):
            return cast(Raster, known)
        params = step.params.but(**{kind.one_by_one: strokes[done:]}) if done else step.params
        result = kind.apply(raster if known is None else known, params, context)
        if keys:
            self.cache.put(keys[-1], result)
        return result

    def _context(self, line: Line, plan: Plan, i: int, raster: Raster, check: Watch, size: Size) -> StepContext:
        step = line.steps[i]
        into = to_place(line, plan, i, self._found)
        scale = np.diag([raster.width / line.facts[i].width, raster.height / line.facts[i].height, 1.0])
        shares = np.diag([line.facts[0].width, line.facts[0].height, 1.0])
        context = StepContext(
            facts=line.facts[i], out=line.facts[i + 1], size=size, scale=plan.scales[i + 1],
            seed=step_seed(line.seed, step.uid), outline=line.outline(i), check=check,
            from_source=scale @ into @ shares, source=line.facts[0],
            references=self._references(line, i, (raster.height, raster.width), check),
            plates=self._plates(line, plan, i, check),
        )  # fmt: skip
        return replace(context, autos=self._measured(line, plan, i, raster, context))

    def into(self, line: Line, uid: str) -> Matrix:
        """Full-size source pixels to full-size pixels of what enters the step ``uid``, as far as known now."""
        place = line.place_before(uid)
        return to_place(line, self._plan(line, place, None, False), place, self._found)

    def between(self, line: Line, one: Request, two: Request) -> Matrix:
        """Shares of the picture that the first asks for to shares of the second's, as far as known now; 3x3."""
        places = line.place_of(one.upto, one.before), line.place_of(two.upto, two.before)
        return between(line, self._plan(line, max(places), None, False), places, self._found)

    def _references(self, line: Line, i: int, size: Size, check: Watch) -> Mapping[str, Raster]:
        """Other sources that the step names, brought into its frame by the geometry before it."""
        step, kind = line.steps[i], kind_of(line.steps[i].kind)
        found: dict[str, Raster] = {}
        for name in kind.references:
            other = line.others.get(getattr(step.params, name))
            if other is None:
                continue
            frame = [s for s in line.steps[:i] if s.on and (kind_of(s.kind).matrix or s.kind == "grey")]
            same = assemble(other, reading_of(other, line), tuple(frame), line.seed, self.sources)
            if (same.facts[0].width, same.facts[0].height) != (line.facts[0].width, line.facts[0].height):
                why = f"it has {same.facts[0].width} × {same.facts[0].height} pixels"
                fix = f"Take one of {line.facts[0].width} × {line.facts[0].height}, of the same set-up"
                raise StepFailed(step.uid, BadValue(f"{other.name} does not fit this picture", why, fix))
            found[name] = self.evaluate(same, Request(side=max(size)), check).raster
        return MappingProxyType(found)

    def _plates(self, line: Line, plan: Plan, i: int, check: Watch) -> Mapping[str, Raster]:
        """The finished plates that a step refers to; from full size unless they are still provisional here."""
        request = Request(side=PLATE_SIDE, exact=not plan.provisional)
        found = {id: line.plates[id] for id in referred_plates(line, i) if id in line.plates}
        return MappingProxyType({id: self.evaluate(sub, request, check).raster for id, sub in found.items()})

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
