"""What is kept of a feed's articles, and which of them are picked, against plain models."""

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from nomotax.core.changes.marks import NEW
from nomotax.core.changes.offers import says, texts_of, told_aside
from nomotax.core.changes.picking import Picked, PickRule

FIELDS = ("a", "ab", "b")
VALUES = st.none() | st.sampled_from(["", "x", "y"])
ROWS = st.lists(st.tuples(*[st.tuples(VALUES, VALUES)] * len(FIELDS)), max_size=6)


@given(ROWS)
def test_what_a_feed_says_is_kept_beside_what_stands(rows):
    """Whatever stands instead, nothing or another value; a field's name may begin another's."""
    names = [NEW + f for f in FIELDS]
    shape = dict.fromkeys(names, pl.String)
    said, stands = (
        pl.DataFrame([[pair[n] for pair in row] for row in rows], schema=shape, orient="row")
        for n in (0, 1)
    )
    lines = pl.concat([stands, told_aside(said, stands, FIELDS)], how="horizontal")
    read = lines.select(says(lines.columns, f).alias(NEW + f) for f in FIELDS)
    assert read.equals(said)
    nothing = lines.select("aside", said=says(lines.columns, "none"))["said"]
    assert nothing.null_count() == len(rows)


NUMBERS = st.none() | st.sampled_from(["1", "2", "3"])
CATEGORIES = st.none() | st.sampled_from(["A", "A > B", "AB", "C"])
NAMES = st.none() | st.sampled_from(["Roter Stift", "STIFTE", "Öl", "öl (rot)"])
ARTICLES = st.lists(st.tuples(NUMBERS, CATEGORIES, NAMES), max_size=8)
RULES = st.lists(
    st.tuples(st.sampled_from(["", "A", "A > B"]), st.sampled_from(["", "stift", "Öl", "(rot)"]))
    .filter(any)
    .map(lambda pair: PickRule(category=pair[0], search=pair[1])),
    max_size=3,
)


def fits(rule, number, category, name):
    branch = category is not None and f"{category} > ".startswith(f"{rule.category} > ")
    texts = "\n".join(one for one in (number, name) if one is not None).lower()
    return (not rule.category or branch) and rule.search.lower() in texts


@given(ARTICLES, st.lists(st.sampled_from(["1", "2", "4"]), unique=True), RULES)
def test_what_is_picked_equals_the_plain_model(articles, picked, rules):
    """What has no number is never picked: nobody could say so of it again."""
    shape = dict.fromkeys(["article", "category", "name"], pl.String)
    rows = pl.DataFrame(articles, schema=shape, orient="row").with_columns(
        texts_of(pl.col("article"), [pl.col("name")])
    )
    found = Picked(pl.Series(picked, dtype=pl.String), rules).of(rows).to_list()
    assert found == [
        one[0] is not None and (one[0] in picked or any(fits(rule, *one) for rule in rules))
        for one in articles
    ]


@pytest.mark.parametrize("document", [{}, {"category": "", "search": ""}, {"brand": "X"}])
def test_a_rule_that_picks_all_or_by_what_there_is_not_is_refused(document):
    with pytest.raises(ValidationError):
        PickRule.model_validate(document)
