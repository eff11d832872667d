"""The demo's crosswalks fill both weeks of every supplier; only the planted faults are left."""

from __future__ import annotations

from decimal import Decimal

import pytest

from nomotax.demo.load import DATA
from nomotax.flows.map_file import load_bundle, load_reading, map_file

#: Rows that come through, and the kinds of problems that were planted.
EXPECTED = {
    ("sollund", "week-1.xml"): (791, {"wrong_check_digit", "missing", "not_a_number"}),
    ("sollund", "week-2.xml"): (793, {"wrong_check_digit", "missing", "not_a_number"}),
    ("brindlecombe", "week-1.xlsx"): (498, {"broken_row", "not_a_gtin"}),
    ("brindlecombe", "week-2.xlsx"): (490, {"broken_row", "not_a_gtin"}),
    ("castelune", "week-1.zip"): (828, {"wrong_check_digit"}),
    ("castelune", "week-2.zip"): (840, {"wrong_check_digit"}),
    ("former-platform", "week-1.csv"): (432, {"condition", "not_sold"}),
    ("former-platform", "week-2.csv"): (416, {"condition", "not_sold"}),
}


def mapped(name, week, schema):
    bundle = load_bundle(DATA / f"{name}-crosswalk.json")
    if name == "former-platform":
        reading = load_reading(DATA / "former-platform-reading.json")
        bundle = bundle.model_copy(update={"reading": reading})
    return map_file(DATA / f"{name}-{week}", bundle, schema)


@pytest.mark.parametrize(("name", "week"), EXPECTED)
def test_only_the_planted_faults_are_left(name, week, schema):
    made = mapped(name, week, schema)
    good, kinds = EXPECTED[name, week]
    assert made.accounted and made.counts["good"] == good
    assert set(made.problems["kind"]) == kinds
    assert "question" not in set(made.problems["severity"])


def test_inches_pounds_dollars_and_landed_cost(schema):
    """11 x 15 in, 1.125 lb, $15.08 at 0.9125: the numbers worked by hand."""
    made = mapped("sollund", "week-1.xml", schema)
    first = made.products.collect().row(0, named=True)
    assert (first["width"], first["length"]) == (Decimal("27.9"), Decimal("38.1"))
    assert first["net_weight"] == Decimal("0.510") and first["cost"] == Decimal("13.76")
    # (13.76 + 1.5 % + 0.510 kg x 0.85) x 1.9 = 27.36, in steps of 0.05
    assert first["price"] == Decimal("27.35")
    price = next(t for t in made.trace(first["sku"]) if t.field == "price")
    numbers = {n.column: n.value for n in price.steps[-1].numbers}
    assert numbers["landed cost"] == "14.3999" and price.steps[-1].rule == "from 10: markup 90"


def test_the_most_specific_rule_prices_a_bristle_fan(schema):
    made = mapped("brindlecombe", "week-1.xlsx", schema)
    prices = {t["sku"]: t for t in made.products.collect().to_dicts()}
    fan = next(
        k for k, v in prices.items()
        if v["category"] == "Brushes > Bristle brushes" and v["form"] == "fan"
    )  # fmt: skip
    traced = next(t for t in made.trace(fan) if t.field == "price")
    assert traced.steps[-1].rule.startswith("rule 'bristle fans'")
    assert all(v["price"] <= v["list_price"] for v in prices.values() if v["list_price"])
