"""Kinds of saved look-ups: one list, and all that hangs on it."""

from __future__ import annotations

from dataclasses import fields

import pytest

from nomotax.core.crosswalk.model import Bundle, Chain, Crosswalk, Fill
from nomotax.core.crosswalk.saved import KINDS, kind_of, named_by
from nomotax.core.flow.context import Lookups
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.pricing.ladder import Ladder, Rung
from nomotax.core.pricing.rates import Rate

SAVED = [
    ValueTable(name="words", entries={"a": "b", "c": "d"}),
    CategoryTable(name="tree", placements={"a": "b"}),
    Ladder(name="retail", rungs=(Rung(start=0, amount=50), Rung(start=9, amount=40))),
    Rate(source="USD", target="EUR", rate="0.8", day="2026-11-20"),
    Chain(name="tidy", steps=({"do": "trim"}, {"do": "value_table", "table": "words"})),
]
STEPS = {
    "value_table": {"do": "value_table", "table": "words"},
    "category_table": {"do": "category_table", "table": "tree"},
    "ladder": {"do": "ladder", "ladder": "retail"},
    "rate": {"do": "exchange", "source": "USD", "target": "EUR"},
    "chain": {"do": "chain", "chain": "tidy"},
}


def lookups():
    return Lookups(**{kind_of(one).where: {one.name: one} for one in SAVED})


def test_every_kind_has_its_place_in_the_store_and_in_a_crosswalks_document():
    assert {k.where for k in KINDS} == {f.name for f in fields(Lookups)}
    assert {k.where for k in KINDS} <= set(Bundle.model_fields)
    assert [kind_of(one) for one in SAVED] == list(KINDS)
    assert [kind_of(one).size(one) for one in SAVED] == [2, 1, 2, 1, 2]


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.name)
def test_a_step_names_the_look_up_that_it_asks_for(kind):
    walk = Crosswalk(fills={"f": Fill(steps=(STEPS[kind.name],))})
    named = named_by(walk, lookups())
    assert named[kind.name] == set(kind.of(lookups()))
    others = {name for name, found in named.items() if found} - {kind.name}
    # What a saved chain asks for goes along with it.
    assert others == ({"value_table"} if kind.name == "chain" else set())


def test_a_price_in_any_currency_takes_all_rates_into_the_stores():
    walk = Crosswalk(fills={"f": Fill(steps=({"do": "amount", "into": "EUR"},))})
    assert named_by(walk, lookups())["rate"] == {"USD/EUR"}


def test_a_document_gives_back_what_was_put_into_it():
    held = {kind_of(one).where: (one,) for one in SAVED}
    assert Bundle(crosswalk=Crosswalk(), **held).lookups() == lookups()
