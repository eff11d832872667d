"""A price rule out of one price: it makes that price, and is as plain as it can be."""

from __future__ import annotations

from decimal import Decimal

import polars as pl
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from nomotax.core.numbers import NUMBER
from nomotax.core.pricing.ladder import Ladder, Look, Match, Rule, Rung
from nomotax.core.pricing.rule_from import rules_for, with_rule

MATCH = Match(field="maker", words=("Höfer",))
PLAIN = Rung(start=Decimal(0), kind="markup", amount=Decimal(100))


def priced(ladder, cost, maker="höfer"):
    look = Look(text=lambda name: pl.lit(maker))
    frame = pl.DataFrame({"cost": [cost]}, schema={"cost": NUMBER})
    return frame.select(ladder.price(pl.col("cost"), look=look).value).item()


def ladder_of(**more):
    return Ladder(name="Laden", rungs=(PLAIN,), **more)


def first(ladder, cost, price):
    """The first rule that makes the price, as a run tries them."""
    for rule in rules_for(ladder, "Maker Höfer", MATCH, cost, price):
        if priced(with_rule(ladder, rule), cost) == price:
            return rule
    return None


money = st.decimals("0.05", "900", places=2)


@given(money, money, st.sampled_from(["none", "99", "95", "five"]), st.sampled_from(["0", "19"]))
def test_some_rule_makes_each_price_over_the_cost(cost, gain, ending, tax):
    assume(gain < cost * 900)  # a rung raises by no more than 100,000 %
    ladder = ladder_of(ending=ending, tax="in" if tax != "0" else "out", tax_rate=Decimal(tax))
    gross = (cost + gain) * (1 + Decimal(tax) / 100)
    price = gross.quantize(Decimal("0.01"))
    rule = first(ladder, cost, price)
    assert rule is not None and rule.when == (MATCH,)
    # Others keep the price that they have.
    both = with_rule(ladder, rule)
    assert priced(both, cost, "Keller") == priced(ladder, cost, "Keller")


@pytest.mark.parametrize(
    ("cost", "price", "ending", "amount", "own"),
    [
        ("10.00", "18.00", "none", "80", None),
        ("7.30", "12.95", "95", "77", None),
        ("7.30", "12.80", "95", "75.3", "none"),
        ("3.00", "3.00", "none", "0", None),
    ],
)
def test_the_plainest_markup_is_taken_and_the_ending_kept_where_it_fits(
    cost, price, ending, amount, own
):
    rule = first(ladder_of(ending=ending), Decimal(cost), Decimal(price))
    assert (rule.rungs[0].amount, rule.ending) == (Decimal(amount), own)


def test_a_price_under_the_cost_is_made_by_none():
    assert not list(rules_for(ladder_of(), "x", MATCH, Decimal(5), Decimal(4)))
    assert not list(rules_for(ladder_of(), "x", MATCH, Decimal(0), Decimal(4)))


def test_a_rule_for_the_same_products_is_replaced_and_comes_first():
    other = Rule(name="Lines", when=(Match(field="line", words=("Öl",)),), rungs=(PLAIN,))
    old = Rule(name="Maker Höfer", when=(MATCH,), rungs=(PLAIN,))
    new = old.model_copy(update={"ending": "99"})
    assert with_rule(ladder_of(rules=(other, old)), new).rules == (new, other)
