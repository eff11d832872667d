"""Every kind of step against the same work written by hand, and proposals that read what stands
beside a column."""

from __future__ import annotations

import pytest
from bench.steps import arriving, by_engine, by_hand
from bench.steps_job import CASES

from nomotax.core.crosswalk.suggest import propose_fill
from nomotax.core.reading.profile import ColumnProfile, ValueCount
from nomotax.core.schema.model import StoreField


@pytest.fixture(scope="module")
def table():
    return arriving(2_000)


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.name)
def test_gives_what_a_hand_would(case, table):
    made, expected = by_engine(table, (case,)), by_hand(table, (case,))
    assert made.schema == expected.schema
    assert made.equals(expected)
    assert made[case.name].null_count() < made.height


def column(name, *values, looks_like="text", currency=""):
    frequent = [ValueCount(value=v, count=2) for v in values]
    return ColumnProfile(
        name=name, filled=9, rows=9, distinct=len(values), shortest=1, longest=9,
        frequent=frequent, looks_like=looks_like, share=1.0, currency=currency,
    )  # fmt: skip


MONEY = StoreField(name="price", kind="money", currency="EUR")
WIDTH = StoreField(name="width", kind="measure", unit="cm")
KEY = StoreField(name="sku", role="key")


@pytest.mark.parametrize(
    ("field", "proposed", "beside", "steps"),
    [
        (MONEY, column("Price", "1", "2"), [], ["number"]),
        (MONEY, column("Price EUR", "1"), [column("cur", "USD")], ["number"]),
        (MONEY, column("Price USD", "1"), [], ["number", "USD to EUR"]),
        (MONEY, column("Price", "1"), [column("cur", "USD")], ["amount in USD", "USD to EUR"]),
        (MONEY, column("Price", "1"), [column("cur", "EUR", "USD")], ["amount in EUR"]),
        (MONEY, column("Price", "1"), [column("cur", "eur")], ["amount in EUR"]),
        (
            MONEY,
            column("Price", "$1", looks_like="money", currency="USD"),
            [],
            ["amount in USD", "USD to EUR"],
        ),
        (WIDTH, column("width", "1"), [], ["number"]),
        (WIDTH, column("W mm", "1"), [], ["number", "mm to cm"]),
        (WIDTH, column("size.width", "1"), [column("size.width@unit", "in")], ["measure in cm"]),
        (WIDTH, column("width", "1"), [column("width unit", "big")], ["number"]),
        (WIDTH, column("width", "1 in", looks_like="measure with unit"), [], ["measure in cm"]),
        (KEY, column("code", "1", "2"), [], ["trim", "'QP-' in front"]),
        (KEY, column("code", "QP-1", "QP-2"), [], ["trim"]),
        (StoreField(name="p", kind="link"), column("p", '["http://x.example"]'), [], None),
    ],
)
def test_a_proposal_reads_what_stands_beside(field, proposed, beside, steps):
    """The currency and the unit of a value decide its steps; dollars never pass as euros."""
    fill = propose_fill(field, proposed, "Quarrow Pigments", [proposed, *beside])
    said = [s.describe() for s in fill.steps]
    assert said == (steps if steps is not None else ["entries from 1, 1"])
