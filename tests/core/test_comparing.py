"""A delivery beside the catalog, against a plain model: every row has one fate, and nothing moves
that the crosswalk does not fill or a person keeps."""

from __future__ import annotations

from collections import Counter

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.changes.diff import NEW, OLD, OWNER
from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.flow.context import Context
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW
from tests.core.in_pieces import compare

SCHEMA = StoreSchema(
    name="s", key="sku",
    fields=(StoreField(name="sku", required=True), StoreField(name="name"),
            StoreField(name="price", kind="money", currency="EUR"), StoreField(name="note"),
            StoreField(name="code", unique=True)),
)  # fmt: skip
FILLED = ("sku", "name", "price", "code")
STORED = ("sku", "name", "price", "note", "code")
KEYS = st.sampled_from("abc")
PRICES = {"1": "1.00", "2,5": "2.50", "dear": None, "": None}
ARRIVING = st.lists(
    st.tuples(
        st.one_of(KEYS, st.just("")),
        st.sampled_from(["", "A", "B"]),
        st.sampled_from(list(PRICES)),
        st.sampled_from(["", "", "x", "y"]),
    ),
    max_size=7,
)
CATALOG = st.dictionaries(
    KEYS,
    st.tuples(
        st.sampled_from(["me", "me", "you"]),
        st.sampled_from([None, None, "hidden", TAKEN_OUT]),
        st.sampled_from([None, "A", "B"]),
        st.sampled_from([None, "1.00", "2.50"]),
        st.just("a note"),
        st.sampled_from([None, None, "x", "z"]),
    ),
)
KEPT = st.fixed_dictionaries({"name": st.sets(KEYS), "price": st.sets(KEYS)})


def compared(rows, catalog, kept, brought, size):
    columns = list(zip(*rows, strict=True)) or [[]] * len(FILLED)
    frame = pl.DataFrame(
        {f: list(c) for f, c in zip(FILLED, columns, strict=True)},
        schema=dict.fromkeys(FILLED, pl.String),
    ).with_row_index(ROW, 1)
    fills = {f: {"parts": [{"column": f}]} for f in FILLED}
    plan = compile_plan(
        Crosswalk.model_validate({"fills": fills}), SCHEMA, Context(","), list(FILLED)
    )
    stored = pl.DataFrame(
        [(key, owner, state, key, *values) for key, (owner, state, *values) in catalog.items()],
        schema=dict.fromkeys(["key", OWNER, STATE, *(OLD + f for f in STORED)], pl.String),
        orient="row",
    )
    arriving = frame.with_columns(pl.lit(None, pl.String).alias(FAULT))
    lists = {field: sorted(keys) for field, keys in kept.items()}
    named = None if brought is None else pl.Series(sorted(brought), dtype=pl.String)
    return compare(arriving, plan, stored, "me", lists, named, size)


def wanted_of(row, catalog, kept):
    """What a row would write of its product: field, before, after."""
    key, name, price, code = row
    _, state, *old = catalog.get(key, (None, None, None, None, None, None))
    before = dict(zip(("name", "price", "code"), (old[0], old[1], old[3]), strict=True))
    after = {"name": name or None, "price": PRICES[price], "code": code or None}
    found = {}
    for field, value in after.items():
        stays = key in kept.get(field, ()) and before[field] is not None
        if value is not None and not stays and value != before[field]:
            found[field] = (before[field], value)
    if key not in catalog:
        found["sku"] = (None, key)
    if state == TAKEN_OUT:
        found[STATE] = (TAKEN_OUT, None)
    return found


def code_of(row, catalog):
    """What the product of a row would have as its code."""
    return row[3] or (catalog[row[0]][5] if row[0] in catalog else None)


def clashes(row, rows, catalog):
    """Whether another product has, or would have, the same code."""
    code = code_of(row, catalog)
    comes = {(other[0], code_of(other, catalog)) for other in rows if other[0]}
    settled = {key for key, own in comes if own}
    stays = {
        (key, one[5]) for key, one in catalog.items() if one[1] != TAKEN_OUT and key not in settled
    }
    return bool(code) and any(k != row[0] and own == code for k, own in comes | stays)


def fate_of(at, rows, catalog, kept):
    """The status of one row, by the rules as they are written down."""
    row = rows[at]
    key, _, price, _ = row
    same_key = [n for n, other in enumerate(rows) if other[0] == key]
    if not key:
        return "rejected"
    doubled = len(same_key) > 1
    # Rows are alike by what they become, not by how it was written.
    alike = len({(n[1], PRICES[n[2]], n[3]) for n in (rows[i] for i in same_key)})
    if price == "dear" or (doubled and (alike > 1 or at != same_key[0])):
        return "rejected"
    wanted = wanted_of(row, catalog, kept)
    if catalog.get(key, ("me",))[0] != "me" and wanted:
        return "rejected"
    if clashes(row, rows, catalog):
        return "rejected"
    if key not in catalog:
        return "new"
    return "changed" if wanted else "same"


@given(
    rows=ARRIVING,
    catalog=CATALOG,
    kept=KEPT,
    brought=st.one_of(st.none(), st.sets(KEYS)),
    size=st.sampled_from([1, 2, 3, 100]),
)
def test_every_row_has_the_fate_of_the_rules_and_nothing_else_moves(
    rows, catalog, kept, brought, size
):
    found = compared(rows, catalog, kept, brought, size)
    lines = list(found.frame.iter_rows(named=True))
    by_row = {line["row"]: line for line in lines if line["row"] is not None}
    assert sorted(by_row) == list(range(1, len(rows) + 1)), "each row that came has one line"
    counts = found.counts()
    assert sum(counts.values()) - counts["gone"] == len(rows)
    assert Counter(line["status"] for line in lines) == {s: n for s, n in counts.items() if n}
    for at, row in enumerate(rows):
        line = by_row[at + 1]
        assert line["status"] == fate_of(at, rows, catalog, kept), (at, line["reason"])
        written = {f: (line[OLD + f], line[NEW + f]) for f in line["fields"]}
        assert "note" not in written, "what the crosswalk does not fill is left alone"
        for field, keys in kept.items():
            if row[0] in keys and catalog.get(row[0], [None] * 4)[2 if field == "name" else 3]:
                assert field not in written, "what a person keeps is left alone"
        if line["status"] in ("new", "changed"):
            assert written == wanted_of(row, catalog, kept)
        else:
            assert written == {}
        assert bool(line["reason"]) == (line["status"] in ("held", "rejected"))
    named = {row[0] for row in rows}
    gone = {
        key
        for key in brought or ()
        if key in catalog and catalog[key][1] != TAKEN_OUT and key not in named
    }
    assert {line["key"] for line in lines if line["status"] == "gone"} == gone
