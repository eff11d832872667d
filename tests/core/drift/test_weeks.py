"""What is told of made-up weeks: each change is found where it happened, and an ordinary week of
the same suppliers is quiet."""

from __future__ import annotations

import pytest
from bench.drift import found_in, is_found
from bench.drift_weeks import QUIET, STRANGE, quiet_week, strange_week

#: Which made-up supplier shows a change where it is not the first: small, and with cells to change.
SEEDS = {
    "prices are gone": 1, "the name is called otherwise": 2, "the cost is called otherwise": 1,
    "stock in words": 1, "prices on request": 1, "another decimal mark in a category": 2,
    "inches": 1, "a category in another currency by name": 3, "brands are empty": 1,
    "colours are empty in a category": 2, "barcodes are empty": 3, "one price everywhere": 3,
    "three quarters of the list": 1, "the head of the list": 1, "twice as many": 1,
    "zeros in front are lost": 8, "letters of the key are lost": 1, "hyphens for dots": 3,
    "a third is there twice": 3, "a quarter dearer": 2, "all sold out": 1, "garbled": 1,
    "question marks": 2, "last week's again": 1, "month first": 2,
    "cost and retail change places": 3, "the cost column is empty": 1,
    "amounts with their currency": 1, "retail by a tenth": 2, "ten prices lose their mark": 5,
    "nines for a price": 2, "a price below zero": 1, "a category sold out": 3,
    "a category is gone": 2, "a category is there twice": 1, "cells slip by one": 1,
}  # fmt: skip
#: Few lists of so few rows have enough dear goods, or a category beyond its own promotions.
TOO_FAINT = {"thousands are grouped", "a category in another currency"}


@pytest.mark.parametrize(
    "at",
    [i for i, c in enumerate(STRANGE) if c.name not in TOO_FAINT],
    ids=lambda i: STRANGE[i].name,
)
def test_a_change_is_found(at):
    change = STRANGE[at]
    week = strange_week(change, 1000 * at + SEEDS.get(change.name, 0))
    said = found_in(week)
    assert is_found(week, said), [(one.severity, one.kind, one.column) for one in said]


@pytest.mark.parametrize("name", QUIET)
def test_an_ordinary_week_is_quiet(name):
    for seed in range(2):
        said = found_in(quiet_week(900_000 + seed, name))
        assert not [one.said for one in said if one.rank]
