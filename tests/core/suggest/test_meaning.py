"""What texts mean, with a model that a test makes: three signs of meaning, the rest is noise."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.suggest import meaning as module
from nomotax.core.suggest.meaning import Meaning
from nomotax.core.suggest.paths import Places
from nomotax.core.suggest.sayings import Arriving

SIGNS = {"dog": ("dog", "hau"), "cat": ("cat", "miau"), "bird": ("bird", "piep")}


class Model:
    """Knows three animals in two languages; counts what it was asked."""

    def __init__(self) -> None:
        self.asked: list[list[str]] = []

    def query(self, texts):
        self.asked.append(list(texts))
        rows = [[float(any(w in t.lower() for w in own)) for own in SIGNS.values()] for t in texts]
        found = np.array(rows) + 0.01
        return found / np.linalg.norm(found, axis=1, keepdims=True)

    @property
    def texts(self):
        return [t for batch in self.asked for t in batch]


def test_each_text_is_worked_out_once_and_in_small_batches():
    model = Model()
    own = Meaning(model)
    texts = [f"text {n}" for n in range(70)]
    told = []
    own.learn([*texts, *texts], lambda done, total: told.append((done, total)))
    assert [len(batch) for batch in model.asked] == [32, 32, 6]
    assert told == [(32, 70), (64, 70), (70, 70)]
    own.learn(texts, lambda *far: told.append(far))
    assert len(told) == 3 and own.of(texts[:2]).shape == (2, 3)
    assert sorted(model.texts) == sorted(texts)


def test_what_is_kept_has_an_end(monkeypatch):
    monkeypatch.setattr(module, "_KEPT", 3)
    model = Model()
    own = Meaning(model)
    for text in ("a", "b", "c", "d"):
        assert own.of([text]).shape == (1, 3)
    assert len(own._known) <= 3
    assert own.of(["a", "b", "c", "d", "e"]).shape == (5, 3), "more at once than are kept"


def test_none_is_none():
    assert Meaning(Model()).of([]).size == 0


@given(st.lists(st.text(max_size=300), max_size=6))
def test_any_texts_have_vectors_of_length_one_long_ones_too(texts):
    found = Meaning(Model()).of(texts)
    assert len(found) == len(texts)
    assert not texts or np.allclose(np.linalg.norm(found, axis=1), 1)


TREE = ["Shop > Dogs", "Shop > Cats", "Shop > Birds"]


def ranked(paths, model):
    places = Places(TREE, languages=frozenset({"en"}), meaning=model and Meaning(model))
    return places.rank([Arriving(tuple(p.split("/"))) for p in paths], frozenset({"fi"}))


def test_a_path_whose_words_nobody_knows_is_placed_by_what_it_means():
    paths = ["X/Hauhau", "X/Miaumiau", "X/Piippiep"]
    assert ranked(paths, None) == [[], [], []]
    found = ranked(paths, Model())
    assert [own[0].place for own in found if own] == TREE[: len([o for o in found if o])]
    assert all(own[0].reason for own in found if own)


def test_all_texts_that_are_looked_at_are_known_beforehand():
    """The background learns them with a word about how far it is; ranking asks for no more."""
    model = Model()
    own = Meaning(model)
    places = Places(TREE, languages=frozenset({"en"}), meaning=own)
    arriving = [Arriving(("X", "Hauhau"), ("Hau bowl", "Hau bed")), Arriving(("X",))]
    own.learn(places.texts(arriving))
    before = len(model.texts)
    places.rank(arriving, frozenset({"fi"}))
    assert len(model.texts) == before


@pytest.mark.parametrize("path", ["X/Zzz", "X/Qqq"])
def test_what_means_nothing_in_particular_is_not_suggested(path):
    """By likeness of meaning something is always likeliest: that alone is no suggestion."""
    assert ranked([path], Model()) == [[]]
