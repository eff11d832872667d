"""Suggests store words or categories for an arriving one, likeliest first, with the reasons."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from heapq import nlargest
from itertools import chain
from math import log, sqrt
from operator import itemgetter
from typing import Protocol

from pydantic import BaseModel
from rapidfuzz import fuzz

from nomotax.core.lookups.names import Names, translated
from nomotax.core.lookups.tables import CategoryTable, ValueTable

_LEAST = 60
_ALIKE = 0.3
#: So many proposals are made at most.
MOST = 3
#: How much it counts where a branch of another tree was placed. A name alone is not enough to be
#: sure: watercolour is a paint, a paper, a brush and a medium.
_SAME_PATH, _SAME_PAIR, _SAME_NAME = 95, 85, 60
_STOP = frozenset({"and", "for", "of", "the", "to", "with", "ml", "g"}) | {
    *("et", "de", "des", "du", "la", "le", "les", "pour", "avec", "a", "au"),
    *("und", "fur", "mit", "der", "die", "das", "zum"),
}


class Proposal(BaseModel):
    """``score`` runs from 0 to 100."""

    place: str
    score: int
    reason: str


def rank_words(word: str, allowed: Iterable[str]) -> list[Proposal]:
    """The allowed words that are written most alike; a single letter is never guessed at
    unless exactly one allowed word starts with it."""
    text = word.strip().lower()
    words = list(allowed)
    same = [a for a in words if a.lower() == text][:1]
    initials = [a for a in words if _initials(a) == text or a.lower().startswith(text)]
    only = initials if len(initials) == 1 and text else []
    sure = [Proposal(place=a, score=100, reason="the same word") for a in same] or [
        Proposal(place=a, score=75, reason=f"only this begins with '{word}'") for a in only
    ]
    alike = [] if len(text) < 3 else [(a, round(fuzz.WRatio(text, a.lower()))) for a in words]
    likely = [
        Proposal(place=a, score=score, reason="written almost alike")
        for a, score in nlargest(MOST, alike, key=itemgetter(1))
        if score >= _LEAST
    ]
    return _first(sure, likely)


def _first(*found: list[Proposal]) -> list[Proposal]:
    """The first few, each place once."""
    by_place: dict[str, Proposal] = {}
    for proposal in chain.from_iterable(found):
        by_place.setdefault(proposal.place, proposal)
    return list(by_place.values())[:MOST]


def _initials(word: str) -> str:
    parts = re.split(r"[-\s]+", word.lower())
    return "".join(p[0] for p in parts if p) if len(parts) > 1 else ""


class Saved(Protocol):
    """The store's saved tables."""

    @property
    def value_tables(self) -> Mapping[str, ValueTable]:
        """By name."""

    @property
    def category_tables(self) -> Mapping[str, CategoryTable]:
        """By name."""


class PlaceIndex:
    """The store's categories, ready to be compared with arriving paths.

    A word counts more the rarer it is in the store's tree and the nearer it stands to the leaf;
    the score is the cosine between the two weighted sets of words. A category is compared by its
    own path and by what that is in other languages, and counts by the likest.
    """

    def __init__(
        self, places: Iterable[str], names: Names | None = None, separator: str = " > "
    ) -> None:
        self.places = {
            place: [
                _weighted(path.split(separator))
                for path in (place, *translated(place, names or {}, separator).values())
            ]
            for place in places
        }
        known = Counter(w for words in self.places.values() for w in set().union(*words))
        self.rarity = {w: log(1 + len(self.places) / n) for w, n in known.items()}

    def rank(self, path: Iterable[str]) -> list[Proposal]:
        """The categories that share most with the path; none when hardly any word does."""
        arriving = _weighted(list(path))
        alike = ((*self._likest(arriving, place), place) for place in self.places)
        return [
            Proposal(
                place=place,
                score=min(99, round(likeness * 75)),
                reason=f"both say {_shared(arriving, self.places[place][path_])}",
            )
            for likeness, _, path_, place in nlargest(MOST, alike)
            if likeness >= _ALIKE
        ]

    def _likest(self, arriving: dict[str, float], place: str) -> tuple[float, int, int]:
        """How alike, the shorter of equal ones first, and by which of the place's paths."""
        paths = enumerate(self.places[place])
        likeness, at = max((self._likeness(arriving, own), -n) for n, own in paths)
        return likeness, -len(place), -at

    def _likeness(self, arriving: dict[str, float], own: dict[str, float]) -> float:
        common = sum(own[w] * arriving[w] * self.rarity[w] ** 2 for w in own if w in arriving)
        if not common:
            return 0.0
        return common / (self._length(arriving) * self._length(own))

    def _length(self, words: dict[str, float]) -> float:
        # A word the store's tree does not know is as telling as its average word.
        usual = sum(self.rarity.values()) / max(1, len(self.rarity)) / 2
        return sqrt(sum((n * self.rarity.get(w, usual)) ** 2 for w, n in words.items()))


class Before:
    """What was decided in the store's other tables: the surest ground for a suggestion."""

    def __init__(self, lookups: Saved, own: str) -> None:
        self._words: dict[str, tuple[str, str]] = {}
        self._places: dict[tuple[str, ...], tuple[str, str]] = {}
        for name, table in lookups.value_tables.items():
            if name != own:
                for word, answer in table.entries.items():
                    self._words.setdefault(word.strip().lower(), (answer, name))
        for name, tree in lookups.category_tables.items():
            if name != own:
                for path, place in tree.placements.items():
                    parts = tuple(p.lower() for p in tree.split(path))
                    for end in (parts, parts[-2:], parts[-1:]):
                        self._places.setdefault(end, (place, name))

    def words(self, word: str, allowed: Sequence[str]) -> list[Proposal]:
        """What this word became elsewhere, where the field allows it; then by its letters."""
        found = self._words.get(word.strip().lower())
        decided = []
        if found and (not allowed or found[0] in allowed):
            reason = f"decided so in '{found[1]}'"
            decided.append(Proposal(place=found[0], score=95, reason=reason))
        return _first(decided, rank_words(word, allowed))

    def places(self, path: tuple[str, ...], places: PlaceIndex) -> list[Proposal]:
        """Where this branch, or one of its name, was placed elsewhere; then by its words."""
        parts = tuple(p.lower() for p in path)
        found = places.rank(path)
        for end, score in ((parts, _SAME_PATH), (parts[-2:], _SAME_PAIR), (parts[-1:], _SAME_NAME)):
            place, table = self._places.get(end, ("", ""))
            if place in places.places:
                reason = f"a branch called '{' > '.join(path[-len(end) :])}' is there in '{table}'"
                found.append(Proposal(place=place, score=score, reason=reason))
        return _first(sorted(found, key=lambda p: -p.score))


def _shared(arriving: dict[str, float], own: dict[str, float]) -> str:
    return ", ".join(f"'{w}'" for w in sorted(own) if w in arriving)


def _weighted(parts: list[str]) -> dict[str, float]:
    weights: dict[str, float] = {}
    for depth, part in enumerate(parts, 1):
        for word in re.findall(r"[^\W\d_]+", _plain(part)):
            if word not in _STOP:
                weights[_stem(word)] = max(weights.get(_stem(word), 0.0), float(depth) ** 0.5)
    return weights


def _plain(text: str) -> str:
    """Lower case without accents, in any script."""
    parts = unicodedata.normalize("NFKD", text.casefold())
    return "".join(c for c in parts if not unicodedata.combining(c))


def _stem(word: str) -> str:
    """The word without its plural or its -ing: brushes and brush, tubes and tube, but not tubs."""
    if re.search(r"(s|x|ch|sh)es$", word):
        word = word[:-2]
    elif word.endswith("s") and not word.endswith("ss") and len(word) > 3:
        word = word[:-1]
    return word[:-3] if word.endswith("ing") and len(word) > 5 else word
