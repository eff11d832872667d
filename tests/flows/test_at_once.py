"""Pieces done a few at a time: in order, no further ahead than is waited for, ended by a fault."""

from __future__ import annotations

import itertools
import threading
import time

import pytest

from nomotax.core.at_once import each_of


def test_outcomes_come_in_the_order_of_the_things_whichever_is_done_first():
    def slow_at_first(n):
        time.sleep(0.02 if n % 2 == 0 else 0)
        return n * n

    assert list(each_of(slow_at_first, range(9))) == [n * n for n in range(9)]
    assert list(each_of(slow_at_first, [])) == []


def test_two_are_at_work_at_once():
    meet = threading.Barrier(2)
    assert list(each_of(lambda n: meet.wait(5) >= 0, range(6))) == [True] * 6


def test_no_thing_is_fetched_long_before_somebody_waits_for_it():
    fetched = []

    def things():
        for n in itertools.count():
            fetched.append(n)
            yield n

    outcomes = each_of(lambda n: n, things())
    assert [next(outcomes) for _ in range(4)] == [0, 1, 2, 3]
    assert len(fetched) <= 8
    outcomes.close()
    assert len(fetched) <= 8, "what nobody waits for any more is not begun"


def test_a_fault_is_raised_where_its_outcome_is_waited_for_and_nothing_goes_on_behind_it():
    done = []

    def work(n):
        if n == 3:
            raise ValueError("three")
        done.append(n)
        return n

    outcomes = each_of(work, range(1_000))
    assert [next(outcomes) for _ in range(3)] == [0, 1, 2]
    with pytest.raises(ValueError, match="three"):
        next(outcomes)
    assert len(done) < 10
