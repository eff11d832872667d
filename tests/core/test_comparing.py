"""A delivery beside the catalog, against a plain model: every row has one fate, and nothing moves
that the crosswalk does not fill or a person keeps."""

from __future__ import annotations

from collections import Counter

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.changes.marks import MOVED_BY, NEW, OLD, OWNER
from nomotax.core.changes.states import ARCHIVED, HIDDEN, STATE, TAKEN_OUT
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.crosswalk.policy import Policy
from nomotax.core.flow.context import Context
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW
from tests.core.in_pieces import FEED, compare

SCHEMA = StoreSchema(
    name="s", key="sku",
    fields=(StoreField(name="sku", required=True), StoreField(name="name"),
            StoreField(name="price", kind="money", currency="EUR"), StoreField(name="note"),
            StoreField(name="code", unique=True),
            StoreField(name="stock", kind="integer", role="stock")),
)  # fmt: skip
FILLED = ("sku", "name", "price", "code")
STORED = ("sku", "name", "price", "note", "code", "stock")
KEYS = st.sampled_from("abc")
#: Hidden by a run of this feed, or of another.
BY_THIS, BY_OTHER = "by this", "by another"
MOVED = {BY_THIS: (HIDDEN, FEED), BY_OTHER: (HIDDEN, FEED + 1)}
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
        st.sampled_from([None, None, HIDDEN, BY_THIS, BY_OTHER, ARCHIVED, TAKEN_OUT]),
        st.sampled_from([None, "A", "B"]),
        st.sampled_from([None, "1.00", "2.50"]),
        st.just("a note"),
        st.sampled_from([None, None, "x", "z"]),
        st.sampled_from([None, "0", "4"]),
    ),
)
KEPT = st.fixed_dictionaries(
    {"name": st.sets(KEYS), "price": st.sets(KEYS), STATE: st.sets(KEYS), "stock": st.sets(KEYS)}
)
#: Half of the time what a crosswalk says that says nothing.
RULES = st.one_of(
    st.just(Policy()),
    st.builds(
        Policy,
        products=st.sampled_from(["both", "make", "change"]),
        others=st.sampled_from(["refuse", "change"]),
        missing=st.sampled_from(["leave", "stock_0", "hide", "archive", "take_out"]),
        after=st.integers(1, 3),
        state=st.sampled_from(["live", "hidden"]),
    ),
)
#: What the fill says, and what the store says for all feeds.
RULE = st.sampled_from(["always", "new", "empty", "never"])
WRITES = st.one_of(
    st.just({}),
    st.dictionaries(st.sampled_from(["name", "price", "code"]), st.tuples(RULE, RULE)),
)
ALWAYS = ("always", "always")


def state_of(key, catalog):
    """The state of a product, and the feed whose run gave it."""
    state = catalog[key][1] if key in catalog else None
    return MOVED.get(state, (state, None))


def compared(rows, catalog, kept, brought, size, rules, writes):
    columns = list(zip(*rows, strict=True)) or [[]] * len(FILLED)
    frame = pl.DataFrame(
        {f: list(c) for f, c in zip(FILLED, columns, strict=True)},
        schema=dict.fromkeys(FILLED, pl.String),
    ).with_row_index(ROW, 1)
    fills = {f: {"parts": [{"column": f}], "writes": writes.get(f, ALWAYS)[0]} for f in FILLED}
    fields = [f.model_copy(update={"writes": writes.get(f.name, ALWAYS)[1]}) for f in SCHEMA.fields]
    schema = SCHEMA.model_copy(update={"fields": tuple(fields)})
    crosswalk = Crosswalk.model_validate({"fills": fills, "policy": rules.model_dump()})
    plan = compile_plan(crosswalk, schema, Context(","), list(FILLED))
    stored = pl.DataFrame(
        [
            (key, owner, *state_of(key, catalog), key, *values)
            for key, (owner, _, *values) in catalog.items()
        ],
        schema=dict.fromkeys(["key", OWNER, STATE], pl.String)
        | {MOVED_BY: pl.Int64}
        | dict.fromkeys((OLD + f for f in STORED), pl.String),
        orient="row",
    )
    arriving = frame.with_columns(pl.lit(None, pl.String).alias(FAULT))
    lists = {field: sorted(keys) for field, keys in kept.items()}
    shape = {"key": pl.String, "times": pl.Int64}
    named = None if brought is None else pl.DataFrame(sorted(brought.items()), shape, orient="row")
    return compare(arriving, plan, stored, "me", lists, named, size)


def wanted_of(row, catalog, kept, rules, writes):
    """What a row would write of its product: field, before, after."""
    key, name, price, code = row
    _, _, *old = catalog.get(key, (None,) * 7)
    state, feed = state_of(key, catalog)
    before = dict(zip(("name", "price", "code"), (old[0], old[1], old[3]), strict=True))
    after = {"name": name or None, "price": PRICES[price], "code": code or None}
    found = {}
    for field, value in after.items():
        stays = key in kept.get(field, ()) and before[field] is not None
        said = writes.get(field, ALWAYS)
        stays |= "never" in said or ("new" in said and key in catalog)
        stays |= "empty" in said and before[field] is not None
        if value is not None and not stays and value != before[field]:
            found[field] = (before[field], value)
    if key not in catalog:
        found["sku"] = (None, key)
        if rules.state == "hidden":
            found[STATE] = (None, HIDDEN)
    if state == TAKEN_OUT or feed == FEED:
        found[STATE] = (state, None)
    return found


def code_of(row, catalog, writes):
    """What the product of a row would have as its code."""
    there = catalog[row[0]][5] if row[0] in catalog else None
    said = writes.get("code", ALWAYS)
    stays = "never" in said or ("new" in said and row[0] in catalog)
    return there if stays or ("empty" in said and there) else row[3] or there


def clashes(row, rows, catalog, writes):
    """Whether another product has, or would have, the same code."""
    code = code_of(row, catalog, writes)
    comes = {(other[0], code_of(other, catalog, writes)) for other in rows if other[0]}
    settled = {key for key, own in comes if own}
    stays = {
        (key, one[5]) for key, one in catalog.items() if one[1] != TAKEN_OUT and key not in settled
    }
    return bool(code) and any(k != row[0] and own == code for k, own in comes | stays)


def becomes(row, writes):
    """What a row writes, by what it becomes and not by how it was written."""
    found = {"name": row[1], "price": PRICES[row[2]], "code": row[3]}
    return tuple(v for f, v in found.items() if "never" not in writes.get(f, ALWAYS))


def fate_of(at, rows, catalog, kept, rules, writes):
    """The status of one row, by the rules as they are written down."""
    row = rows[at]
    key, _, price, _ = row
    same_key = [n for n, other in enumerate(rows) if other[0] == key]
    doubled = len(same_key) > 1
    alike = len({becomes(rows[i], writes) for i in same_key})
    dear = price == "dear" and "never" not in writes.get("price", ALWAYS)
    if not key or dear or (doubled and (alike > 1 or at != same_key[0])):
        return "rejected"
    wanted = wanted_of(row, catalog, kept, rules, writes)
    foreign = catalog.get(key, ("me",))[0] != "me" and rules.others == "refuse"
    if (foreign and wanted) or clashes(row, rows, catalog, writes):
        return "rejected"
    there = key in catalog and catalog[key][1] != TAKEN_OUT
    if rules.products == ("make" if there else "change"):
        return "left out" if there else "rejected"
    if key not in catalog:
        return "new"
    return "changed" if wanted else "same"


@given(
    rows=ARRIVING,
    catalog=CATALOG,
    kept=KEPT,
    brought=st.one_of(st.none(), st.dictionaries(KEYS, st.integers(1, 3))),
    size=st.sampled_from([1, 2, 3, 100]),
    rules=RULES,
    writes=WRITES,
)
def test_every_row_has_the_fate_of_the_rules_and_nothing_else_moves(
    rows, catalog, kept, brought, size, rules, writes
):
    check(rows, catalog, kept, brought, size, rules, writes)


#: Rows that nothing is wrong with, of products that are there, so that rules decide alone.
SOUND = st.dictionaries(
    KEYS, st.tuples(st.sampled_from(["", "A"]), st.sampled_from(["", "2,5"]), st.just(""))
).map(lambda rows: [(key, *cells) for key, cells in rows.items()])
THERE = st.fixed_dictionaries(
    {},
    optional=dict.fromkeys(
        "abc",
        st.tuples(
            st.sampled_from(["me", "you"]),
            st.sampled_from([None, HIDDEN, BY_THIS, BY_OTHER, ARCHIVED, TAKEN_OUT]),
            st.sampled_from([None, "A", "B"]),
            st.sampled_from([None, "1.00", "2.50"]),
            st.just("a note"),
            st.none(),
            st.sampled_from([None, "0", "4"]),
        ),
    ),
)


@settings(max_examples=120)
@given(
    rows=SOUND,
    catalog=THERE,
    kept=st.sampled_from([{}, {STATE: {"a"}, "stock": {"a"}}]).map(
        lambda given: {field: set() for field in ("name", "price", STATE, "stock")} | given
    ),
    brought=st.fixed_dictionaries(dict.fromkeys("abc", st.integers(1, 2))),
    rules=st.builds(
        Policy,
        products=st.sampled_from(["both", "both", "make", "change"]),
        others=st.sampled_from(["refuse", "change", "change"]),
        missing=st.sampled_from(["stock_0", "hide", "archive", "take_out"]),
        after=st.integers(1, 2),
        state=st.sampled_from(["live", "hidden"]),
    ),
    writes=st.fixed_dictionaries(dict.fromkeys(("name", "price"), st.tuples(RULE, RULE))),
)
def test_a_run_does_what_its_rules_allow_and_no_more(rows, catalog, kept, brought, rules, writes):
    check(rows, catalog, kept, brought, 2, rules, writes)


def check(rows, catalog, kept, brought, size, rules, writes):
    """A comparison as the rules have it, line by line."""
    found = compared(rows, catalog, kept, brought, size, rules, writes)
    lines = list(found.frame.iter_rows(named=True))
    by_row = {line["row"]: line for line in lines if line["row"] is not None}
    assert sorted(by_row) == list(range(1, len(rows) + 1)), "each row that came has one line"
    counts = found.counts()
    assert sum(counts.values()) - counts["gone"] == len(rows)
    assert Counter(line["status"] for line in lines) == {s: n for s, n in counts.items() if n}
    for at, row in enumerate(rows):
        line = by_row[at + 1]
        assert line["status"] == fate_of(at, rows, catalog, kept, rules, writes), (
            at,
            line["reason"],
        )
        written = {f: (line[OLD + f], line[NEW + f]) for f in line["fields"]}
        assert "note" not in written, "what the crosswalk does not fill is left alone"
        for field, keys in ((f, kept[f]) for f in ("name", "price")):
            if row[0] in keys and catalog.get(row[0], [None] * 4)[2 if field == "name" else 3]:
                assert field not in written, "what a person keeps is left alone"
        if line["status"] in ("new", "changed"):
            assert written == wanted_of(row, catalog, kept, rules, writes)
        else:
            assert written == {}
        assert bool(line["reason"]) == (line["status"] in ("held", "rejected", "left out"))
    missing = {key for key in brought or () if key not in {row[0] for row in rows}}
    gone = {key for key in missing if key in catalog and catalog[key][1] != TAKEN_OUT}
    by_key = {line["key"]: line for line in lines if line["status"] == "gone"}
    assert set(by_key) == gone
    for key, line in by_key.items():
        written = {f: (line[OLD + f], line[NEW + f]) for f in line["fields"]}
        acts = len(missing) < len(brought) and brought[key] >= rules.after
        assert written == (gone_of(key, catalog, kept, rules) if acts else {}), line["reason"]
        assert line["reason"]


def gone_of(key, catalog, kept, rules):
    """What is written of a product that the feed does not bring any more."""
    owner, _, *old = catalog[key]
    state, _ = state_of(key, catalog)
    if owner != "me" and rules.others == "refuse":
        return {}
    if rules.missing == "stock_0" and key not in kept["stock"] and old[4] != "0":
        return {"stock": (old[4], "0")}
    to = {"hide": HIDDEN, "archive": ARCHIVED, "take_out": TAKEN_OUT}.get(rules.missing)
    stays = state == to or (rules.missing == "hide" and state == ARCHIVED)
    return {STATE: (state, to)} if to and not stays and key not in kept[STATE] else {}
