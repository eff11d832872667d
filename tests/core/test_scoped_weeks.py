"""Wholes and scopes of a feed one after the other, against a plain model of the catalog: a scope
writes its fields of products that are there, and nothing else moves."""

from __future__ import annotations

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.changes.marks import NEW, OLD, OWNER
from nomotax.core.changes.states import STATE
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.policy import Policy
from nomotax.core.crosswalk.scope import Scope, within_scope
from nomotax.core.flow.context import Context
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW
from tests.core.in_pieces import compare

SCHEMA = StoreSchema(
    name="s", key="sku",
    fields=(StoreField(name="sku", required=True), StoreField(name="name", required=True),
            StoreField(name="note"), StoreField(name="stock", kind="integer", role="stock")),
)  # fmt: skip
FIELDS = ("name", "note", "stock")
FILLS = {f: Fill(parts=(Part(column=f),)) for f in ("sku", *FIELDS)}
CELLS = st.sampled_from([None, None, "1", "2"])
#: Products that a list brings, each once, with what it says of them.
LISTS = st.dictionaries(st.sampled_from("abc"), st.tuples(CELLS, CELLS, CELLS), max_size=3)
SCOPES = st.none() | st.sets(st.sampled_from(FIELDS), min_size=1)
CLEARS = st.sets(st.sampled_from(["note", "stock"]))
WEEKS = st.lists(st.tuples(SCOPES, LISTS), min_size=1, max_size=6)


def crosswalk(clears, missing):
    fills = {f: fill.model_copy(update={"when_empty": "clear" if f in clears else "leave"})
             for f, fill in FILLS.items()}  # fmt: skip
    return Crosswalk(fills=fills, policy=Policy(missing=missing))


def arriving(rows):
    cells = {"sku": list(rows), **{f: [said[n] for said in rows.values()]
                                   for n, f in enumerate(FIELDS)}}  # fmt: skip
    frame = pl.DataFrame(cells, schema=dict.fromkeys(("sku", *FIELDS), pl.String))
    numbers = pl.Series(ROW, range(1, len(rows) + 1), dtype=pl.UInt32)
    return frame.with_columns(numbers, pl.lit(None, pl.String).alias(FAULT))


def held(catalog):
    rows = [(key, "me", None, key, *values) for key, values in catalog.items()]
    names = ("key", OWNER, STATE, OLD + "sku", *(OLD + f for f in FIELDS))
    return pl.DataFrame(rows, schema=dict.fromkeys(names, pl.String), orient="row")


def applied(catalog, made):
    """The catalog once the lines that write something are written."""
    after = dict(catalog)
    for line in made.frame.filter(pl.col("status").is_in(["new", "changed"])).to_dicts():
        known = list(after.get(line["key"], (None,) * len(FIELDS)))
        for n, field in enumerate(FIELDS):
            if line["status"] == "new" or field in line["fields"]:
                # What a run does not fill has no side of its own.
                known[n] = line.get(NEW + field, known[n])
        after[line["key"]] = tuple(known)
    return after


def expected(catalog, scope, rows, clears):
    after = dict(catalog)
    for key, said in rows.items():
        old = after.get(key)
        if old is None and (scope is not None or said[0] is None):
            continue  # a scope makes nothing, and without its name there is no product
        known = old or (None,) * len(FIELDS)
        after[key] = tuple(
            before if scope is not None and field not in scope
            else value if value is not None or field in clears
            else before
            for field, value, before in zip(FIELDS, said, known, strict=True)
        )  # fmt: skip
    return after


@given(WEEKS, CLEARS)
def test_scopes_and_wholes_in_any_order_leave_what_the_model_has(weeks, clears):
    whole, catalog = crosswalk(clears, "leave"), {}
    for scope, rows in weeks:
        own = whole
        if scope is not None:
            own = within_scope(whole, Scope(name="s", fields=tuple(scope)), SCHEMA)
        plan = compile_plan(own, SCHEMA, Context(), ("sku", *FIELDS))
        made = compare(arriving(rows), plan, held(catalog), "me")
        # Rows in are rows accounted for, whatever becomes of them.
        assert sum(made.counts().values()) == len(rows)
        wanted = expected(catalog, scope, rows, clears)
        catalog = applied(catalog, made)
        assert catalog == wanted


@given(LISTS, LISTS, st.sets(st.sampled_from(FIELDS), min_size=1))
def test_a_scope_misses_nobody_and_takes_a_scope_of_it_along(first, second, scope):
    """Whatever the whole does with products that are no longer brought; and what a scope has
    written is as if each of its fields had been one."""
    whole = crosswalk((), "take_out")
    named = {key: ("n", *said[1:]) for key, said in first.items()}
    plan = compile_plan(whole, SCHEMA, Context(), ("sku", *FIELDS))
    catalog = applied({}, compare(arriving(named), plan, held({}), "me"))
    assert set(catalog) == set(named)

    def by(fields, before):
        own = within_scope(whole, Scope(name="s", fields=tuple(fields)), SCHEMA)
        own_plan = compile_plan(own, SCHEMA, Context(), ("sku", *FIELDS))
        made = compare(arriving(second), own_plan, held(before), "me")
        assert made.counts()["gone"] == made.counts()["new"] == 0
        return applied(before, made)

    at_once, one_by_one = by(scope, catalog), catalog
    for field in scope:
        one_by_one = by([field], one_by_one)
    assert at_once == one_by_one
