"""What the suggestions promise, over the decisions that the bench keeps: other trades and languages
than any test's, written without a look at what comes of them."""

from __future__ import annotations

import pytest
from bench import suggestions


@pytest.fixture(scope="module", params=["columns", "words", "paths"])
def tally(request):
    kinds = {
        "columns": suggestions.columns,
        "words": suggestions.words,
        "paths": lambda: suggestions.paths(None),
    }
    return kinds[request.param]()


#: The least share that is right at first, and that is sure, without the model.
LEAST = {"columns": (0.85, 0.65), "words": (0.85, 0.75), "paths": (0.72, 0.45)}


def test_most_first_answers_are_right(tally):
    right, sure = LEAST[tally.name]
    assert tally.asked >= 190
    assert tally.first / tally.asked >= right and tally.third >= tally.first
    assert tally.sure / tally.asked >= sure


def test_sure_is_a_promise(tally):
    assert tally.sure_right / tally.sure >= 0.98


def test_where_nothing_is_right_hardly_anything_is_suggested(tally):
    assert tally.false <= 0.05 * tally.nothing


def test_scores_of_ninety_keep_their_promise(tally):
    answers, right = tally.curve[9]
    assert answers > 50 and right / answers >= 0.9
