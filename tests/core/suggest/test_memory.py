"""What the store decided before, in any feed and any spelling."""

from __future__ import annotations

from types import SimpleNamespace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.suggest.memory import Memory, likeliest, remembered_first
from nomotax.core.suggest.weighing import MOST, Proposal


def memory(values=(), categories=(), own="own"):
    saved = SimpleNamespace(
        value_tables={n: ValueTable(name=n, entries=e) for n, e in dict(values).items()},
        category_tables={
            n: CategoryTable(name=n, separator=" > ", placements=p)
            for n, p in dict(categories).items()
        },
    )
    return Memory(saved, own)


COLOURS = ("Red", "Blue", "White")


@pytest.mark.parametrize("word", ["Rojo", "ROJO", " rojo ", "Rójo", "rojo."])
def test_a_word_is_the_same_in_any_spelling(word):
    (found,) = memory({"one": {"Rojo": "Red"}}).words(word, COLOURS)
    assert (found.place, found.sure) == ("Red", True) and "'one'" in found.reason


def test_the_answer_that_most_tables_have_comes_first():
    tables = {"a": {"ecru": "White"}, "b": {"Ecru": "White"}, "c": {"écru": "Red"}}
    found = memory(tables).words("ECRU", COLOURS)
    assert [(p.place, p.sure) for p in found] == [("White", False), ("Red", False)]
    assert "1 more" in found[0].reason


def test_neither_the_tables_own_answers_nor_words_that_the_field_lacks_are_repeated():
    tables = {"own": {"rojo": "Red"}, "other": {"verde": "Green"}}
    kept = memory(tables)
    assert kept.words("rojo", COLOURS) == [] and kept.words("verde", COLOURS) == []
    assert [p.place for p in kept.words("verde", ())] == ["Green"]


TREE = {"Malen > Pinsel": "Paint > Brushes", "Malen > Öl": "Paint > Oils", "Papier": "Paper"}
PLACES = ("Paint > Brushes", "Paint > Oils", "Paper", "Paint > Knives")


@pytest.mark.parametrize(
    ("path", "place", "sure"),
    [
        (("Malen", "Pinsel"), "Paint > Brushes", True),
        (("MALEN", "pinsel"), "Paint > Brushes", True),
        # Beneath another branch a pair still counts, a name alone is no ground to be sure.
        (("Neu", "Malen", "Öl"), "Paint > Oils", False),
        (("Zubehör", "Pinsel"), "Paint > Brushes", False),
    ],
)
def test_a_tree_that_was_placed_helps_the_next_one(path, place, sure):
    found = memory(categories={"first": TREE}).places(path, PLACES)
    assert (found[0].place, found[0].sure) == (place, sure)
    assert "there in 'first'" in found[0].reason


def test_places_that_the_store_has_no_more_are_not_proposed():
    kept = memory(categories={"first": TREE})
    assert kept.places(("Malen", "Pinsel"), ["Paper"]) == []
    assert kept.places(("Nothing", "like it"), PLACES) == []


@given(
    st.lists(
        st.builds(
            Proposal,
            place=st.sampled_from("abcdefg"),
            score=st.integers(0, 100),
            sure=st.booleans(),
            reason=st.just(""),
        ),
        max_size=20,
    )
)
def test_the_likeliest_are_few_different_and_in_order(proposals):
    found = likeliest(proposals)
    assert len(found) == min(MOST, len({p.place for p in proposals}))
    assert len({p.place for p in found}) == len(found)
    assert [p.score for p in found] == sorted((p.score for p in found), reverse=True)
    for one in found:
        assert one.score == max(p.score for p in proposals if p.place == one.place)


def proposal(place, score, sure=False):
    return Proposal(place=place, score=score, sure=sure, reason="")


def test_a_decision_counts_more_than_what_a_word_means():
    decided = memory({"one": {"azul": "Red"}}).words("azul", COLOURS)
    meant = [proposal("Blue", 100, sure=True), proposal("White", 2)]
    found = remembered_first(decided, meant)
    assert [p.place for p in found][:2] == ["Red", "Blue"]
    assert [p.sure for p in found] == [True, False, False]


def test_where_decisions_differ_none_is_sure_and_meaning_counts():
    decided = memory({"a": {"azul": "Red"}, "b": {"Azul": "Blue"}}).words("azul", COLOURS)
    assert not any(p.sure for p in decided) and {p.place for p in decided} == {"Red", "Blue"}
    found = remembered_first(decided, [proposal("Blue", 100, sure=True)])
    assert (found[0].place, found[0].sure) == ("Blue", True)


@given(
    st.lists(st.builds(proposal, st.sampled_from("abc"), st.integers(0, 94)), max_size=3),
    st.lists(st.builds(proposal, st.sampled_from("abcd"), st.integers(0, 100), st.just(True)),
             max_size=3, unique_by=lambda p: p.place),
)  # fmt: skip
def test_beside_a_sure_decision_nothing_else_is_sure(others, ranked):
    best = proposal("z", 97, sure=True)
    found = remembered_first([best, *others], ranked)
    assert found[0] == best and not any(p.sure for p in found[1:])
