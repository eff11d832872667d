"""Rankings that the background works out: asked for once, kept, and asked for again when lost."""

from __future__ import annotations

from datetime import timedelta

import pytest
from sqlmodel import select

from nomotax.records import rankings
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.rankings import Rankings
from nomotax.records.tables import Ranking


@pytest.fixture
def records(demo):
    """A session over the demo store; its first delivery has the number 1."""
    with session() as db:
        yield db


def test_a_ranking_is_asked_for_once_until_its_tree_changes(records):
    own = Rankings(records, 1)
    assert own.ask(1, "category", "this tree") and not own.ask(1, "category", "this tree")
    assert own.ask(1, "more", "this tree"), "another field is another ranking"
    assert own.ask(1, "category", "that tree"), "another tree is worked out anew"
    assert own.get(1, "category", "this tree") is None
    assert len(records.exec(select(Ranking)).all()) == 2, "the newest of a field is kept"


def test_what_is_kept_is_the_last_word_and_never_asked_for_again(records):
    own = Rankings(records, 1)
    own.ask(1, "category", "tree")
    own.keep(1, "category", "tree", 20, 80)
    far = own.get(1, "category", "tree")
    assert far is not None and (far.done, far.total, far.proposals) == (20, 80, None)
    own.keep(1, "category", "tree", 0, 80, proposals=[[]])
    records.expire_all()
    own.keep(1, "category", "tree", 40, 80)
    records.expire_all()
    half = own.get(1, "category", "tree")
    assert half is not None and half.proposals == [[]], "progress keeps what is there"
    own.keep(1, "category", "tree", 80, 80, proposals=[[{"place": "A"}]])
    records.expire_all()
    assert not own.ask(1, "category", "tree")


def test_one_that_nobody_works_on_any_more_is_asked_for_again(records, monkeypatch):
    own = Rankings(records, 1)
    own.ask(1, "category", "tree")
    assert not own.ask(1, "category", "tree")
    later = now() + 2 * timedelta(minutes=2)
    monkeypatch.setattr(rankings, "now", lambda: later)
    assert own.ask(1, "category", "tree")
