"""How likely each pair of field and column is, against all assignments counted one by one."""

from __future__ import annotations

from itertools import combinations, permutations
from math import exp

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from nomotax.core.suggest.columns import marginals

ODDS = st.floats(-6, 12)
BOARDS = st.tuples(st.integers(1, 6), st.integers(1, 8)).flatmap(
    lambda shape: arrays(float, shape, elements=ODDS)
)
SMALL = st.tuples(st.integers(1, 3), st.integers(1, 3)).flatmap(
    lambda shape: arrays(float, shape, elements=st.floats(-4, 3))
)


def counted(odds):
    """The same by going through every way to give columns to fields."""
    fields, columns = odds.shape
    held, whole = np.zeros_like(odds), 0.0
    for size in range(min(odds.shape) + 1):
        for some in combinations(range(fields), size):
            for given_ in permutations(range(columns), size):
                weight = exp(sum(odds[i, j] for i, j in zip(some, given_, strict=True)))
                whole += weight
                for i, j in zip(some, given_, strict=True):
                    held[i, j] += weight
    return held / whole


@given(st.one_of(arrays(float, (1, 5), elements=ODDS), arrays(float, (5, 1), elements=ODDS)))
def test_one_field_or_one_column_is_counted_exactly(odds):
    assert np.allclose(marginals(odds), counted(odds), atol=1e-6)


@given(SMALL)
def test_small_boards_come_near_to_what_is_counted(odds):
    assert np.abs(marginals(odds) - counted(odds)).max() < 0.2


@given(BOARDS)
def test_nothing_is_promised_twice(odds):
    likely = marginals(odds)
    assert ((likely >= 0) & (likely <= 1)).all()
    assert (likely.sum(axis=0) <= 1 + 1e-9).all() and (likely.sum(axis=1) <= 1 + 1e-9).all()


@given(BOARDS, st.integers(0, 7))
def test_a_copy_of_a_column_makes_neither_sure(odds, which):
    which %= odds.shape[1]
    likely = marginals(np.column_stack([odds, odds[:, which]]))
    assert np.allclose(likely[:, which], likely[:, -1])
    assert likely[:, which].max() <= 0.5 + 1e-9


@given(BOARDS, st.randoms(use_true_random=False))
def test_the_order_of_fields_and_columns_does_not_matter(odds, random):
    rows, columns = list(range(odds.shape[0])), list(range(odds.shape[1]))
    random.shuffle(rows)
    random.shuffle(columns)
    mixed = marginals(odds[np.ix_(rows, columns)])
    assert np.allclose(mixed, marginals(odds)[np.ix_(rows, columns)])


@given(BOARDS)
def test_a_column_that_fits_nothing_changes_nothing(odds):
    worse = np.column_stack([odds, np.full(odds.shape[0], -30.0)])
    assert np.allclose(marginals(worse)[:, :-1], marginals(odds), atol=1e-6)


@pytest.mark.parametrize(
    ("odds", "first", "second"),
    [
        # The rival column has a better place: it takes nothing away.
        ([[5.0, 5.0], [-9.0, 12.0]], 0.9, 0.05),
        # The rival column has none: they share.
        ([[5.0, 5.0], [-9.0, -9.0]], 0.45, 0.45),
        # The field that the rival could go to has a better column of its own.
        ([[5.0, 5.0, -9.0], [-9.0, 8.0, 16.0]], 0.45, 0.45),
    ],
)
def test_a_rival_counts_as_far_as_it_has_no_better_place(odds, first, second):
    likely = marginals(np.array(odds))
    assert likely[0, 0] >= first
    assert abs(likely[0, 1] - second) < 0.06
