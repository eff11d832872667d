"""Rows of a trial, and the model of many edits of a tree: what the records say after all."""

from __future__ import annotations

import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from sqlalchemy import text

from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.errors import NomotaxError
from nomotax.core.lookups.tables import CategoryTable
from nomotax.core.lookups.tree import TreeEdit
from nomotax.core.pricing.ladder import Ladder, Match, Rule, Rung
from nomotax.core.table import ROW
from nomotax.flows import tree
from nomotax.flows.preparing import RowRange
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.whole import products_of

EDGES = st.one_of(st.none(), st.integers(1, 12))


@given(EDGES, EDGES, st.integers(0, 10))
def test_a_trial_has_the_rows_between_its_ends_and_no_others(first, last, rows):
    frame = pl.DataFrame({ROW: list(range(1, rows + 1))}, schema={ROW: pl.UInt32})
    if first and last and first > last:
        with pytest.raises(ValidationError, match="ends at a row"):
            RowRange(first=first, last=last)
        return
    chosen = RowRange(first=first, last=last)
    wanted = [n for n in range(1, rows + 1) if (first or 1) <= n <= (last or rows)]
    assert chosen.cut(frame)[ROW].to_list() == wanted
    assert chosen.partial == (first is not None or last is not None)


@given(st.integers(1, 20), st.integers(0, 20))
def test_trials_one_after_the_other_have_every_row_once(cut, rows):
    frame = pl.DataFrame({ROW: list(range(1, rows + 1))}, schema={ROW: pl.UInt32})
    parts = [RowRange(last=cut).cut(frame), RowRange(first=cut + 1).cut(frame)]
    assert pl.concat(parts)[ROW].to_list() == frame[ROW].to_list()


NAMES = st.sampled_from(["Painting", "Paper", "Brushes", "New"])


def edits_of(paths):
    return st.lists(
        st.builds(
            TreeEdit,
            do=st.sampled_from(["add", "rename", "move", "merge", "delete"]),
            path=st.one_of(st.sampled_from(paths), NAMES),
            to=st.one_of(st.sampled_from(paths), NAMES, st.just("")),
        ),
        min_size=1,
        max_size=4,
    )


def everything(store):
    """All that an edit of the tree could touch."""
    with session() as db:
        paths = Stores(db).tree(store)
        saved = LookupsRepository(db, store).all()
        places, ladder = saved.category_tables["words"], saved.ladders["by group"]
        walks = Crosswalks(db, store).by_feed()
        drafts = [
            walks[known_id(f)].draft["fills"].get("category") for f, _ in Feeds(db, store).all()
        ]
    content = products_of(store, ["category", "more_categories"]).sort("key")
    return content.rows(), paths, places, ladder, drafts


def placed(store, paths):
    """A placement to each category, a price rule for four of them, a constant for each feed, and
    products of which some stand in several."""
    with session() as db:
        places = {p: p for p in paths}
        rungs = (Rung(start=0, amount=50),)
        when = (Match(field="category", words=tuple(paths[:4])),)
        rule = Rule(name="some", when=when, rungs=rungs)
        lookups = LookupsRepository(db, store)
        lookups.save(CategoryTable(name="words", placements=places))
        lookups.save(Ladder(name="by group", rungs=rungs, rules=(rule,)))
        walks = Crosswalks(db, store)
        for at, record in enumerate(walks.by_feed().values()):
            fill = Fill(parts=(Part(text=paths[at]),))
            walks.edit(record, Crosswalk(fills={"category": fill}))
        more = " | ".join(paths[:3])
        db.connection().execute(
            text(
                "update products set content = content || jsonb_build_object("
                "'more_categories', cast(:more as text)) where id % 3 = 0"
            ),
            {"more": more},
        )


# The database is the same for all examples: each takes back all that it has done.
@settings(max_examples=8, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_any_edits_taken_back_in_turn_leave_the_store_as_it_was(demo, data):
    with session() as db:
        paths = Stores(db).category_paths(demo)
        fresh = "words" not in LookupsRepository(db, demo).all().category_tables
    if fresh:
        placed(demo, paths)
    before, made = everything(demo), []
    for edit in data.draw(edits_of(paths)):
        try:
            told = tree.touch(demo, edit)
            done = tree.edit_tree(demo, edit)
        except NomotaxError:
            continue
        assert done.touch == told
        made.append(done.id)
        rows, now, *_ = everything(demo)
        assert all(c in now for _, _, c, *_ in rows if c)
    for number in reversed(made):
        tree.undo_tree(demo, number)
    assert everything(demo) == before
