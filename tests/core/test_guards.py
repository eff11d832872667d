"""What guards see: by a table of deliveries that went wrong, and exactly where their limits lie."""

from __future__ import annotations

from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.contract.checking import Breach
from nomotax.core.drift.model import DriftFinding
from nomotax.core.guards.facts import Earlier, Facts
from nomotax.core.guards.looks import findings
from nomotax.core.guards.model import SORTS, Guard, guards_of
from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import Role, StoreField, StoreSchema

SCHEMA = StoreSchema(
    name="Saddlery",
    key="sku",
    fields=(
        StoreField(name="sku", role=Role.KEY),
        StoreField(name="price", title="Price", kind=FieldKind.MONEY, currency="PLN",
                   role=Role.PRICE),
        StoreField(name="cost", kind=FieldKind.MONEY, currency="PLN", role=Role.COST),
        StoreField(name="length", title="Length", kind=FieldKind.MEASURE, unit="mm"),
        StoreField(name="stock", title="Stock", kind=FieldKind.INTEGER, role=Role.STOCK),
        StoreField(name="maker", title="Maker"),
    ),
)  # fmt: skip
USUAL = {"price": "10.00", "cost": "6.00", "length": "254", "stock": "3", "maker": "Wicher"}
MAKERS = {"maker": pl.Series(["Wicher", "Rumak"] * 20)}
LOST = Breach(kind="column_missing", column="Cena", said="The column 'Cena' is missing.")
FEW = Breach(kind="type", column="Cena", rows=1, said="In 'Cena' 1 cell is no number.")
MANY = Breach(kind="empty", column="Stan", rows=50, said="In 'Stan' 50 cells are empty.")
GONE = DriftFinding(kind="column_gone", severity="hold", column="Cena", rows=100,
                    said="The column 'Cena' is not there any more.")  # fmt: skip
OUT = GONE.model_copy(update={"kind": "stock_emptied", "column": "Stan",
                              "said": "'Stan' is nothing for 50 of 100 articles."})  # fmt: skip
#: A hundred rows came the last time, all of them filled.
BEFORE = (Earlier(100, dict.fromkeys(USUAL, 100)),)


def lines_of(changed=(), same=100, new=(), gone=0, rejected=0):
    """A changeset: ``changed`` and ``new`` are what products come to hold, beside the usual."""
    rows = [("changed", USUAL, USUAL | own) for own in changed]
    rows += [("new", {}, USUAL | own) for own in new]
    rows += [("same", USUAL, USUAL)] * same + [("gone", USUAL, USUAL | {"stock": "0"})] * gone
    rows += [("rejected", {}, {})] * rejected
    told = [
        {"key": f"S{n}", "status": status,
         "fields": [f for f in USUAL if status != "rejected" and old.get(f) != new.get(f)]}
        | {OLD + f: old.get(f) for f in USUAL} | {NEW + f: new.get(f) for f in USUAL}
        for n, (status, old, new) in enumerate(rows)
    ]  # fmt: skip
    texts = dict.fromkeys((side + f for f in USUAL for side in (OLD, NEW)), pl.String)
    shape = {"key": pl.String, "status": pl.String, "fields": pl.List(pl.String), **texts}
    return pl.DataFrame(told, schema=shape)


def facts_of(earlier=BEFORE, filled=None, trial=False, unusual=(), breaches=(), **lines):
    frame = lines_of(**lines)
    counts = dict(frame["status"].value_counts().iter_rows())
    rows = frame.filter(pl.col("status") != "gone").height
    full = dict.fromkeys(USUAL, rows) | (filled or {})
    return Facts(frame.lazy(), SCHEMA, counts, full, earlier, _words, trial, unusual, breaches)


def _words(fields):
    return {f: MAKERS.get(f, pl.Series([], dtype=pl.String)) for f in fields}


def seen(guards=(), **about):
    """What the guards see, by their names, with the number of lines and the sentence."""
    found = findings(facts_of(**about), guards_of(guards))
    return {one.called: (one.lines, one.said) for one, _ in found}


CALM = [{"price": "10.40"}] * 30
TABLE = [
    ("ordinary", {"changed": CALM, "same": 70}, {}),
    ("half of the rows", {"same": 50},
     {"rows_fewer:": (0, "50 rows: 50 % fewer than the 100 that the last one had")}),
    ("no row at all", {"same": 0},
     {"rows_fewer:": (0, "0 rows: 100 % fewer than the 100 that the last one had")}),
    ("faulty rows", {"same": 75, "rejected": 25},
     {"rows_rejected:": (25, "25 of 100 rows are rejected, 25 %")}),
    ("other keys", {"same": 20, "new": [{}] * 80},
     {"products_new:": (80, "80 of 100 rows are about products that the store does not have, "
                            "80 %: are their keys written otherwise?")}),
    ("many gone", {"same": 80, "gone": 20},
     {"products_gone:": (20, "20 of its 100 products are gone, 20 %")}),
    ("all in cents", {"changed": [{"price": "1000", "cost": "600"}] * 100, "same": 0},
     {"prices_moved:price": (0, "Price: the middle one of 100 moves by +9900.0 %; nearly all by "
                                "the factor 100, as with another currency"),
      "price_moved:price": (100, "Price of 100 products move by over 50 %, as 10.00 to 1000"),
      "scale_shifted:price": (100, "Price is about 100 times what it was for 100 of 100 products, "
                                   "as cents to whole money"),
      "scale_shifted:cost": (100, "cost is about 100 times what it was for 100 of 100 products, "
                                  "as cents to whole money")}),
    ("one category in inches", {"changed": [{"length": "10"}] * 12, "same": 88},
     {"scale_shifted:length": (12, "Length is about 0.03937 times what it was for 12 of 100 "
                                   "products, as millimetres to inches")}),
    ("one price in a hundred", {"changed": [{"price": "5.99"}], "same": 99},
     {"under_cost:price": (1, "1 product would be sold under cost")}),
    ("one price that is its cost", {"changed": [{"price": "6.00"}], "same": 99},
     {"under_cost:price": (1, "1 product would be sold at cost")}),
    ("both", {"changed": [{"price": "6.00"}, {"price": "5.99"}], "same": 98},
     {"under_cost:price": (2, "2 products would be sold at cost or under cost")}),
    ("one price far up", {"changed": [{"price": "15.01"}], "same": 99},
     {"price_moved:price": (1, "Price of 1 product moves by over 50 %, as 10.00 to 15.01")}),
    ("half sold out", {"changed": [{"stock": "0"}] * 50, "same": 50},
     {"stock_emptied:stock": (50, "Stock becomes nothing for 50 of 100 products that had some, "
                                  "50 %")}),
    ("a column came empty", {"filled": {"maker": 60}},
     {"cells_empty:maker": (0, "Maker is empty in 40 % of the rows; it was in 0 % of the delivery "
                               "before")}),
    ("strange makers", {"changed": [{"maker": f"Nowy {n}"} for n in range(21)], "same": 79},
     {"new_words:maker": (21, "Maker: 21 that no product has yet, as “Nowy 0”, “Nowy 1”, "
                              "“Nowy 2”")}),
    ("a column is gone", {"unusual": [GONE, GONE.model_copy(update={"severity": "warn"})]},
     {"delivery_unusual:": (0, "The column 'Cena' is not there any more")}),
    ("sold out where the store has none of it", {"unusual": [OUT], "same": 0, "new": [{}] * 100,
                                                 "earlier": ()},
     {"delivery_unusual:": (0, "'Stan' is nothing for 50 of 100 articles")}),
    ("sold out, as another guard says", {"unusual": [OUT], "same": 50,
                                         "changed": [{"stock": "0"}] * 50},
     {"stock_emptied:stock": (50, "Stock becomes nothing for 50 of 100 products that had some, "
                                  "50 %")}),
    ("a column has another name", {"breaches": [LOST, FEW]},
     {"contract_broken:": (0, "The column 'Cena' is missing")}),
    ("one cell of a hundred and one of two", {"breaches": [FEW, MANY]},
     {"contract_broken:": (0, "In 'Stan' 50 cells are empty")}),
    ("a trial of a broken contract", {"breaches": [LOST], "trial": True}, {}),
    ("a trial of a strange delivery", {"unusual": [GONE], "trial": True}, {}),
    ("a first delivery", {"earlier": (), "same": 0, "new": [{}] * 100}, {}),
    ("some rows as a trial", {"trial": True, "same": 2, "new": [{}] * 5}, {}),
]  # fmt: skip


@pytest.mark.parametrize(("about", "wanted"), [row[1:] for row in TABLE], ids=[r[0] for r in TABLE])
def test_what_went_wrong_is_said_with_its_lines(about, wanted):
    assert seen(**about) == wanted


def test_every_kind_of_guard_has_seen_something():
    kinds = {name.split(":")[0] for _, _, wanted in TABLE for name in wanted}
    assert kinds == {*SORTS} - {"under_margin"}


MONEY = st.decimals("0.01", "99999999.99", places=2)


@given(st.lists(st.tuples(MONEY, MONEY), min_size=1, max_size=8), st.decimals(0, 400, places=2))
def test_limits_are_exact(prices, limit):
    changed = [{"price": str(price), "cost": str(cost)} for price, cost in prices]
    guards = [Guard(kind=kind, limit=limit) for kind in ("price_moved", "under_margin")]
    facts = facts_of(changed=changed, same=0)
    at = {one.called: list(places) for one, places in findings(facts, guards)}
    old = Decimal(USUAL["price"])
    far = [n for n, (price, _) in enumerate(prices) if abs(price - old) * 100 > old * limit]
    thin = [
        n for n, (price, cost) in enumerate(prices)
        if (price - cost) * 100 < price * limit
        and (price != old or cost != Decimal(USUAL["cost"]))
    ]  # fmt: skip
    moved = [n for n in far if prices[n][0] != old]
    assert at.get("price_moved:price", []) == moved
    assert at.get("under_margin:price", []) == thin


def test_guards_are_set_one_by_one():
    own = guards_of(
        [Guard(kind="price_moved", limit=5), Guard(kind="under_cost", on=False, limit=0)]
    )
    assert [guard.kind for guard in own] == [*SORTS]
    changed = [{"price": "10.60"}, {"price": "5.00"}]
    assert {*seen(own, changed=changed)} == {"price_moved:price"}
    assert not seen([g.model_copy(update={"on": False}) for g in own], same=0, rejected=100)
    with pytest.raises(ValidationError):
        Guard(kind="price_moved", limit=-1)
