"""Work on threads: what came of it arrives once, however soon the next one is begun."""

import time

from mat_shelf.app.job import Job
from mat_shelf.app.threaded_aside import ThreadedAside


def test_a_result_that_waits_is_not_lost_to_the_next_work(qapp, qtbot):
    aside, got, failed = ThreadedAside(), [], []
    aside(lambda: "first", got.append, failed.append)
    time.sleep(0.2)  # over, but not handed over yet
    aside(lambda: 1 / 0, got.append, failed.append)
    qtbot.waitUntil(lambda: not aside.is_busy, timeout=5000)
    assert got == ["first"] and [type(fault) for fault in failed] == [ZeroDivisionError]


def test_a_cancelled_job_hands_nothing_over(qapp, qtbot):
    got = []
    job = Job(lambda job: got.append(job.tell("", 1, 2)), got.append)
    job.cancel()
    job.start()
    job.settle()
    assert got == [False]
