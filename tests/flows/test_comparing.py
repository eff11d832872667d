"""The pieces of a comparison, kept as they are or parted by what becomes of their rows."""

from __future__ import annotations

import tempfile
from pathlib import Path

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.changes.diff import STATUSES, Comparison, as_lines
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.flow.context import Context
from nomotax.core.schema.model import StoreSchema
from nomotax.core.table import FAULT, ROW
from nomotax.flows import comparing
from nomotax.flows.comparing import Compared, compared
from tests.core.in_pieces import compare, held

fates = st.lists(st.sampled_from(STATUSES), max_size=12)


@given(st.lists(fates, min_size=1, max_size=4))
def test_lines_lie_together_by_their_fate_and_none_is_lost(pieces):
    with tempfile.TemporaryDirectory() as folder:
        found, row = Compared(Path(folder)), 0
        for own in pieces:
            numbers = list(range(row, row + len(own)))
            row += len(own)
            frame = pl.DataFrame(
                {"row": numbers, "status": own}, schema={"row": pl.UInt32, "status": pl.String}
            )
            found.add(found.keep(frame), frame["status"])
        lines = found.lines()
        whole = lines.collect()
        every = [fate for own in pieces for fate in own]
        assert found.counts == {status: every.count(status) for status in STATUSES}
        assert sorted(whole["row"].to_list()) == list(range(row))
        told = dict(zip(whole["row"], whole["status"], strict=True))
        assert [told[n] for n in range(row)] == every
        # Each fate lies in one stretch, in the order of its rows.
        stretches = whole["status"].rle_id().n_unique() if whole.height else 0
        assert stretches == len({*every})
        # What came first lies first, so that the same delivery is kept in the same order.
        first = list(dict.fromkeys(every))
        assert whole["status"].unique(maintain_order=True).to_list() == first
        for status in {*every}:
            own = whole.filter(pl.col("status") == status)["row"]
            assert own.is_sorted()


def test_a_piece_of_one_fate_is_not_written_again(tmp_path):
    found = Compared(tmp_path)
    one = pl.DataFrame({"row": [1, 2], "status": ["new", "new"]})
    found.add(found.keep(one), one["status"])
    assert len(list(tmp_path.iterdir())) == 1
    two = pl.DataFrame({"row": [3, 4], "status": ["new", "held"]})
    found.add(found.keep(two), two["status"])
    assert len(list(tmp_path.iterdir())) == 4
    assert found.lines().collect()["row"].to_list() == [1, 2, 3, 4]


SCHEMA = StoreSchema.model_validate({
    "name": "Lampes", "key": "sku",
    "fields": [{"name": "sku", "role": "key", "required": True},
               {"name": "nom", "role": "title", "required": True},
               {"name": "stock", "kind": "integer", "role": "stock"}],
})  # fmt: skip
CROSSWALK = Crosswalk.model_validate({
    "fills": {
        "sku": {"parts": [{"column": "Réf"}]},
        "nom": {"parts": [{"column": "Nom"}]},
        "stock": {"parts": [{"column": "Qté"}], "steps": [{"do": "number"}]},
    },
    "identity": {"rows": "sum"},
})  # fmt: skip
CATALOG = {"L1": ("Un", "4"), "L2": ("Deux", "5"), "L7": ("Sept", "1")}
rows = st.lists(
    st.tuples(
        st.none() | st.sampled_from(["L1", "L2", "L3", "L4"]),
        st.none() | st.sampled_from(["Un", "Deux", "Trois"]),
        st.none() | st.sampled_from(["4", "5", "rien"]),
    ),
    max_size=9,
)


def arriving(table):
    kinds = dict.fromkeys(("Réf", "Nom", "Qté"), pl.String)
    frame = pl.DataFrame(table, schema=kinds, orient="row")
    numbered = frame.with_row_index(ROW, 1)
    return numbered.with_columns(pl.lit(None, pl.String).alias(FAULT))


def stored():
    lines = [(key, "Moi", None, *own) for key, own in CATALOG.items()]
    names = ["key", "__owner", "__state", "old:nom", "old:stock"]
    return pl.DataFrame(lines, schema=dict.fromkeys(names, pl.String), orient="row").with_columns(
        pl.col("key").alias("old:sku")
    )


@given(rows, st.integers(1, 4))
def test_on_the_disk_it_is_the_same_as_in_memory(table, size):
    plan = compile_plan(CROSSWALK, SCHEMA, Context(), ["Réf", "Nom", "Qté"])
    brought = pl.DataFrame({"key": ["L1", "L7"], "times": [1, 1]})
    whole = compare(arriving(table), plan, stored(), "Moi", brought=brought, size=100)
    comparison = Comparison(plan, held(stored()), "Moi", 1)
    told: list[tuple[int, int]] = []
    before, comparing.PIECE = comparing.PIECE, size
    try:
        with compared(
            arriving(table).lazy(), comparison, brought, lambda *done: told.append(done)
        ) as found:
            lines = found.lines().collect()
            assert found.counts == whole.counts() and found.rows == len(table)
            by = ["row", "key"]
            same = lines.sort(by, nulls_last=True).select(whole.frame.columns)
            assert same.equals(whole.frame.sort(by, nulls_last=True))
            assert pl.concat(found.pieces, how="diagonal").collect()["row"].to_list() == list(
                range(1, len(table) + 1)
            )
            assert sum(len(one.collect()) for one in found.gone) == found.counts["gone"]
    finally:
        comparing.PIECE = before
    # Progress is told as it is: it rises, and ends with all.
    assert told == sorted(told) and (not table or told[-1] == (len(table), len(table)))


def test_what_is_judged_is_set_over_what_was_taken():
    taken = pl.DataFrame(
        {"row": [1, 2], "key": ["A", "B"], "title": ["a", "b"], "fields": [["x"], ["x"]],
         "__known": [True, False], "new:x": ["1", "2"], "old:x": [None, None],
         "article": ["7", "8"], "print": [1, 2], "aside": ["", ""]},
    )  # fmt: skip
    judged = pl.DataFrame(
        {"status": ["held", "new"], "reason": ["why", None], "fields": [[], ["x"]],
         "new:x": ["1", "3"]},
        schema_overrides={"fields": pl.List(pl.String)},
    )  # fmt: skip
    lines = as_lines(taken.lazy(), judged.lazy()).collect()
    assert lines.columns == ["row", "key", "title", "status", "reason", "fields", "new:x", "old:x",
                             "article", "print", "aside"]  # fmt: skip
    assert lines["new:x"].to_list() == ["1", "3"] and lines["fields"].to_list() == [[], ["x"]]


@pytest.mark.parametrize("size", [1, 2, 50])
def test_a_delivery_without_rows_has_no_lines(size):
    plan = compile_plan(CROSSWALK, SCHEMA, Context(), ["Réf", "Nom", "Qté"])
    comparison = Comparison(plan, held(stored()), "Moi", 1)
    with compared(arriving([]).lazy(), comparison, None, lambda *_: None) as found:
        assert found.lines().collect().height == 0 and sum(found.counts.values()) == 0
        assert {"row", "key", "status", "new:nom"} <= {*found.lines().collect_schema()}
    assert size
