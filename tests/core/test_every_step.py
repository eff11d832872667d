"""Every kind of step against the same work written by hand."""

from __future__ import annotations

import pytest
from bench.steps import arriving, by_engine, by_hand
from bench.steps_job import CASES


@pytest.fixture(scope="module")
def table():
    return arriving(2_000)


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.name)
def test_gives_what_a_hand_would(case, table):
    made, expected = by_engine(table, (case,)), by_hand(table, (case,))
    assert made.schema == expected.schema
    assert made.equals(expected)
    assert made[case.name].null_count() < made.height
