"""Variants with options, pictures of archives, several categories, feeds that only complete."""

from __future__ import annotations

import polars as pl
import pytest

from nomotax.core.changes.marks import OWNER
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.flow.context import Context, Lookups
from nomotax.core.lookups.tables import CategoryTable
from nomotax.core.reading.pictures import index_of, pictures_in
from nomotax.core.schema.model import StoreSchema
from nomotax.core.table import FAULT, ROW
from tests.core.in_pieces import compare
from tests.core.reading import files

SCHEMA = StoreSchema.model_validate(
    {
        "name": "s",
        "key": "sku",
        "fields": [
            {"name": "sku", "required": True},
            {"name": "name", "required": True},
            {"name": "of", "role": "group"},
            {"name": "options", "kind": "options", "role": "options"},
            {"name": "groups", "kind": "categories"},
            {"name": "shown", "kind": "links", "role": "pictures"},
            {"name": "said", "kind": "texts", "role": "picture_texts", "of": "shown"},
        ],
    }
)
TABLES = Lookups(
    category_tables={
        "t": CategoryTable(name="t", placements={"1": "A", "1/2": "B", "3": "", "4": "A"})
    }
)
INDEX = index_of([("in/Pics/One.PNG", "picture:1"), ("in/a/two.jpg", "picture:2"),
                  ("in/b/two.jpg", "picture:3"), ("in/c/same.jpg", "picture:4"),
                  ("in/d/same.jpg", "picture:4")])  # fmt: skip


def run(rows, fills, columns=("k", "a", "b", "g"), **crosswalk):
    """The plan's result and the problems as (row, field, kind)."""
    frame = pl.DataFrame(rows, schema=dict.fromkeys(columns, pl.String), orient="row")
    frame = frame.with_row_index(ROW, 1).with_columns(pl.lit(None, pl.String).alias(FAULT))
    fills = {"sku": {"parts": [{"column": "k"}]}, "name": {"parts": [{"text": "n"}]}} | fills
    said = Crosswalk.model_validate({"fills": fills, **crosswalk})
    plan = compile_plan(said, SCHEMA, Context(lookups=TABLES, pictures=INDEX), columns)
    filled = plan.fill(frame)
    problems = problems_of(filled, plan, frame)
    return frame, plan, filled, problems.select("row", "field", "kind").rows()


OPTIONS = {
    "of": {"parts": [{"column": "g"}]},
    "options": {
        "steps": [
            {
                "do": "options",
                "options": [
                    {"name": "Size", "column": "a"},
                    {"name_column": "g", "column": "b"},
                ],
            }
        ]
    },
}


def test_options_are_written_in_order_and_missing_ones_left_out():
    rows = [("1", "30 | 40", "red", "Colour:"), ("2", None, "blue", "Hue"), ("3", None, None, "H")]
    _, _, filled, problems = run(rows, OPTIONS)
    assert filled["options"].to_list() == ["Size: 30 40 | Colour: red", "Hue: blue", None]
    assert problems == []


def test_variants_that_cannot_be_told_apart_are_refused():
    """The same options twice, or other option names than the first of the group; a product of
    its own, without a group, may have any."""
    rows = [("1", "S", None, "P"), ("2", "M", None, "P"), ("3", "S", None, "P"),
            ("4", None, "red", "P"), ("5", "S", None, None), ("6", "S", None, "Q")]  # fmt: skip
    _, _, _, problems = run(rows, OPTIONS)
    assert problems == [(1, "options", "alike_variants"), (3, "options", "alike_variants"),
                        (4, "options", "other_options")]  # fmt: skip


@pytest.mark.parametrize(
    ("named", "found", "kind"),
    [
        ("One.png", "picture:1", None),
        ("pics\\one", "picture:1", None),
        ("./in/pics/one.png|a/two.jpg", "picture:1 | picture:2", None),
        ("same.jpg", "picture:4", None),
        ("http://x.example/1.png", "http://x.example/1.png", None),
        ("two.jpg", None, "several_pictures"),
        ("one.png|three.png", "picture:1", "no_picture"),
        (None, None, None),
    ],
    ids=str,
)
def test_pictures_are_found_by_their_names(named, found, kind):
    steps = [{"do": "split", "at": "|"}, {"do": "picture_files"}]
    fills = {"name": {"parts": [{"column": "a"}], "steps": steps}}
    _, _, filled, problems = run([("1", named, None, None)], fills)
    assert filled["name"].to_list() == [found]
    kinds = [k for _, _, k in problems if k != "missing"]
    assert kinds == ([kind] if kind else [])


def test_an_archives_pictures_keep_their_addresses(tmp_path):
    first = files.zipped({"a.csv": b"k\n1\n", "p/x.png": b"one", "p/y.PNG": b"two"})
    again = files.zipped({"q/other.png": b"one"})
    seen = [
        list(pictures_in(files.put(tmp_path, f"{n}.zip", d)))
        for n, d in (("1", first), ("2", again))
    ]
    assert [p.name for p in seen[0]] == ["p/x.png", "p/y.PNG"]
    assert seen[0][0].address == seen[1][0].address != seen[0][1].address
    assert list(pictures_in(files.put(tmp_path, "a.csv", b"k\n1\n"))) == []


def test_more_texts_than_pictures_are_refused():
    fills = {
        "shown": {"parts": [{"column": "a"}], "steps": [{"do": "split", "at": " "}]},
        "said": {"parts": [{"column": "b"}], "steps": [{"do": "split", "at": ","}]},
    }
    first, second = "http://x.example/1", "http://x.example/2"
    rows = [("1", f"{first} {second}", "front, back", None),
            ("2", first, "front, back", None), ("3", None, "lost", None)]  # fmt: skip
    _, _, filled, problems = run(rows, fills)
    assert filled["said"].to_list() == ["front | back", "front | back", "lost"]
    assert problems == [(2, "said", "more_texts"), (3, "said", "more_texts")]


def test_a_product_has_several_categories():
    """Each path of a list is placed; branches that are not sold go, and none stands twice; a path
    that nothing covers is asked about by its own name."""
    steps = [{"do": "split", "at": ";"}, {"do": "category_table", "table": "t"}]
    fills = {"groups": {"parts": [{"column": "a"}], "steps": steps}}
    rows = [("1", "1/2; 4;1; 3", None, None), ("2", "3", None, None), ("3", "4;9", None, None)]
    frame, plan, filled, problems = run(rows, fills)
    assert filled["groups"].to_list() == ["B | A", None, "A"]
    assert problems == [(3, "groups", "unplaced_category")]
    assert problems_of(filled, plan, frame)["seen"].to_list() == ["9"]


def test_a_feed_may_only_complete_products():
    """It needs none of the required fields, makes no product, and misses none."""
    fills = {"sku": {"parts": [{"column": "k"}]}, "name": {"parts": [{"column": "a"}]}}
    rows = [("1", "new name", None, None), ("2", None, None, None), ("9", "x", None, None)]
    frame, plan, _, problems = run(rows, fills, policy={"products": "change"})
    assert problems == []
    catalog = pl.DataFrame(
        {
            "key": ["1", "2", "3"],
            OWNER: ["A"] * 3,
            "old:sku": ["1", "2", "3"],
            "old:name": ["a", "b", "c"],
            "$state": [None, "hidden", None],
        }
    )
    made = compare(frame, plan, catalog, "A")
    assert made.frame.select("key", "status").rows() == [
        ("1", "changed"), ("2", "same"), ("9", "rejected")
    ]  # fmt: skip
    assert made.problems["kind"].to_list() == ["not_in_catalog"]
    out = compare(frame, plan, catalog.with_columns(pl.lit("out").alias("$state")), "A")
    assert set(out.frame["status"]) == {"rejected"}, "what was taken out is not completed"
