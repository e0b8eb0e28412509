"""The one cache, against a plain model of it: bounded in bytes, the least recently used goes first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from engraver.core.cache import NOTE_BYTES, NOTES_LIMIT, Cache

LIMIT = 100
KEYS = st.sampled_from("abcdefgh")


@dataclass(frozen=True)
class Thing:
    nbytes: int


class Model(RuleBasedStateMachine):
    """What the cache does is what an ordered dictionary does by hand."""

    def __init__(self) -> None:
        super().__init__()
        self.cache, self.model = Cache(LIMIT), OrderedDict[str, Thing]()

    @rule(key=KEYS, size=st.integers(0, 70))
    def put(self, key: str, size: int) -> None:
        thing = Thing(size)
        self.cache.put(key, thing)
        if size * 2 > LIMIT:
            return  # half of it at most: one large thing must not push out all others
        self.model.pop(key, None)
        self.model[key] = thing
        while sum(t.nbytes for t in self.model.values()) > LIMIT:
            self.model.popitem(last=False)

    @rule(key=KEYS)
    def get(self, key: str) -> None:
        assert self.cache.get(key) is self.model.get(key)
        if key in self.model:
            self.model.move_to_end(key)

    @rule(key=KEYS)
    def drop(self, key: str) -> None:
        self.cache.drop(key)
        self.model.pop(key, None)

    @rule(key=KEYS, value=st.integers())
    def note(self, key: str, value: int) -> None:
        self.cache.note(key, value)
        assert self.cache.noted(key) == value  # notes have a room of their own

    @invariant()
    def they_agree(self) -> None:
        assert all(self.cache.holds(key) == (key in self.model) for key in "abcdefgh")


TestModel = Model.TestCase
TestModel.settings = settings(max_examples=60, stateful_step_count=40, deadline=None)


def test_nothing_is_kept_without_room() -> None:
    cache = Cache(0)
    cache.put("a", Thing(1))
    cache.note("a", 3)
    assert cache.get("a") is None and cache.noted("a") == 3


def test_notes_are_bounded_too_and_leave_pictures_alone() -> None:
    cache = Cache(LIMIT)
    cache.put("large", Thing(40))
    for n in range(NOTES_LIMIT // NOTE_BYTES + 50):
        cache.note(str(n), n)
    assert cache.get("large") is not None and cache.noted("0") is None
    assert cache.used <= LIMIT + NOTES_LIMIT


def test_many_threads_at_once_leave_it_whole() -> None:
    cache, wrong = Cache(LIMIT), []

    def work(seed: int) -> None:
        for n in range(2000):
            key = "abcdefgh"[(n * 7 + seed) % 8]
            cache.put(key, Thing((n * 13 + seed) % 50))
            found = cache.get(key)
            if found is not None and not 0 <= found.nbytes < 50:
                wrong.append(found)
            if cache.used > LIMIT:
                wrong.append(cache.used)

    threads = [threading.Thread(target=work, args=(seed,)) for seed in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert not wrong
