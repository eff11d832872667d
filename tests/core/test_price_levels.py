"""Price levels of a store: fields of money, some of them from one day to another."""

from __future__ import annotations

import polars as pl
import pytest
from pydantic import ValidationError

from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.errors import SchemaError
from nomotax.core.flow.context import Context
from nomotax.core.schema.editing import FieldEdit, edited
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.schema.table_schema import from_descriptor, to_descriptor
from nomotax.core.table import FAULT, ROW

OFFER = StoreField(name="offer", title="Offer", kind="money", currency="CHF", starts="since",
                   ends="until")  # fmt: skip
SCHEMA = StoreSchema(
    name="s", key="sku",
    fields=(StoreField(name="sku", required=True),
            StoreField(name="trade", title="Trade", kind="money", currency="CHF"), OFFER,
            StoreField(name="since", kind="date"), StoreField(name="until", kind="date")),
)  # fmt: skip


@pytest.mark.parametrize(
    ("more", "said"),
    [({"kind": "text", "currency": None}, "only money"), ({"starts": "sku"}, "is no date field"),
     ({"ends": "gone"}, "is no date field")],
)  # fmt: skip
def test_only_money_holds_by_dates_of_the_store(more, said):
    with pytest.raises(ValidationError, match=said):
        offer = StoreField.model_validate(OFFER.model_dump() | more)
        StoreSchema(**dict(SCHEMA) | {"fields": (*SCHEMA.fields[:2], offer, *SCHEMA.fields[3:])})


def test_it_goes_out_and_in_with_the_schema():
    assert from_descriptor(to_descriptor(SCHEMA)) == SCHEMA


def test_what_ends_before_it_begins_is_refused():
    columns = ("sku", "trade", "offer", "since", "until")
    fills = {c: {"parts": [{"column": c}]} for c in columns}
    for name in ("trade", "offer"):
        fills[name]["steps"] = [{"do": "number", "style": "point"}]
    plan = compile_plan(Crosswalk.model_validate({"fills": fills}), SCHEMA, Context(), columns)
    days = [("2027-01-05", "2027-01-04"), ("2027-01-05", "2027-01-05"), ("", "2027-01-05")]
    frame = pl.DataFrame(
        [{ROW: n, FAULT: None, "sku": str(n), "trade": "2", "offer": "1", "since": a, "until": b}
         for n, (a, b) in enumerate(days)],
        schema={ROW: pl.UInt32, FAULT: pl.String, **dict.fromkeys(columns, pl.String)},
    )  # fmt: skip
    told = problems_of(plan.fill(frame), plan, frame)
    assert told.select("row", "severity", "message").rows() == [
        (0, "refuse", "Offer: '1' would end before it begins")
    ]


def test_its_dates_are_edited_and_are_not_retired_while_it_holds_by_them():
    with pytest.raises(SchemaError, match="'Offer' holds by the days in 'until'"):
        edited(SCHEMA, FieldEdit(was=SCHEMA["until"]))
    free = OFFER.model_copy(update={"ends": None})
    freed = edited(SCHEMA, FieldEdit(was=OFFER, field=free))
    assert "until" not in edited(freed, FieldEdit(was=SCHEMA["until"]))
