"""Lanes: the latest request wins, stale answers are dropped, nothing is left running."""

from __future__ import annotations

import threading
from collections.abc import Iterator

import pytest

from engraver.app.lanes import LatestLane, State, TaskQueue, wait_idle
from engraver.core.errors import BadPicture, EngraverError, Watch


class Log:
    """What a lane answered, in order."""

    def __init__(self) -> None:
        self.done: list[object] = []
        self.failed: list[EngraverError] = []
        self.threads: set[str] = set()


@pytest.fixture
def follow(qapp: object) -> Iterator[LatestLane]:
    lane = LatestLane("test follow", stop_old=False)
    yield lane
    lane.end()


@pytest.fixture
def stop(qapp: object) -> Iterator[LatestLane]:
    lane = LatestLane("test stop", stop_old=True)
    yield lane
    lane.end()


def blocked(gate: threading.Event, started: threading.Event, answer: object):  # type: ignore[no-untyped-def]
    def work(check: Watch) -> object:
        started.set()
        gate.wait(10)
        check()
        return answer

    return work


def test_work_runs_elsewhere_and_is_answered_here(follow: LatestLane) -> None:
    log = Log()

    def work(check: Watch) -> str:
        log.threads.add(threading.current_thread().name)
        return "plate"

    def done(answer: object) -> None:
        log.done.append(answer)
        log.threads.add(threading.current_thread().name)

    follow.submit(work, done, log.failed.append)
    wait_idle([follow])
    assert log.done == ["plate"] and follow.idle
    assert log.threads == {"engraver test follow", threading.main_thread().name}


def test_of_many_wishes_only_the_running_one_and_the_last_are_done(follow: LatestLane) -> None:
    log, gate, started = Log(), threading.Event(), threading.Event()
    follow.submit(blocked(gate, started, 0), log.done.append, log.failed.append)
    started.wait(10)
    for n in range(1, 9):
        follow.submit(lambda check, n=n: n, log.done.append, log.failed.append)
    gate.set()
    wait_idle([follow])
    assert log.done == [0, 8] and not log.failed


def test_a_new_wish_stops_long_work(stop: LatestLane) -> None:
    log, gate, started = Log(), threading.Event(), threading.Event()
    stop.submit(blocked(gate, started, "old"), log.done.append, log.failed.append)
    started.wait(10)
    stop.submit(lambda check: "new", log.done.append, log.failed.append)
    gate.set()
    wait_idle([stop])
    assert log.done == ["new"] and not log.failed


def test_a_stale_answer_is_dropped_even_when_it_was_ready(stop: LatestLane) -> None:
    log, finished = Log(), threading.Event()

    def work(check: Watch) -> str:
        finished.set()
        return "stale"

    stop.submit(work, log.done.append, log.failed.append)
    finished.wait(10)
    stop.drop()
    wait_idle([stop])
    assert not log.done and not log.failed and stop.idle


def test_our_errors_keep_their_words_and_others_are_told_too(follow: LatestLane) -> None:
    log = Log()
    for error in (BadPicture("slab.jpg cannot be read", "it is cut short"), ZeroDivisionError("by zero")):

        def work(check: Watch, error: Exception = error) -> None:
            raise error

        follow.submit(work, log.done.append, log.failed.append)
        wait_idle([follow])
    assert [e.what for e in log.failed] == ["slab.jpg cannot be read", "Something went wrong inside Engraver"]
    assert not log.done
    follow.submit(lambda check: 1, log.done.append, log.failed.append)
    wait_idle([follow])
    assert log.done == [1]


def test_the_end_of_a_lane_stops_its_thread_at_once(qapp: object) -> None:
    lane, gate, started, log = LatestLane("test end", stop_old=False), threading.Event(), threading.Event(), Log()

    def work(check: Watch) -> None:
        started.set()
        while True:
            check()
            gate.wait(0.001)

    lane.submit(work, log.done.append, log.failed.append)
    started.wait(10)
    lane.end()
    assert "engraver test end" not in [t.name for t in threading.enumerate()]
    assert not log.done and not log.failed


@pytest.fixture
def tasks(qapp: object) -> Iterator[TaskQueue]:
    queue = TaskQueue("test tasks")
    yield queue
    queue.end()


def test_every_task_is_done_in_order_and_told(tasks: TaskQueue) -> None:
    """Two saves asked while something else runs: both are written."""
    log, gate, started = Log(), threading.Event(), threading.Event()
    tasks.add("first", blocked(gate, started, 0), log.done.append)
    started.wait(10)
    for n in range(1, 9):
        tasks.add(f"{n}", lambda check, n=n: n, log.done.append, log.failed.append)  # type: ignore[misc]
    assert [task.words for task in tasks.open] == ["first", *map(str, range(1, 9))] and not tasks.idle
    gate.set()
    wait_idle([tasks])
    assert log.done == list(range(9)) and not log.failed and not tasks.open


def test_a_task_ends_done_failed_or_cancelled(tasks: TaskQueue) -> None:
    log, gate, started, gone = Log(), threading.Event(), threading.Event(), []

    def cut(check: Watch) -> None:
        raise BadPicture("slab.jpg cannot be read")

    def changed(answer: object) -> None:
        raise BadPicture("the plate is gone")

    running = tasks.add("taking in", blocked(gate, started, 1), log.done.append, cancelled=lambda: gone.append(1))
    started.wait(10)
    waiting = tasks.add("waits", lambda check: 2, log.done.append, cancelled=lambda: gone.append(2))
    failing = tasks.add("fails", cut, log.done.append, log.failed.append)
    late = tasks.add("late", lambda check: 3, changed, log.failed.append)
    assert tasks.stop(lambda task: task.words in ("taking in", "waits")) == 2
    gate.set()
    wait_idle([tasks])
    assert [t.state for t in (running, waiting, failing, late)] == [
        State.CANCELLED, State.CANCELLED, State.FAILED, State.FAILED
    ]  # fmt: skip
    assert not log.done and sorted(gone) == [1, 2]
    assert [e.what for e in log.failed] == ["slab.jpg cannot be read", "the plate is gone"]


def test_what_is_written_is_told_as_done_even_when_it_was_stopped_too_late(tasks: TaskQueue) -> None:
    log, gate, started = Log(), threading.Event(), threading.Event()

    def write(check: Watch) -> str:
        started.set()
        gate.wait(10)
        return "written"

    tasks.add("saving", write, log.done.append, must=True)
    started.wait(10)
    tasks.stop()
    gate.set()
    wait_idle([tasks])
    assert log.done == ["written"]


def test_at_the_end_what_must_be_written_is_written_and_told(qapp: object) -> None:
    queue, gate, started, log, gone = TaskQueue("test end"), threading.Event(), threading.Event(), Log(), []
    queue.add("taking in", blocked(gate, started, 0), log.done.append, cancelled=lambda: gone.append(0))
    started.wait(10)
    queue.add("saving", lambda check: 1, log.done.append, must=True)
    queue.add("taking in more", lambda check: 2, log.done.append, cancelled=lambda: gone.append(2))
    queue.add("saving again", lambda check: 3, log.done.append, must=True)
    gate.set()
    queue.end()
    assert log.done == [1, 3] and sorted(gone) == [0, 2] and queue.idle


def test_progress_is_told_with_its_task(tasks: TaskQueue) -> None:
    seen: list[tuple[str, float]] = []
    tasks.progressed.connect(lambda task, share: seen.append((task.words, share)))
    tasks.add("saving", lambda check: [check(n / 4) for n in range(4)])
    wait_idle([tasks])
    assert seen == [("saving", n / 4) for n in range(4)]
