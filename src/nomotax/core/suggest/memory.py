"""What this store decided before, in any feed: the surest ground for a suggestion."""

from __future__ import annotations

from collections import defaultdict
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


#: The answers to a word or a branch, and the tables that have each.
Answers = dict[str, list[str]]


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
    case and accents do not matter; where tables differ, none is sure, and most of them count."""

    def __init__(self, lookups: Saved, own: str) -> None:
        self._words: dict[tuple[str, ...], Answers] = defaultdict(lambda: defaultdict(list))
        self._places: dict[tuple[str, ...], Answers] = defaultdict(lambda: defaultdict(list))
        for name, table in lookups.value_tables.items():
            if name != own:
                for word, answer in table.entries.items():
                    self._words[_key(word)][answer].append(name)
        for name, tree in lookups.category_tables.items():
            if name != own:
                for path, place in tree.placements.items():
                    parts = tuple("".join(tokens(p)) for p in tree.split(path))
                    for end in dict.fromkeys((parts, parts[-2:], parts[-1:])):
                        self._places[end][place].append(name)

    def words(self, word: str, allowed: Sequence[str]) -> list[Proposal]:
        """What this word became elsewhere, where the field allows it."""
        there = frozenset(allowed) if allowed else None
        found = _shared(self._words.get(_key(word), {}), there)
        return [
            _decided(answer, share * _SAME_WORD, f"decided so in {tables}")
            for answer, share, tables in found
        ][:MOST]

    def places(self, path: Sequence[str], known: Iterable[str]) -> list[Proposal]:
        """Where this branch, or one of its name, was placed elsewhere."""
        parts = tuple("".join(tokens(p)) for p in path)
        there, found = frozenset(known), []
        ends = ((parts, _SAME_PATH), (parts[-2:], _SAME_PAIR), (parts[-1:], _SAME_NAME))
        for end, score in ends:
            called = " > ".join(path[-len(end) :])
            for place, share, tables in _shared(self._places.get(end, {}), there):
                reason = f"a branch called '{called}' is there in {tables}"
                found.append(_decided(place, share * score, reason))
        return likeliest(found)


def remembered_first(remembered: Sequence[Proposal], ranked: Sequence[Proposal]) -> list[Proposal]:
    """What was decided before counts more than what words mean: beside a sure decision other
    answers are only what is left."""
    best = max(remembered, key=lambda p: p.score, default=None)
    if best is None or not best.sure:
        return likeliest([*remembered, *ranked])
    left = 100 - best.score
    others = [
        p.model_copy(update={"score": min(p.score, left), "sure": False})
        for p in ranked
        if p.place != best.place
    ]
    return likeliest([best, *(p for p in remembered if p is not best), *others])


def _shared(
    answers: Mapping[str, list[str]], there: frozenset[str] | None
) -> list[tuple[str, float, str]]:
    """The answers that are ``there``, the share of tables that have each, and their names; the
    one that most have comes first."""
    known = {a: tables for a, tables in answers.items() if there is None or a in there}
    whole = sum(map(len, known.values()))
    order = sorted(known, key=lambda a: (-len(known[a]), a))
    return [(a, len(known[a]) / whole, _named(known[a])) for a in order]


def _named(tables: Sequence[str]) -> str:
    first = f"'{min(tables)}'"
    return first if len(tables) == 1 else f"{first} and {len(tables) - 1} more"


def _key(word: str) -> tuple[str, ...]:
    return tokens(word) or (word.strip().casefold(),)


def _decided(place: str, likely: float, reason: str) -> Proposal:
    score = round(likely)
    return Proposal(place=place, score=score, sure=score >= _SURE, reason=reason)
