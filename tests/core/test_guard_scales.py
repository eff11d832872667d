"""Numbers in another unit or currency: every factor that is known, in all products or in a part of
them, whatever the prices are like; and nothing where they move as they always do."""

from __future__ import annotations

import random
from decimal import ROUND_HALF_UP, Decimal

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.guards.facts import Earlier, Facts
from nomotax.core.guards.looks import findings
from nomotax.core.guards.model import Guard
from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import Role, StoreField, StoreSchema

SCHEMA = StoreSchema(
    name="Çadır",
    key="kod",
    fields=(
        StoreField(name="kod", role=Role.KEY),
        StoreField(name="fiyat", title="Fiyat", kind=FieldKind.MONEY, currency="TRY",
                   role=Role.PRICE),
        StoreField(name="boy", title="Boy", kind=FieldKind.MEASURE, unit="mm"),
    ),
)  # fmt: skip
#: What each factor is known from, as anybody would look it up.
UNITS = {
    "10": "millimetres to centimetres", "100": "centimetres to metres",
    "1000": "grams to kilograms", "25.4": "millimetres to inches",
    "2.54": "centimetres to inches", "0.45359237": "kilograms to pounds",
    "28.349523125": "grams to ounces", "0.3048": "metres to feet",
    "3.785411784": "litres to US gallons",
}  # fmt: skip
MONEY = {"10": "", "100": "cents to whole money", "1000": ""}
MANY = 60


def looked_at(field, moves, limit=5):
    """What is seen of products of which ``field`` moves so; None of one that stays."""
    rows = []
    for n, (old, new) in enumerate(moves):
        other = new is not None and new != old
        own = {OLD + field: old, NEW + field: old if new is None else new}
        fate = {"key": f"Ç{n}", "status": "changed" if other else "same"}
        rows.append(fate | {"fields": [field] if other else []} | own)
    kinds = dict.fromkeys((OLD + field, NEW + field), pl.String)
    shape = {"key": pl.String, "status": pl.String, "fields": pl.List(pl.String)} | kinds
    frame = pl.DataFrame(rows, schema=shape, orient="row")
    counts = dict(frame["status"].value_counts().iter_rows())
    facts = Facts(frame.lazy(), SCHEMA, counts, {field: len(rows)}, (Earlier(len(rows)),))
    return list(findings(facts, [Guard(kind="scale_shifted", limit=limit)]))


def sizes(count, least=200, most=90_000):
    draw = random.Random(count)
    return [Decimal(draw.randint(least, most)) / 10 for _ in range(count)]


def written(value, places):
    return str(value.quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP))


@pytest.mark.parametrize("share", [1.0, 0.2])
@pytest.mark.parametrize("inverse", [False, True])
@pytest.mark.parametrize("factor", UNITS)
def test_another_unit_is_told_by_what_it_is_known_from(factor, inverse, share):
    times = 1 / Decimal(factor) if inverse else Decimal(factor)
    strange = int(MANY * share)
    moves = [
        (written(size, 1), written(size * times, 6) if n < strange else None)
        for n, size in enumerate(sizes(MANY))
    ]
    ((found, places),) = looked_at("boy", moves)
    assert (found.field, found.lines) == ("boy", strange)
    assert places.to_list() == list(range(strange))
    assert found.said.endswith(f"for {strange} of {MANY} products, as {UNITS[factor]}")
    assert f"Boy is about {float(times):.4g} times what it was" in found.said


@pytest.mark.parametrize("factor", MONEY)
@pytest.mark.parametrize("inverse", [False, True])
def test_money_in_other_parts_is_told_though_prices_moved_besides(factor, inverse):
    """Prices that have crept by up to three percent before somebody left the point out."""
    draw = random.Random(7)
    times = 1 / Decimal(factor) if inverse else Decimal(factor)
    moves = []
    for price in sizes(MANY, least=5_000):
        crept = price * Decimal(draw.randint(985, 1015)) / 1000
        moves.append((written(price, 2), written(crept * times, 2)))
    ((found, _),) = looked_at("fiyat", moves)
    assert (found.field, found.lines) == ("fiyat", MANY)
    assert (f", as {MONEY[factor]}" in found.said) == bool(MONEY[factor])


@given(
    st.lists(
        st.tuples(st.decimals("1.00", "9000.00", places=2), st.decimals("0.80", "1.35", places=3)),
        min_size=1,
        max_size=40,
    )
)
def test_what_moves_as_prices_do_is_no_other_unit(products):
    """Rises and promotions alike."""
    moves = [(written(price, 2), written(price * by, 2)) for price, by in products]
    assert looked_at("fiyat", moves) == []


@pytest.mark.parametrize("few", [1, 2])
def test_one_or_two_products_are_a_mistake_of_their_own_and_no_unit(few):
    moves = [(written(size, 1), written(size * 100, 1) if n < few else None)
             for n, size in enumerate(sizes(20))]  # fmt: skip
    assert looked_at("boy", moves, limit=0) == []


def test_what_was_nothing_or_is_no_number_has_no_scale():
    moves = [("0.0", "25.4"), (None, "100"), ("12.0", None), ("uzun", "1200")] * 10
    assert looked_at("boy", moves, limit=0) == []
