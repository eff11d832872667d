"""What is declined until the supplier changes it, against a plain model of values."""

from __future__ import annotations

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.changes.remembered import (
    ARTICLES,
    DECLINED_BEFORE,
    REMEMBERED,
    not_made,
    said_by,
    without_declined,
)
from nomotax.core.changes.verdicts import Verdict, Verdicts

FIELDS, LABELS = ("price", "name"), ("Price", "Name")
KEYS = ("A", "B", "C")

values = st.none() | st.sampled_from(["1.00", "2.00", "3.00"])
cells = st.fixed_dictionaries({(k, f): values for k in KEYS for f in FIELDS})
remembered = st.dictionaries(
    st.sampled_from([(k, f) for k in (*KEYS, "X") for f in FIELDS]), values
)


@given(cells, cells, remembered)
def test_a_declined_value_leaves_what_is_there_and_another_one_is_written(holds, says, declined):
    sides = [side + f for side in ("old:", "new:") for f in FIELDS]
    rows = pl.DataFrame(
        [{"key": k} | {"old:" + f: holds[k, f] for f in FIELDS}
         | {"new:" + f: says[k, f] for f in FIELDS} for k in KEYS],
        schema=dict.fromkeys(("key", *sides), pl.String),
    )  # fmt: skip
    memory = pl.DataFrame([(k, f, v) for (k, f), v in declined.items()],
                          schema=REMEMBERED, orient="row")  # fmt: skip
    left = without_declined(rows, memory, FIELDS, LABELS)
    assert left.columns == [*rows.columns, DECLINED_BEFORE] and left.height == len(KEYS)
    for row in left.iter_rows(named=True):
        key, said = row["key"], []
        for field, label in zip(FIELDS, LABELS, strict=True):
            before, wanted = holds[key, field], says[key, field]
            stays = (key, field) in declined and declined[key, field] == wanted
            assert row["new:" + field] == (before if stays else wanted)
            assert row["old:" + field] == before
            if stays and wanted != before:
                said.append(f"{label} {wanted or 'empty'}")
        assert row[DECLINED_BEFORE] == (f"declined before: {', '.join(said)}" if said else None)


rules = st.lists(
    st.tuples(
        st.sampled_from(["accept", "decline"]),
        st.booleans(),
        st.sampled_from(["", *FIELDS]),
        st.sets(st.integers(0, 2), min_size=1),
    ),
    max_size=6,
)


@given(
    cells,
    cells,
    rules,
    st.lists(st.sampled_from(["changed", "new"]), min_size=3, max_size=3),
)
def test_what_is_remembered_is_what_the_last_rule_declines_so(holds, says, decided, fates):
    lines = pl.DataFrame(
        [{"key": k, "status": fate,
          "fields": [f for f in FIELDS if holds[k, f] != says[k, f]]}
         | {"new:" + f: says[k, f] for f in FIELDS} for k, fate in zip(KEYS, fates, strict=True)],
        schema={"key": pl.String, "status": pl.String, "fields": pl.List(pl.String),
                "new:price": pl.String, "new:name": pl.String},
    )  # fmt: skip
    verdicts, last = Verdicts(len(KEYS)), {}
    for verdict, remember, field, at in decided:
        own = {"verdict": verdict, "of": {"keys": [KEYS[n] for n in at]}, "field": field}
        rule = Verdict.model_validate(own | {"remember": remember})
        verdicts = verdicts.after(rule, pl.Series(sorted(at), dtype=pl.UInt32))
        for n in at:
            for one in [field] if field else FIELDS:
                last[n, one] = verdict == "decline" and remember
    found = verdicts.remembered(lines, pl.int_range(0, len(KEYS), eager=True))
    expected = {
        (key, f, says[key, f])
        for n, (key, fate) in enumerate(zip(KEYS, fates, strict=True)) if fate == "changed"
        for f in FIELDS if holds[key, f] != says[key, f] and last.get((n, f))
    }  # fmt: skip
    assert {*found.rows()} == expected and found.height == len(expected)
    assert dict(found.schema) == REMEMBERED


articles = st.lists(
    st.tuples(
        st.none() | st.sampled_from(KEYS), st.fixed_dictionaries(dict.fromkeys(FIELDS, values))
    ),
    max_size=5,
)


@given(articles, articles)
def test_a_product_is_not_made_while_its_row_says_what_it_said(before, now):
    def frame(rows):
        made = [{"article": a, "new:sku": f"N{n}"} | {"new:" + f: v for f, v in said.items()}
                for n, (a, said) in enumerate(rows)]  # fmt: skip
        names = ("article", "new:sku", *("new:" + f for f in FIELDS))
        return pl.DataFrame(made, schema=dict.fromkeys(names, pl.String), orient="row")

    told = frame(before).drop_nulls("article")
    memory = told.select("article", said_by(told, "sku")).cast(ARTICLES)
    # Keys are given anew each time, and say nothing; nor does a column in which nothing stands.
    wider = frame(now).with_columns(pl.lit(None, pl.String).alias("new:$state"))
    found = not_made(wider, memory, "sku").to_list()
    assert found == not_made(frame(now), memory, "sku").to_list()
    assert found == [a is not None and (a, said) in before for a, said in now]


whole_rules = st.lists(
    st.tuples(
        st.sampled_from(["accept", "decline"]),
        st.booleans(),
        st.sampled_from(["", "price"]),
        st.sets(st.integers(0, 2), min_size=1),
    ),
    max_size=6,
)
numbers = st.lists(st.none() | st.sampled_from(["7", "8"]), min_size=3, max_size=3)


@given(whole_rules, numbers, st.lists(st.sampled_from(["new", "changed", "same"]), min_size=3,
                                      max_size=3), cells)  # fmt: skip
def test_articles_are_kept_from_by_the_last_word_about_the_whole_product(
    decided, articles_of, fates, says
):
    """A new product is decided as a whole: what is said of one of its fields says nothing."""
    lines = pl.DataFrame(
        [{"key": k, "status": fate, "article": article, "fields": [*FIELDS], "new:sku": k}
         | {"new:" + f: says[k, f] for f in FIELDS}
         for k, fate, article in zip(KEYS, fates, articles_of, strict=True)],
        schema={"key": pl.String, "status": pl.String, "article": pl.String,
                "fields": pl.List(pl.String),
                **dict.fromkeys(("new:sku", *("new:" + f for f in FIELDS)), pl.String)},
    )  # fmt: skip
    verdicts, last = Verdicts(len(KEYS)), {}
    for verdict, remember, field, at in decided:
        own = {"verdict": verdict, "of": {"keys": [KEYS[n] for n in at]}, "field": field}
        rule = Verdict.model_validate(own | {"remember": remember})
        verdicts = verdicts.after(rule, pl.Series(sorted(at), dtype=pl.UInt32))
        if not field:
            last |= dict.fromkeys(at, verdict == "decline" and remember)
    found = verdicts.not_made(lines, pl.int_range(0, len(KEYS), eager=True), "sku")
    wanted = [
        n for n in range(len(KEYS))
        if last.get(n) and fates[n] == "new" and articles_of[n] is not None
    ]  # fmt: skip
    assert found["article"].to_list() == [articles_of[n] for n in wanted]
    assert found["said"].to_list() == said_by(lines, "sku").gather(wanted).to_list()
    # Two that say the same are told apart by their numbers alone.
    for one in wanted:
        for other in wanted:
            alike = all(says[KEYS[one], f] == says[KEYS[other], f] for f in FIELDS)
            at, to = wanted.index(one), wanted.index(other)
            assert (found["said"][at] == found["said"][to]) == alike
