"""The category tree: a model of products in categories against thousands of edits."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.retree import (
    crosswalk_moved,
    formulas_naming,
    ladder_moved,
    placements_back,
    placements_moved,
)
from nomotax.core.errors import Conflict, NomotaxError, NotFound, UnfitValue, UnreadableFile
from nomotax.core.lookups.tables import CategoryTable
from nomotax.core.lookups.tree import TreeEdit, edited, inverse, with_parents
from nomotax.core.lookups.tree_file import read_tree
from nomotax.core.pricing.ladder import Ladder, Match, Rule, Rung

NAMES = st.sampled_from(["A", "B", "C", "D"])
PATHS = st.lists(NAMES, min_size=1, max_size=4).map(" > ".join)
EDITS = st.builds(
    TreeEdit,
    do=st.sampled_from(["add", "rename", "move", "merge", "delete"]),
    path=PATHS,
    to=st.one_of(PATHS, NAMES, st.just("")),
)
TREE = frozenset(
    p for path in ("Paint > Oil > Tubes", "Paint > Gouache", "Paper") for p in with_parents(path)
)


def whole(tree):
    return {p for path in tree for p in with_parents(path)}


@given(st.sets(PATHS, max_size=8).map(whole), st.lists(EDITS, max_size=6))
def test_every_product_keeps_a_place_in_a_whole_tree(tree, edits):
    """After any edits each parent stands, and each product is where the edits say, or nowhere
    only if a category was deleted without a place for its products."""
    products = dict(enumerate(sorted(tree)))
    for edit in edits:
        try:
            change = edited(tree, edit)
        except NomotaxError:
            continue
        tree = change.paths
        products = {n: change.moves.get(p, p) for n, p in products.items()}
        assert whole(tree) == tree
        assert all(p in tree or not p for p in products.values())
        if edit.do != "delete" or edit.to:
            assert all(new in tree for new in change.moves.values())


@given(st.sets(PATHS, max_size=8).map(whole), EDITS)
def test_an_edit_turned_round_gives_the_tree_back(tree, edit):
    try:
        change = edited(tree, edit)
    except NomotaxError:
        return
    back = inverse(edit, change.moves)
    if back is None:
        assert edit.do in ("merge", "delete") and change.lossy
        return
    if edit.do == "add":
        assert edited(change.paths, back).paths <= tree | change.paths - {edit.path}
        return
    again = edited(change.paths, back)
    assert again.paths == tree
    assert {p: again.moves.get(n, n) for p, n in change.moves.items()} == {
        p: p for p in change.moves
    }


@pytest.mark.parametrize(
    ("do", "path", "to", "error", "says"),
    [
        ("rename", "Ink", "Inks", NotFound, "no category 'Ink'"),
        ("rename", "Paint", "Colour > Paint", UnfitValue, "no name of one category"),
        ("rename", "Paint", "Paper", Conflict, "merge them"),
        ("move", "Paint", "Paint > Oil", UnfitValue, "below itself"),
        ("move", "Paint > Oil", "Ink", NotFound, "no category 'Ink'"),
        ("merge", "Paint", "Paint > Oil", UnfitValue, "part of itself"),
        ("delete", "Paint", "Paint > Oil", UnfitValue, "deleted as well"),
        ("add", "Paint>Oil", "", Conflict, "there already"),
        ("add", " > ", "", UnfitValue, "needs a name"),
    ],
)
def test_an_edit_that_cannot_be_says_why(do, path, to, error, says):
    with pytest.raises(error) as refused:
        edited(TREE, TreeEdit(do=do, path=path, to=to))
    assert says in str(refused.value)


def test_a_merge_brings_what_is_below_together():
    change = edited(TREE | {"Paper > Gouache"}, TreeEdit(do="merge", path="Paint", to="Paper"))
    assert change.moves["Paint > Gouache"] == "Paper > Gouache"
    assert "Paper > Oil > Tubes" in change.paths and "Paint" not in change.paths


@pytest.mark.parametrize(
    ("names", "rows", "paths"),
    [
        (["path"], [["A/B"], ["A/C"], ["A/B/D"]], ["A", "A > B", "A > C", "A > B > D"]),
        (["A -> B"], [["A -> C"], ["E -> F"], ["E -> G"]],
         ["A", "A > B", "A > C", "E", "E > F", "E > G"]),
        (["id", "name"], [["1", "A > B"], ["2", "A > C"]], ["A", "A > B", "A > C"]),
        (["Level 1", "Level 2"], [["A", ""], ["", "B"], ["", "C"], ["D", "E"]],
         ["A", "A > B", "A > C", "D", "D > E"]),
        (["A", "B"], [["A", "C"], ["D", "E"]], ["A", "A > B", "A > C", "D", "D > E"]),
        (["Top", "Sub"], [["Nuts > bolts", "M3"], ["Tools", "Saws"], ["Oils", ""], ["Glue", ""]],
             ["Nuts - bolts", "Nuts - bolts > M3", "Tools", "Tools > Saws", "Oils", "Glue"]),
    ],
)  # fmt: skip
def test_a_tree_is_read_from_paths_and_from_levels(names, rows, paths):
    assert read_tree(names, rows) == paths


def test_a_file_without_categories_is_refused():
    with pytest.raises(UnreadableFile, match="no categories"):
        read_tree(["path"], [[""], [None]])


MOVES = {"Paint": "Colour", "Paint > Oil": "Colour > Oil", "Ink": ""}


def test_placements_follow_and_come_back_unless_changed_since():
    """One that leads nowhere is asked about again; it does not become "not sold"."""
    was = CategoryTable(
        name="t", fallback="Paint",
        placements={"a": "Paint", "b": "Ink", "c": "", "d": "Paper", "e": "Paint > Oil"},
    )  # fmt: skip
    led = placements_moved(was, MOVES)
    assert led.placements == {"a": "Colour", "c": "", "d": "Paper", "e": "Colour > Oil"}
    assert led.fallback == "Colour"
    since = led.model_copy(update={"placements": led.placements | {"e": "Paper"}})
    back = placements_back(since, was, MOVES)
    assert back.placements == {"a": "Paint", "b": "Ink", "c": "", "d": "Paper", "e": "Paper"}
    assert back.fallback == "Paint"


def test_price_rules_and_constants_follow(schema):
    rungs = (Rung(start=0, amount=50),)
    words = ("paint", "PAINT > OIL", "Paper")
    rule = Rule(name="r", when=(Match(field="category", words=words),), rungs=rungs)
    led = ladder_moved(Ladder(name="l", rungs=rungs, rules=(rule,)), schema, MOVES)
    assert led.rules[0].when[0].words == ("Colour", "Colour > Oil", "Paper")
    fills = {
        "category": Fill(
            parts=(Part(text="Paint"),), steps=({"do": "default", "text": "Paint > Oil"},)
        ),
        "brand": Fill(parts=(Part(text="Paint"),)),
        "colour": Fill(steps=({"do": "formula", "formula": 'IF([A]="Paint > Oil";1;2)'},)),
    }
    moved = crosswalk_moved(Crosswalk(fills=fills), schema, MOVES)
    assert moved.fills["category"].parts[0].text == "Colour"
    assert moved.fills["category"].steps[0].text == "Colour > Oil"
    assert moved.fills["brand"].parts[0].text == "Paint"
    assert list(formulas_naming(moved, MOVES)) == ["colour"]
