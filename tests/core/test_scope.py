"""A crosswalk narrowed to some of its fields, by properties and on rows."""

from __future__ import annotations

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.identity import Identity, Way
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.policy import Policy
from nomotax.core.crosswalk.scope import Scope, within_scope
from nomotax.core.flow.context import Context
from nomotax.core.schema.model import StoreSchema
from nomotax.core.table import FAULT, ROW

SCHEMA = StoreSchema.model_validate(
    {
        "name": "s",
        "key": "sku",
        "fields": [
            {"name": "sku", "kind": "text"},
            {"name": "name", "kind": "text", "role": "title", "required": True},
            {"name": "maker", "kind": "text"},
            {"name": "label", "kind": "text"},
            {"name": "slug", "kind": "text"},
            {"name": "gtin", "kind": "gtin"},
            {"name": "stock", "kind": "integer", "role": "stock"},
            {"name": "sale", "kind": "money", "currency": "EUR", "starts": "from", "ends": "to"},
            {"name": "from", "kind": "date"},
            {"name": "to", "kind": "date"},
        ],
    }
)
NAMES = tuple(f.name for f in SCHEMA.fields)


def column(name):
    return Fill(parts=(Part(column=f"c {name}"),))


#: ``label`` is filled from name and maker, ``slug`` from the label.
FILLS = {name: column(name) for name in NAMES} | {
    "label": Fill(parts=(Part(field="name"), Part(text=" "), Part(field="maker"))),
    "slug": Fill(parts=(Part(field="label"),)),
}
WHOLE = Crosswalk(
    fills=FILLS,
    parked={"c more": "maker"},
    policy=Policy(products="both", missing="hide", state="hidden"),
    identity=Identity(ways=(Way(fields=("gtin",)), Way(fields=("sku",)))),
)
FIELDS = st.lists(st.sampled_from(NAMES[1:]), min_size=1, unique=True).map(tuple)


@given(FIELDS, st.booleans())
def test_it_writes_its_fields_makes_nothing_and_misses_nothing(fields, going_over):
    narrow = within_scope(WHOLE, Scope(name="s", fields=fields), SCHEMA, going_over)
    assert (narrow.policy.products, narrow.policy.missing) == ("change", "leave")
    assert narrow.identity == WHOLE.identity and not narrow.parked
    for name in fields:
        assert narrow.fills[name] == FILLS[name]
    for name, fill in narrow.fills.items():
        beneath = fill == FILLS[name].model_copy(update={"writes": "never"})
        nothing = not fill.says_something and going_over
        assert name in fields or beneath or nothing
    if going_over:
        assert set(narrow.fills) == set(FILLS)


@given(FIELDS)
def test_all_that_it_hangs_on_is_filled_however_far_down(fields):
    narrow = within_scope(WHOLE, Scope(name="s", fields=fields), SCHEMA)
    for name, fill in narrow.fills.items():
        assert set(fill.fields) <= set(narrow.fills), name
    assert {"sku", "gtin"} <= set(narrow.fills)
    assert {"label", "name", "maker"} <= set(narrow.fills) or "slug" not in fields
    assert {"from", "to"} <= set(narrow.fills) or "sale" not in fields


def filled(fields, without=()):
    """Two rows filled by a scope, of a file that lacks some columns."""
    narrow = within_scope(WHOLE, Scope(name="s", fields=fields), SCHEMA)
    columns = [f"c {name}" for name in NAMES if name not in (*without, "label", "slug")]
    cells = {"c name": ["Pensel", "Krita"], "c maker": ["Ek", "Alm"], "c stock": ["4", "0"],
             "c sku": ["a", "b"], "c gtin": ["4006381333931", None]}  # fmt: skip
    frame = pl.DataFrame({c: cells.get(c, [None, None]) for c in columns},
                         schema=dict.fromkeys(columns, pl.String))  # fmt: skip
    rows = frame.with_columns(
        pl.Series(ROW, [1, 2], dtype=pl.UInt32), pl.lit(None, pl.String).alias(FAULT)
    )
    plan = compile_plan(narrow, SCHEMA, Context(), columns)
    return plan, plan.fill(rows)


def test_what_others_are_filled_from_is_there_and_never_written():
    plan, frame = filled(("slug", "stock"))
    assert frame["slug"].to_list() == ["Pensel Ek", "Krita Alm"]
    assert [int(n) for n in frame["stock"]] == [4, 0]
    for name in ("name", "maker", "label", "gtin"):
        assert frame[name].to_list() == [None, None] and "never" in plan[name].writes
    assert frame["sku"].to_list() == ["a", "b"]


def test_columns_that_only_other_fields_need_may_be_missing():
    _, frame = filled(("stock",), without=("name", "maker", "sale", "from", "to"))
    assert [int(n) for n in frame["stock"]] == [4, 0]


def test_fields_of_a_scope_are_named_once_and_its_name_is_one():
    assert Scope(name="x", fields=("a", "b", "a")).fields == ("a", "b")
