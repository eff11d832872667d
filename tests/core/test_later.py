"""Values that hold from a day on, against a plain model of rows, products and what waits."""

from __future__ import annotations

from datetime import date

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.changes.later import DAY, LATER, WAITING, Days, standing
from nomotax.core.changes.later import given as given_by
from nomotax.core.changes.marks import NEW
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.flow.context import Context
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW
from tests.core.in_pieces import compare

SCHEMA = StoreSchema(
    name="s", key="sku",
    fields=(StoreField(name="sku", required=True), StoreField(name="title"),
            StoreField(name="price", kind="money", currency="EUR"),
            StoreField(name="offer", kind="money", currency="EUR")),
)  # fmt: skip
TODAY = date(2027, 3, 1)
FILLS = {
    "sku": {"parts": [{"column": "sku"}]},
    "title": {"parts": [{"column": "title"}]},
    "price": {"parts": [{"column": "price"}], "since": {"column": "from"},
              "steps": [{"do": "number", "style": "point"}]},
    "offer": {"parts": [{"column": "price"}], "steps": [{"do": "number", "style": "point"}]},
}  # fmt: skip
PLAN = compile_plan(
    Crosswalk.model_validate({"fills": FILLS}), SCHEMA, Context(),
    ("sku", "title", "price", "from"),
)  # fmt: skip
#: As it is written, and what it means to the first of March.
DATES = {"": None, "01.03.2027": None, "1.2.27": None, "2/3/2027": date(2027, 3, 2),
         "15-04-27": date(2027, 4, 15)}  # fmt: skip
PRICES = st.sampled_from(["", "1.00", "2.50"])
ROWS = st.dictionaries(
    st.sampled_from("abc"), st.tuples(PRICES, st.sampled_from(sorted(DATES)), st.booleans())
)
HELD = st.dictionaries(st.sampled_from("abc"), st.tuples(PRICES, PRICES))
RUN_DAYS = st.sampled_from([None, date(2027, 3, 2), date(2027, 4, 15)])
WAITS = st.dictionaries(
    st.tuples(st.sampled_from("abc"), st.sampled_from([date(2027, 3, 2), date(2027, 4, 15)])),
    st.sampled_from(["1.00", "2.50"]),
)


def lines_of(rows, held, days):
    arriving = pl.DataFrame(
        [{ROW: n, FAULT: None, "sku": k, "title": "new" if renamed else "old", "price": p,
          "from": written}
         for n, (k, (p, written, renamed)) in enumerate(rows.items(), 1)],
        schema={ROW: pl.UInt32, FAULT: pl.String,
                **dict.fromkeys(("sku", "title", "price", "from"), pl.String)},
    )  # fmt: skip
    catalog = pl.DataFrame(
        [{"key": k, "__owner": "me", "old:sku": k, "old:title": "old", "old:price": p or None,
          "old:offer": o or None} for k, (p, o) in held.items()],
        schema=dict.fromkeys(
            ("key", "__owner", "old:sku", "old:title", "old:price", "old:offer"), pl.String),
    )  # fmt: skip
    return compare(arriving, PLAN, catalog, "me", size=2, days=days).frame


@settings(max_examples=80, deadline=None)
@given(ROWS, HELD, RUN_DAYS, WAITS)
def test_what_holds_later_waits_and_all_else_is_written(rows, held, run_day, waits):
    waiting = pl.DataFrame(
        [(k, "price", day, v) for (k, day), v in waits.items()], schema=WAITING, orient="row"
    )
    lines = lines_of(rows, held, Days(TODAY, run_day, waiting))
    assert lines.height == len(rows)
    for line in lines.iter_rows(named=True):
        price, written, renamed = rows[line["key"]]
        own = DATES[written] if written else run_day
        asked = {"title": ("new" if renamed else "old", None), "price": (price or None, own),
                 "offer": (price or None, run_day)}  # fmt: skip
        before = dict(zip(("title", "price", "offer"), ("old", *held[line["key"]]), strict=True)) \
            if line["key"] in held else {}  # fmt: skip
        now, later = set(), {}
        for name, (value, day) in asked.items():
            if value is None or value == (before.get(name) or None):
                continue
            if before and day is not None:
                later[name] = day
            else:
                now.add(name)
        if before:
            already = waits.get((line["key"], own)) if "price" in later else None
            if already == price:
                del later["price"]
            told = {n: line[DAY + n] for n in line[LATER]} if LATER in line else {}
            assert told == {n: d.isoformat() for n, d in later.items()}
            assert set(line["fields"]) == now
            assert line["status"] == ("changed" if now or later else "same")
        else:
            assert (line["status"], line.get(LATER) or []) == ("new", [])
            assert {"sku", "title", *now} == set(line["fields"])
            dated = [v for v, d in asked.values() if d is not None and v is not None]
            assert (line["reason"] or "").count("at once") == len(dated)


def test_what_is_given_is_what_waits_and_until_its_day_the_old_one_stands():
    lines = lines_of({"a": ("2.50", "2/3/2027", True)}, {"a": ("1.00", "2.50")}, Days(TODAY))
    assert given_by(lines).rows() == [("a", "price", "2.50", "2027-03-02")]
    assert given_by(lines.drop(LATER)).is_empty()
    for day, holds in ((TODAY, "1.00"), (date(2027, 3, 2), "2.50")):
        stands = lines.select(standing(lines.columns, "price", day).alias(NEW + "price"))
        assert stands.item() == holds


def test_a_day_that_cannot_be_read_refuses_its_row():
    lines = lines_of({"a": ("2.50", "2027-03-02", False), "b": ("1.00", "13.13.2027", True)},
                     {"a": ("1.00", "2.50"), "b": ("", "")}, Days(TODAY))  # fmt: skip
    reasons = dict(lines.select("key", "reason").iter_rows())
    assert reasons["a"] == "price: '2027-03-02' is no date in the order dmy"
    assert lines["status"].to_list() == ["rejected", "rejected"]
