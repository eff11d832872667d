"""Whose value holds, against a plain model: it hangs on the offers alone, not on which feed asks or
in which order they came."""

from dataclasses import replace
from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from nomotax.core.changes.marks import NEW
from nomotax.core.resolve.offers import TAKEN, Aside, Offers, Resolver, Standing
from nomotax.core.resolve.sources import Sources
from nomotax.core.schema.model import StoreSchema

SCHEMA = StoreSchema.model_validate(
    {
        "name": "s",
        "key": "sku",
        "fields": [
            {"name": "sku", "kind": "text"},
            {"name": "name", "kind": "text", "role": "title"},
            {"name": "cost", "kind": "money", "currency": "EUR", "role": "cost"},
            {"name": "stock", "kind": "integer", "role": "stock"},
        ],
    }
)
FIELDS = ("name", "cost", "stock")
FEEDS = (1, 2, 3)
KEYS = ("a", "b")
NAMES = st.none() | st.sampled_from(["n", "m"])
COSTS = st.none() | st.sampled_from(["1.5", "1.50", "2", "10"])
#: Some is said in words: that is not none.
STOCKS = st.none() | st.sampled_from(["0", "3", "plenty"])
SAYS = st.fixed_dictionaries({"name": NAMES, "cost": COSTS, "stock": STOCKS})
#: By feed what it says of the products that it offers.
OFFERED = st.dictionaries(
    st.sampled_from(FEEDS), st.dictionaries(st.sampled_from(KEYS), SAYS), min_size=1
)
ORDERS = st.permutations(FEEDS).flatmap(lambda p: st.integers(2, 3).map(lambda n: tuple(p[:n])))
SOURCES = st.builds(
    Sources,
    order=ORDERS,
    choose=st.sampled_from(["order", "cheapest", "newest"]),
    in_stock=st.booleans(),
    fields=st.dictionaries(st.sampled_from(FIELDS), ORDERS, max_size=2),
)
DAYS = {1: 30, 2: 10, 3: 30}


def taken_by(sources, said):
    """The feed that a product goes by, of those that offer it."""

    def weight(feed):
        stock, cost = said[feed]["stock"], said[feed]["cost"]
        out = sources.in_stock and stock in (None, "0")
        by = {
            "order": (0, 0),
            "newest": (0, -DAYS[feed]),
            "cheapest": (cost is None, Decimal(cost or 0)),
        }[sources.choose]
        return out, by, sources.order.index(feed)

    there = [feed for feed in sources.order if feed in said]
    return min(there, key=weight) if there else None


def held(sources, said, field):
    taken = taken_by(sources, said)
    first = [*sources.fields.get(field, ()), taken, *sources.order]
    return next((said[f][field] for f in first if f in said and said[f][field] is not None), None)


def frame(says):
    rows = [(key, *(values[f] for f in FIELDS)) for key, values in says.items()]
    names = ["key", *(NEW + f for f in FIELDS)]
    return pl.DataFrame(rows, schema=dict.fromkeys(names, pl.String), orient="row")


def standing(sources, own, offered):
    others = [Offers(f, DAYS[f], frame(says)) for f, says in offered.items() if f != own]
    names = {f: f"feed {f}" for f in FEEDS}
    return Standing(Resolver(sources, SCHEMA), own, DAYS[own], others, names)


@given(SOURCES, OFFERED, st.randoms(use_true_random=False))
def test_whoever_asks_of_those_that_compete_the_same_values_hold(sources, offered, random):
    feeds = list(offered)
    random.shuffle(feeds)
    offered = {f: offered[f] for f in feeds}
    for own in set(offered) & {*sources.order}:
        found = standing(sources, own, offered).over(frame(offered[own]))
        for row in found.iter_rows(named=True):
            said = {f: says[row["key"]] for f, says in offered.items() if row["key"] in says}
            assert {f: row[NEW + f] for f in FIELDS} == {
                f: held(sources, said, f) for f in FIELDS
            }, row
            taken = taken_by(sources, said)
            assert row[TAKEN] == (None if taken == own else taken)


@given(SOURCES, OFFERED)
def test_what_a_feed_brings_no_more_the_others_offer(sources, offered):
    """And nothing of it where none of them does, or none competes with it."""
    own = sources.order[0]
    offered = {f: says for f, says in offered.items() if f != own}
    keys = pl.Series("key", KEYS)
    found = standing(sources, own, offered).without(keys)
    for key, row in zip(KEYS, found.iter_rows(named=True), strict=True):
        said = {f: says[key] for f, says in offered.items() if key in says}
        assert row[TAKEN] == taken_by(sources, said)
        if row[TAKEN] is not None:
            assert row.get(NEW + "cost") == held(sources, said, "cost")


@given(SOURCES, OFFERED)
def test_a_feed_that_does_not_compete_says_what_it_says(sources, offered):
    """But for fields that go by an order of their own."""
    for own in set(offered) - {*sources.order}:
        rows = frame(offered[own])
        found = standing(sources, own, offered).over(rows)
        free = [NEW + f for f in FIELDS if f not in sources.fields]
        assert found.select(free).equals(rows.select(free))
        assert found[TAKEN].null_count() == rows.height


@pytest.mark.parametrize(
    "document",
    [{"order": [1, 1]}, {"fields": {"name": []}}, {"fields": {"name": [2, 2]}}, {"choose": "best"}],
)
def test_an_order_that_says_nothing_or_twice_the_same_is_refused(document):
    with pytest.raises(ValidationError):
        Sources.model_validate(document)


@given(SOURCES, OFFERED, SAYS)
def test_a_run_of_some_fields_tells_them_alone_or_the_whole_of_another_offer(
    sources, offered, fresh
):
    """Of stock alone: a product stays with its offer and only its stock is told, or it goes over
    with all that the other has; what else its row says is told of none."""
    for own in set(offered) & {*sources.order}:
        before = standing(sources, own, offered)
        aside = Aside(frozenset(["stock"]), Offers(own, DAYS[own], frame(offered[own])))
        row = dict.fromkeys(FIELDS, "of the file") | {"stock": fresh["stock"]}
        found = replace(before, aside=aside).over(frame(dict.fromkeys(offered[own], row)))
        for told in found.iter_rows(named=True):
            key = told["key"]
            was = {f: says[key] for f, says in offered.items() if key in says}
            now = was | {own: was[own] | {"stock": fresh["stock"]}}
            stays = taken_by(sources, was) == taken_by(sources, now)
            for field in FIELDS:
                whole = held(sources, now, field)
                assert told[NEW + field] == (None if stays and field != "stock" else whole)
