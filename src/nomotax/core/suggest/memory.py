"""What this store decided before, in any feed: the surest ground for a suggestion."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import Protocol

from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.suggest.spelling import tokens
from nomotax.core.suggest.weighing import MOST, Proposal

#: How likely a place is where a branch of another tree was placed. A name alone is not enough to be
#: sure: watercolour is a paint, a paper, a brush and a medium.
_SAME_WORD, _SAME_PATH, _SAME_PAIR, _SAME_NAME = 97, 97, 90, 60
#: From this score on a decision is repeated unseen.
_SURE = 95


class Saved(Protocol):
    """The store's saved tables."""

    @property
    def value_tables(self) -> Mapping[str, ValueTable]:
        """By name."""

    @property
    def category_tables(self) -> Mapping[str, CategoryTable]:
        """By name."""


def likeliest(found: Sequence[Proposal]) -> list[Proposal]:
    """The few likeliest, each place once."""
    by_place: dict[str, Proposal] = {}
    for proposal in sorted(found, key=lambda p: -p.score):
        by_place.setdefault(proposal.place, proposal)
    return list(by_place.values())[:MOST]


class Memory:
    """What words and branches became in the store's tables, all but the ``own`` one. Spelling,
    case and accents do not matter; where tables differ, most of them count."""

    def __init__(self, lookups: Saved, own: str) -> None:
        self._words: dict[tuple[str, ...], Counter[tuple[str, str]]] = defaultdict(Counter)
        self._places: dict[tuple[str, ...], Counter[tuple[str, str]]] = defaultdict(Counter)
        for name, table in lookups.value_tables.items():
            if name != own:
                for word, answer in table.entries.items():
                    self._words[_key(word)][answer, name] += 1
        for name, tree in lookups.category_tables.items():
            if name != own:
                for path, place in tree.placements.items():
                    parts = tuple("".join(tokens(p)) for p in tree.split(path))
                    for end in dict.fromkeys((parts, parts[-2:], parts[-1:])):
                        self._places[end][place, name] += 1

    def words(self, word: str, allowed: Sequence[str]) -> list[Proposal]:
        """What this word became elsewhere, where the field allows it."""
        return [
            _decided(answer, _SAME_WORD, f"decided so in '{table}'")
            for (answer, table), _ in self._words.get(_key(word), Counter()).most_common()
            if not allowed or answer in allowed
        ][:MOST]

    def places(self, path: Sequence[str], known: Iterable[str]) -> list[Proposal]:
        """Where this branch, or one of its name, was placed elsewhere."""
        parts = tuple("".join(tokens(p)) for p in path)
        there, found = frozenset(known), []
        ends = ((parts, _SAME_PATH), (parts[-2:], _SAME_PAIR), (parts[-1:], _SAME_NAME))
        for end, score in ends:
            for (place, table), _ in self._places.get(end, Counter()).most_common():
                if place in there:
                    called = " > ".join(path[-len(end) :])
                    reason = f"a branch called '{called}' is there in '{table}'"
                    found.append(_decided(place, score, reason))
        return likeliest(found)


def _key(word: str) -> tuple[str, ...]:
    return tokens(word) or (word.strip().casefold(),)


def _decided(place: str, score: int, reason: str) -> Proposal:
    return Proposal(place=place, score=score, sure=score >= _SURE, reason=reason)
