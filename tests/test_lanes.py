"""Lanes: the latest request wins, stale answers are dropped, nothing is left running."""

from __future__ import annotations

import threading
from collections.abc import Iterator

import pytest

from engraver.app.jobs import Check, Lane, wait_idle
from engraver.core.errors import BadPicture, EngraverError


class Log:
    """What a lane answered, in order."""

    def __init__(self) -> None:
        self.done: list[object] = []
        self.failed: list[EngraverError] = []
        self.threads: set[str] = set()


@pytest.fixture
def follow(qapp: object) -> Iterator[Lane]:
    lane = Lane("test follow", stop_old=False)
    yield lane
    lane.end()


@pytest.fixture
def stop(qapp: object) -> Iterator[Lane]:
    lane = Lane("test stop", stop_old=True)
    yield lane
    lane.end()


def blocked(gate: threading.Event, started: threading.Event, answer: object):  # type: ignore[no-untyped-def]
    def work(check: Check) -> object:
        started.set()
        gate.wait(10)
        check()
        return answer

    return work


def test_work_runs_elsewhere_and_is_answered_here(follow: Lane) -> None:
    log = Log()

    def work(check: Check) -> str:
        log.threads.add(threading.current_thread().name)
        return "plate"

    def done(answer: object) -> None:
        log.done.append(answer)
        log.threads.add(threading.current_thread().name)

    follow.submit(work, done, log.failed.append)
    wait_idle([follow])
    assert log.done == ["plate"] and follow.idle
    assert log.threads == {"engraver test follow", threading.main_thread().name}


def test_of_many_wishes_only_the_running_one_and_the_last_are_done(follow: Lane) -> None:
    log, gate, started = Log(), threading.Event(), threading.Event()
    follow.submit(blocked(gate, started, 0), log.done.append, log.failed.append)
    started.wait(10)
    for n in range(1, 9):
        follow.submit(lambda check, n=n: n, log.done.append, log.failed.append)
    gate.set()
    wait_idle([follow])
    assert log.done == [0, 8] and not log.failed


def test_a_new_wish_stops_long_work(stop: Lane) -> None:
    log, gate, started = Log(), threading.Event(), threading.Event()
    stop.submit(blocked(gate, started, "old"), log.done.append, log.failed.append)
    started.wait(10)
    stop.submit(lambda check: "new", log.done.append, log.failed.append)
    gate.set()
    wait_idle([stop])
    assert log.done == ["new"] and not log.failed


def test_a_stale_answer_is_dropped_even_when_it_was_ready(stop: Lane) -> None:
    log, finished = Log(), threading.Event()

    def work(check: Check) -> str:
        finished.set()
        return "stale"

    stop.submit(work, log.done.append, log.failed.append)
    finished.wait(10)
    stop.drop()
    wait_idle([stop])
    assert not log.done and not log.failed and stop.idle


def test_our_errors_keep_their_words_and_others_are_told_too(follow: Lane) -> None:
    log = Log()
    for error in (BadPicture("slab.jpg cannot be read", "it is cut short"), ZeroDivisionError("by zero")):

        def work(check: Check, error: Exception = error) -> None:
            raise error

        follow.submit(work, log.done.append, log.failed.append)
        wait_idle([follow])
    assert [e.what for e in log.failed] == ["slab.jpg cannot be read", "Something went wrong inside Engraver"]
    assert not log.done
    follow.submit(lambda check: 1, log.done.append, log.failed.append)
    wait_idle([follow])
    assert log.done == [1]


def test_the_end_of_a_lane_stops_its_thread_at_once(qapp: object) -> None:
    lane, gate, started, log = Lane("test end", stop_old=False), threading.Event(), threading.Event(), Log()

    def work(check: Check) -> None:
        started.set()
        while True:
            check()
            gate.wait(0.001)

    lane.submit(work, log.done.append, log.failed.append)
    started.wait(10)
    lane.end()
    assert "engraver test end" not in [t.name for t in threading.enumerate()]
    assert not log.done and not log.failed
