"""Which product a row is about, against a plain model: no row has two fates, and none is lost."""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.changes.diff import Comparison
from nomotax.core.changes.marks import NEW, OLD, OWNER
from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.core.crosswalk.compare import differences
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.identity import Identity, Way
from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.errors import CrosswalkError
from nomotax.core.flow.context import Context
from nomotax.core.matching.alike import alike
from nomotax.core.matching.finder import PAIRINGS
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW
from tests.core.in_pieces import FEED, compare, held, lines_of

SCHEMA = StoreSchema(
    name="s", key="number",
    fields=(StoreField(name="number", required=True), StoreField(name="maker"),
            StoreField(name="code"), StoreField(name="name"),
            StoreField(name="price", kind="money", currency="EUR", role="price")),
)  # fmt: skip
COLUMNS = ("number", "maker", "code", "price")
VALUES = st.sampled_from(["", "a", "A", "0a", "a-", "b", "b c", "bc"])
IGNORED = st.lists(
    st.sampled_from(["case", "blanks", "punctuation", "leading_zeros"]), unique=True
).map(tuple)
WAYS = st.builds(
    Way,
    fields=st.lists(st.sampled_from(["number", "maker", "code"]), min_size=1, max_size=2,
                    unique=True).map(tuple),
    ignore=IGNORED,
)  # fmt: skip
IDENTITIES = st.builds(
    Identity,
    ways=st.lists(WAYS, max_size=3).map(tuple),
    article=st.sampled_from([None, "article"]),
    several=st.sampled_from(["wait", "each"]),
    rows=st.sampled_from(["refuse", "first", "last", "cheapest"]),
    unmatched=st.sampled_from(["new", "wait"]),
)
KEYS = st.sampled_from("pqrs")
ROWS = st.lists(
    st.tuples(
        st.one_of(KEYS, st.just(""), st.just("t")), VALUES, VALUES,
        st.sampled_from(["1", "2", "dear"]), st.sampled_from(["", "x", "y", "z"]),
    ),
    max_size=6,
)  # fmt: skip
CATALOG = st.dictionaries(KEYS, st.tuples(VALUES, VALUES, st.booleans()))
DECISIONS = st.one_of(
    st.tuples(st.just("product"), KEYS),
    st.tuples(st.sampled_from(["new", "leave", "lost"]), st.none()),
)
PAIRED = st.dictionaries(st.sampled_from("xyz"), DECISIONS)


def same(value, ignore):
    """What a value has in common with those like it."""
    value = value.strip()
    if "blanks" in ignore:
        value = "".join(value.split())
    if "punctuation" in ignore:
        value = "".join(c for c in value if unicodedata.category(c)[0] not in "PS").strip()
    if "case" in ignore:
        value = value.casefold()
    if "leading_zeros" in ignore:
        value = value.lstrip("0") or ("0" if value else "")
    return value


#: What becomes of a row, the heaviest last.
WEIGHT = (None, "held", "left out", "rejected")


@dataclass
class Model:
    """Rows, products and decisions as they are, one at a time."""

    identity: Identity
    catalog: dict
    pairings: dict
    products: str

    def found(self, row):
        """What becomes of a row, and the keys of its products."""
        decision, key = self.pairings.get(row[4], (None, None)) if self._asks else (None, None)
        if decision == "product":
            return "found", [key]
        if decision in ("leave", "lost"):
            return decision, []
        if decision is None:
            for way in self.identity.ways or (Way(fields=("number",)),):
                keys = self.by(way, row)
                if keys:
                    waits = len(keys) > 1 and self.identity.several == "wait"
                    return ("doubled" if waits else "found"), sorted(keys)
        if self.products == "change":
            return "none", []
        waits = self.identity.unmatched == "wait" and decision is None
        return ("waits" if waits else "new"), []

    @property
    def _asks(self):
        return self.identity.article is not None

    def by(self, way, row):
        asked = [same(v, way.ignore) for v in self.values(way, *row[:3])]
        if not all(asked):
            return []
        keys = [
            key
            for key, (maker, code, _) in self.catalog.items()
            if asked == [same(v, way.ignore) for v in self.values(way, key, maker, code)]
        ]
        return [k for k in keys if not self.catalog[k][2]] or keys

    def values(self, way, number, maker, code):
        own = {"number": number, "maker": maker, "code": code}
        return [own[f] for f in way.fields]

    def fates(self, rows):
        """Of each row and product the status; of a row without one, under no key."""
        about = [self.found(row) for row in rows]
        alone = {n: self.alone(row, *about[n]) for n, row in enumerate(rows)}
        whose = {}
        for n, (row, (fate, keys)) in enumerate(zip(rows, about, strict=True)):
            own = fate == "new" and row[0] not in {"", *self.catalog}
            for key in keys if fate == "found" else [row[0]] * own:
                whose.setdefault(key, []).append(n)
        by_itself = dict(alone)
        for n, said_alone in by_itself.items():
            keys = [key for key, own in whose.items() if n in own]
            said = [self.beside(n, whose[key], rows, by_itself) for key in keys]
            alone[n] = max([said_alone, *said], key=WEIGHT.index)
        result = {}
        for n, (fate, keys) in enumerate(about):
            named = fate == "new" or self.identity.by_key
            key = keys if fate == "found" else [rows[n][0] or None if named else None]
            for one in key:
                result[n, one] = alone[n] or self.status(one, rows[n])
        return result

    def alone(self, row, fate, keys):
        """The status of a row if there were no others; None where it is good."""
        if fate in ("doubled", "waits", "lost"):
            return "rejected" if row[3] == "dear" else "held"
        if fate == "leave":
            return "rejected" if row[3] == "dear" else "left out"
        bad = fate == "none" or row[3] == "dear"
        bad |= fate == "new" and (row[0] == "" or row[0] in self.catalog)
        # A feed that only completes products brings none back.
        bad |= self.products == "change" and any(self.catalog[key][2] for key in keys)
        return "rejected" if bad else None

    def beside(self, n, others, rows, alone):
        """What a row is among those for its product; None where it is taken."""
        rule = self.identity.rows
        if rule == "refuse":
            alike = len({self.written(rows[m]) for m in others}) == 1
            return None if len(others) == 1 or (alike and n == min(others)) else "rejected"
        prices = {m: -int(rows[m][3]) if rows[m][3] != "dear" else -9 for m in others}
        turn = 1 if rule == "last" else -1

        def order(m):
            return alone[m] is None, prices[m] * (rule == "cheapest"), turn * m

        return None if n == max(others, key=order) else "left out"

    def status(self, key, row):
        """What becomes of a product by a row that is taken."""
        if key not in self.catalog:
            return "new"
        maker, code, out = self.catalog[key]
        news = [(row[1], maker), (row[2], code), (f"{row[3]}.00", None)]
        return "changed" if out or any(a and a != b for a, b in news) else "same"

    def written(self, row):
        return row[1] or None, row[2] or None, row[3]


def run(identity, rows, catalog, pairings, products, size):
    columns = list(zip(*rows, strict=True)) or [[]] * 5
    names = (*COLUMNS, "article")
    frame = pl.DataFrame(
        {f: list(c) for f, c in zip(names, columns, strict=True)},
        schema=dict.fromkeys(names, pl.String),
    ).with_row_index(ROW, 1)
    fills = {f: {"parts": [{"column": f}]} for f in COLUMNS}
    crosswalk = Crosswalk.model_validate(
        {"fills": fills, "identity": identity.model_dump(), "policy": {"products": products}}
    )
    plan = compile_plan(crosswalk, SCHEMA, Context(","), names)
    stored = pl.DataFrame(
        [
            ("me", TAKEN_OUT if out else None, key, key, maker or None, code or None, None)
            for key, (maker, code, out) in catalog.items()
        ],
        schema=dict.fromkeys(
            [OWNER, STATE, "key", *(OLD + f for f in ("number", "maker", "code", "price"))],
            pl.String,
        ),
        orient="row",
    )
    decided = [(article, said, key) for article, (said, key) in pairings.items()]
    paired = pl.DataFrame(decided, PAIRINGS, orient="row")
    whole = Comparison(plan, held(stored), "me", FEED, pairings=paired)
    arriving = frame.with_columns(pl.lit(None, pl.String).alias(FAULT))
    taken = [whole.take(arriving.slice(n, size)) for n in range(0, max(1, len(rows)), size)]
    for _, noted in taken:
        whole.note(noted)
    problems = whole.problems()
    return pl.concat([lines_of(whole, p, problems) for p, _ in taken], how="diagonal"), problems


@settings(max_examples=80, deadline=None)
@given(IDENTITIES, ROWS, CATALOG, PAIRED, st.sampled_from(["both", "change"]), st.integers(1, 4))
def test_each_row_is_about_what_the_model_says(identity, rows, catalog, pairings, products, size):
    pairings = {
        article: ("lost", None) if said == "product" and key not in catalog else (said, key)
        for article, (said, key) in pairings.items()
    }
    lines, problems = run(identity, rows, catalog, pairings, products, size)
    wanted = Model(identity, catalog, pairings, products).fates(rows)
    got = {
        (row - 1, key): status for row, key, status in lines.select("row", "key", "status").rows()
    }
    assert lines.height == len(got)
    assert got == wanted
    assert set(lines["row"]) == set(range(1, len(rows) + 1))
    # What is not taken is told why.
    silent = lines.filter(pl.col("status").is_in(["held", "rejected", "left out"]))
    assert silent["reason"].null_count() == 0
    assert set(silent["row"]) <= set(problems["row"])
    # A product keeps its key whatever the row calls it.
    named = lines.filter(pl.col("status").is_in(["changed", "same", "new"]))
    assert named["key"].to_list() == named[NEW + "number"].to_list()


@pytest.mark.parametrize(
    ("one", "other", "ignore"),
    [
        ("  ab-1 ", "ab-1", ()),
        ("AB-1", "ab-1", ("case",)),
        ("STRASSE", "straße", ("case",)),
        ("E\u0301", "\u00e9", ("case",)),
        ("12\u00a034\u200b5", "12345", ("blanks",)),
        ("AB.12/3-x", "AB123x", ("punctuation",)),
        ("00012", "12", ("leading_zeros",)),
        ("000", "0", ("leading_zeros",)),
        ("00 ab-1", "AB1", ("case", "blanks", "punctuation", "leading_zeros")),
    ],
)
def test_what_is_alike(one, other, ignore):
    rows = pl.DataFrame({"one": [one], "other": [other]})
    first, second = rows.select(alike(pl.col(c), ignore).alias(c) for c in rows.columns).row(0)
    assert first == second is not None
    exact = rows.select(alike(pl.col(c), ()).alias(c) for c in rows.columns).row(0)
    assert (exact[0] == exact[1]) == (not ignore)


def test_what_is_only_punctuation_tells_nothing():
    row = pl.DataFrame({"a": ["--"], "b": [" "], "c": ["1.0"], "d": ["10"]})
    found = row.select(alike(pl.col(c), ["punctuation"]) for c in row.columns).row(0)
    assert found == (None, None, "10", "10")
    assert row.select(alike(pl.col("c"), []), alike(pl.col("d"), [])).row(0) == ("1.0", "10")


def test_a_way_that_cannot_be_gone_is_told():
    walk = {"fills": {"number": {"parts": [{"column": "a"}]}}}
    by_code = walk | {"identity": {"ways": [{"fields": ["code"]}]}}
    with pytest.raises(CrosswalkError, match="products by code, which nothing fills"):
        compile_plan(Crosswalk.model_validate(by_code), SCHEMA, Context(","), ["a"])
    by_article = walk | {"identity": {"article": "Art.-Nr."}}
    with pytest.raises(CrosswalkError, match=r"no column 'Art\.-Nr\.'"):
        compile_plan(Crosswalk.model_validate(by_article), SCHEMA, Context(","), ["a"])


def test_a_value_that_is_on_very_many_products_names_a_few():
    catalog = {f"k{n:03}": ("a", "", False) for n in range(80)}
    identity = Identity(ways=(Way(fields=("maker",)),))
    lines, problems = run(identity, [("", "a", "", "1", "")], catalog, {}, "both", 9)
    assert lines["status"].to_list() == ["held"]
    assert problems["message"].to_list() == [
        "maker: 'a' is that of more than 50 products: k000, k001, k002 and more than 47 others"
    ]
    each = identity.model_copy(update={"several": "each"})
    lines, _ = run(each, [("", "a", "", "1", "")], catalog, {}, "both", 9)
    assert set(lines["key"]) == set(catalog) and set(lines["status"]) == {"changed"}
    assert NEW + "price" in lines.columns and set(lines[NEW + "price"]) == {"1.00"}


STOCKED = StoreSchema(
    name="s", key="number",
    fields=(StoreField(name="number", required=True),
            StoreField(name="price", kind="money", currency="EUR"),
            StoreField(name="stock", kind="integer", role="stock")),
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(KEYS, st.sampled_from(["1", "dear"]), st.integers(-1, 9)), max_size=8),
    st.dictionaries(KEYS, st.integers(0, 12)),
    st.sets(KEYS),
    st.sampled_from(["always", "new", "empty", "never"]),
    st.integers(1, 4),
)
def test_the_stock_of_several_rows_is_added_up(rows, catalog, kept, writes, size):
    """-1 is an empty cell. What may not be written stays; a row that is at fault counts nothing."""
    names = ("number", "price", "stock")
    fills = {f: {"parts": [{"column": f}]} for f in names}
    fills["stock"]["writes"] = writes
    crosswalk = Crosswalk.model_validate({"fills": fills, "identity": {"rows": "sum"}})
    plan = compile_plan(crosswalk, STOCKED, Context(","), names)
    frame = pl.DataFrame(
        [(key, price, str(n) if n >= 0 else "") for key, price, n in rows],
        schema=dict.fromkeys(names, pl.String),
        orient="row",
    ).with_row_index(ROW, 1)
    stored = pl.DataFrame(
        [("me", None, key, key, None, str(n)) for key, n in catalog.items()],
        schema=dict.fromkeys([OWNER, STATE, "key", *(OLD + f for f in names)], pl.String),
        orient="row",
    )
    changes = compare(
        frame.with_columns(pl.lit(None, pl.String).alias(FAULT)), plan, stored, "me",
        {"stock": sorted(kept)}, None, size,
    )  # fmt: skip
    taken = changes.frame.filter(pl.col("status").is_in(["new", "changed", "same"]))
    assert taken.height == len({key for key, price, _ in rows if price == "1"})
    for line in taken.iter_rows(named=True):
        key = line["key"]
        own = [n for k, price, n in rows if k == key and price == "1"]
        total = sum(n for n in own if n >= 0) if max(own) >= 0 else None
        stays = key in catalog and (writes != "always" or key in kept)
        # Of a product that is made everything is written but what never is.
        wanted = None if key not in catalog and writes == "never" else total
        held = str(catalog[key]) if key in catalog else None
        wanted = held if stays or wanted is None else str(wanted)
        assert line[NEW + "stock"] == wanted, (line, own)
        assert ("stock" in line["fields"]) == (wanted != held)


def test_stock_is_added_up_for_the_product_that_several_rows_are_for_alone():
    """The first row is for p and q, the second for q: p has the first's stock, q that of both."""
    fields = (StoreField(name="number", required=True), StoreField(name="code"),
              StoreField(name="stock", kind="integer", role="stock"))  # fmt: skip
    schema = StoreSchema(name="s", key="number", fields=fields)
    fills = {f: {"parts": [{"column": f}]} for f in ("code", "stock")}
    ways = [{"fields": ["code"]}, {"fields": ["number"]}]
    fills["number"] = {"parts": [{"column": "number"}]}
    walk = {"fills": fills, "identity": {"ways": ways, "several": "each", "rows": "sum"}}
    plan = compile_plan(Crosswalk.model_validate(walk), schema, Context(","), [*fills])
    rows = [(1, None, "", "a", "4"), (2, None, "q", "", "3")]
    names = dict.fromkeys((FAULT, "number", "code", "stock"), pl.String)
    arriving = pl.DataFrame(rows, schema={ROW: pl.UInt32, **names}, orient="row")
    stored = pl.DataFrame(
        [("me", None, "p", "p", "a", "1"), ("me", None, "q", "q", "a", "1")],
        schema=[OWNER, STATE, "key", *(OLD + f for f in ("number", "code", "stock"))],
        schema_overrides={STATE: pl.String}, orient="row",
    )  # fmt: skip
    lines = compare(arriving, plan, stored, "me").frame.sort("row", "key")
    told = lines.select("row", "key", "status", NEW + "stock").rows()
    assert told == [(1, "p", "changed", "4"), (1, "q", "changed", "7"), (2, "q", "left out", "3")]


def test_versions_tell_how_rows_are_found():
    def bundle(**identity):
        return Bundle(crosswalk=Crosswalk.model_validate({"identity": identity}))

    ways = [{"fields": ["code", "name"], "ignore": ["case", "leading_zeros"]}, {"fields": ["sku"]}]
    more = bundle(ways=ways, article="No", several="each", rows="sum", unmatched="wait")
    assert differences(bundle(), more) == [
        "the feed now finds products by code and name, whatever the case and leading zeros, "
        "then sku",
        "the feed now knows articles by 'No'",
        "the feed now changes each product that a row finds",
        "the feed now takes the first, with the stock of all, of several rows",
        "the feed now lets rows without a product wait",
        "the feed no longer finds products by the store's key",
    ]
    assert differences(more, more) == []
