"""What restoring a snapshot would do, against a plain model; and snapshots as files."""

from __future__ import annotations

from datetime import UTC, datetime

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.changes.marks import NEW, OLD, OWNER
from nomotax.core.changes.restoring import MADE, counts_of, restored
from nomotax.core.changes.snapshot import (
    ABOUT,
    About,
    as_snapshot,
    metadata,
    read_about,
    read_rows,
)
from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.core.errors import UnreadableFile
from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import Role, StoreField, StoreSchema

#: A tackle shop's schema: its key is called as our own column is.
SCHEMA = StoreSchema(
    name="Tackle",
    key="key",
    fields=(
        StoreField(name="key", kind=FieldKind.IDENTIFIER, role=Role.KEY, required=True),
        StoreField(name="title", kind=FieldKind.TEXT, role=Role.TITLE, required=True),
        StoreField(name="reel", kind=FieldKind.INTEGER),
        StoreField(name="code", kind=FieldKind.IDENTIFIER, unique=True),
    ),
)
FIELDS = [f.name for f in SCHEMA.fields]
KEYS = ("Ø-1", "Ø-2", "007")


def products(state=(None, "hidden", "archived")):
    values = st.fixed_dictionaries(
        {
            "title": st.sampled_from(["Blinker", "Schwimmer"]),
            "reel": st.sampled_from([None, "1", "2"]),
            STATE: st.sampled_from(state),
        }
    )
    return st.dictionaries(st.sampled_from(KEYS), values)


def table(found, side):
    """Products by key as a frame; ``side`` is what values are marked with."""
    rows = [
        {"key": k, OWNER: "Lure & Co", (STATE if side == OLD else NEW + STATE): p[STATE]}
        | {side + f: p.get(f) for f in FIELDS}
        | {side + "key": k}
        for k, p in found.items()
    ]
    shape = dict.fromkeys(
        ["key", OWNER, STATE if side == OLD else NEW + STATE, *(side + f for f in FIELDS)],
        pl.String,
    )
    return pl.DataFrame(rows, schema=shape)


def compared(then, now, kept=None):
    return restored(table(then, NEW), table(now, OLD), SCHEMA, frozenset(), kept or {})


@settings(deadline=None)
@given(products(), products((None, "hidden", TAKEN_OUT)))
def test_what_restoring_writes_makes_the_catalog_the_snapshot(then, now):
    frame, result = compared(then, now), {k: dict(p) for k, p in now.items()}
    for row in frame.iter_rows(named=True):
        assert row[MADE] == (row["key"] not in now)
        product = result.setdefault(row["key"], {})
        product |= {f: row[NEW + f] for f in (row["fields"] if not row[MADE] else [*FIELDS, STATE])}
        assert all(
            row[OLD + f] == now.get(row["key"], {}).get(f) for f in row["fields"] if f != "key"
        )
    there = {
        k: {f: v for f, v in p.items() if f in ("title", "reel", STATE)}
        for k, p in result.items()
        if p[STATE] != TAKEN_OUT
    }
    assert there == then
    present = {k for k, p in now.items() if p[STATE] != TAKEN_OUT}
    counts = counts_of(frame)
    assert counts["put back"] == len(then.keys() - present)
    assert counts["taken out"] == len(present - then.keys()) and counts["stays"] == 0


def product(title="Blinker", **more):
    return {"title": title, STATE: None, **more}


@pytest.mark.parametrize(
    ("then", "now", "kept", "says"),
    [
        (product(reel="many"), product(), {}, "reel"),
        (product(reel="01"), product(), {}, "as the store writes it"),
        (product(title=None), product(), {}, "title"),
        (product(title="Pilker"), product(), {"title": ["007"]}, "kept by hand"),
    ],
)
def test_a_value_that_may_not_go_back_stays_and_says_why(then, now, kept, says):
    (line,) = compared({"007": then}, {"007": now}, kept).iter_rows(named=True)
    assert line["status"] == "stays" and says in line["reason"] and len(line["fields"]) == 1


def test_of_a_product_the_rest_goes_back_and_one_that_is_not_there_stays_away():
    then = {"007": product(title="Pilker", reel="many"), "Ø-1": product(reel="x")}
    frame = compared(then, {"007": product()})
    lines = {(r["key"], r["status"]): r["fields"] for r in frame.iter_rows(named=True)}
    assert lines == {("007", "changed"): ["title"], ("007", "stays"): ["reel"],
                     ("Ø-1", "stays"): []}  # fmt: skip


def test_a_value_that_all_must_differ_in_goes_back_to_one_alone():
    then = {"007": product(code="A"), "Ø-1": product(code="A")}
    frame = compared(then, {"007": product(), "Ø-1": product(code="B")})
    assert set(frame["status"]) == {"stays"} and "two products" in frame["reason"][0]


def about(**more):
    values = {"store": "Angel", "taken_at": datetime(2026, 11, 3, tzinfo=UTC), "products": 1,
              "key": "key", "table_schema": {}, "categories": {}}  # fmt: skip
    return About.model_validate(values | more)


def test_a_snapshot_is_one_file_that_says_what_it_is(tmp_path):
    catalog = table({"007": product(reel="1"), "gone": product() | {STATE: TAKEN_OUT}}, OLD)
    rows = as_snapshot(catalog)
    path = tmp_path / "angel.parquet"
    rows.write_parquet(path, metadata=metadata(about()))
    assert read_about(path).store == "Angel"
    back = read_rows(pl.read_parquet(path), about())
    assert compared({}, {}).is_empty() and back["key"].to_list() == ["007"]
    assert restored(back, catalog, SCHEMA, frozenset(), {}).is_empty()


GOOD = pl.DataFrame({"$supplier": ["S"], "$state": ["live"], "key": ["1"]})


@pytest.mark.parametrize(
    ("rows", "said", "says"),
    [
        (GOOD, None, "no snapshot"),
        (GOOD, about(format=2), "format 2"),
        (GOOD.drop("$state"), about(), "no column '$state'"),
        (GOOD.with_columns(key=pl.lit(1)), about(), "hold text"),
        (pl.concat([GOOD, GOOD]), about(products=2), "1 keys stand on 2 rows"),
        (GOOD, about(products=7), "says 7 products"),
        (GOOD.with_columns(pl.lit("lost").alias("$state")), about(), "lost"),
        (GOOD.with_columns(pl.lit(None, pl.String).alias("$supplier")), about(), "no supplier"),
    ],
)
def test_any_other_file_is_refused(tmp_path, rows, said, says):
    path = tmp_path / "f.parquet"
    rows.write_parquet(path, metadata=metadata(said) if said else {ABOUT + "x": ""})
    with pytest.raises(UnreadableFile, match=says.replace("$", r"\$")):
        read_about(path)


def test_a_file_of_another_kind_is_no_snapshot(tmp_path):
    path = tmp_path / "f.csv"
    path.write_text("sku;name\n1;x\n")
    with pytest.raises(UnreadableFile, match="no snapshot"):
        read_about(path)
