"""Which of the store's categories stands for an arriving category path.

Paths are compared by what their last part says, by the whole of them, and by the titles of the
products beneath; then all paths of a tree are looked at together: a branch goes where most of what
is in it goes, and two branches seldom go into one leaf.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from math import log

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from nomotax.core.lookups.names import Names, translated
from nomotax.core.suggest.lexicon import Languages, lexicon
from nomotax.core.suggest.meaning import Meaning
from nomotax.core.suggest.spelling import tokens
from nomotax.core.suggest.weighing import MOST, Proposal

Numbers = NDArray[np.float64]

#: What counts how much, in log odds.
_BEFORE, _LEAF, _UP, _WITHIN, _PATH, _TITLES, _ABOVE = -3.5, 6.0, 1.5, 1.5, 3.0, 4.0, 1.0
_MEANS_LEAF, _MEANS_PATH = 0.8, 0.9
_BRANCH, _CLAIMED, _HAS_BELOW = 3.0, -1.2, -1.5
#: How often all paths are looked at together, each time with what the last time gave.
_ROUNDS = 2
#: A path is sure from this likelihood on, and proposed from the other.
_SURE, _LEAST = 0.955, 0.12
_STOP = frozenset(
    {"and", "for", "of", "the", "to", "with", "other", "all", "misc", "etc"}
    | {"et", "de", "des", "du", "la", "le", "les", "pour", "avec", "en", "autres", "divers"}
    | {"und", "fur", "fuer", "mit", "der", "die", "das", "zum", "zur", "sonstige", "diverse"}
    | {"y", "con", "para", "del", "los", "las", "el", "otros", "e", "per", "di", "da", "altro"}
    | {"van", "voor", "met", "het", "een", "overig", "i", "do", "na", "dla", "inne", "oraz", "z"}
    | {"dos", "das", "com", "sem", "outros", "och", "med", "till", "av", "ovrigt", "og", "til"}
    | {"af", "pro", "ostatni", "s", "a", "k", "o", "ohne", "ou"}
)  # fmt: skip


@dataclass(frozen=True)
class Arriving:
    """An arriving path: its parts from the top, some titles of the products beneath it."""

    parts: tuple[str, ...]
    titles: tuple[str, ...] = ()


@dataclass(frozen=True)
class Vectors:
    """Texts as weighted sets of what they say, over one set of terms."""

    terms: Mapping[str, int]
    rarity: Numbers

    def of(self, texts: Sequence[Mapping[str, float]]) -> csr_matrix:
        """One row a text, each of length 1; terms that are not known are counted in the length."""
        rows, columns, weights = [], [], []
        usual = float(self.rarity.mean()) if self.rarity.size else 1.0
        for at, text in enumerate(texts):
            own = {
                t: w * (self.rarity[self.terms[t]] if t in self.terms else usual)
                for t, w in text.items()
            }
            length = sum(w * w for w in own.values()) ** 0.5 or 1.0
            for term, weight in own.items():
                if term in self.terms:
                    rows.append(at)
                    columns.append(self.terms[term])
                    weights.append(weight / length)
        return csr_matrix((weights, (rows, columns)), shape=(len(texts), len(self.terms)))

    def _rarity(self, term: str, usual: float) -> float:
        return float(self.rarity[self.terms[term]]) if term in self.terms else usual


def says(text: str, languages: Languages, weight: float = 1.0) -> dict[str, float]:
    """What a part of a path says: concepts of goods, and its own words cut to their stems."""
    bag = lexicon("goods", "values").read(_without_stops(text), languages)
    found = {f"={c}": w * weight for c, w in bag.concepts.items()}
    unknown = set(bag.unknown)
    for word in tokens(text):
        if len(word) >= 3 and word not in _STOP:
            found[word[:6]] = weight * (1.0 if word in unknown else 0.5)
    return found


def _without_stops(text: str) -> str:
    """A name without the small words at its ends: those within may be part of a phrase."""
    words = list(tokens(text))
    while len(words) > 1 and words[0] in _STOP:
        del words[0]
    while len(words) > 1 and words[-1] in _STOP:
        del words[-1]
    return " ".join(words)


def _joined(parts: Sequence[str], languages: Languages) -> dict[str, float]:
    found: dict[str, float] = {}
    for up, part in enumerate(reversed(parts)):
        for term, weight in says(part, languages, 1.0 if up == 0 else 0.6).items():
            found[term] = max(found.get(term, 0.0), weight)
    return found


class Places:
    """The store's categories, ready to be compared with arriving paths."""

    def __init__(
        self,
        places: Iterable[str],
        names: Names | None = None,
        separator: str = " > ",
        languages: Languages = frozenset(),
        meaning: Meaning | None = None,
    ) -> None:
        self.places = tuple(dict.fromkeys(places))
        self._meaning = meaning
        self._languages = languages
        written = [
            (at, path.split(separator))
            for at, place in enumerate(self.places)
            for path in (place, *translated(place, names or {}, separator).values())
        ]
        #: Of each writing of a category, which category it is.
        self._of = np.array([at for at, _ in written], dtype=int)
        self._parts = [parts for _, parts in written]
        self.above = [p.rsplit(separator, 1)[0] if separator in p else "" for p in self.places]
        above = set(self.above)
        self.below = np.array([p in above for p in self.places])
        leaves = [says(parts[-1], languages) for parts in self._parts]
        known = Counter(t for text in [_joined(p, languages) for p in self._parts] for t in text)
        terms = {t: i for i, t in enumerate(known)}
        rarity = np.array([log(1 + len(self._parts) / n) for n in known.values()])
        self._vectors = Vectors(terms, rarity)
        self._leaves = self._vectors.of(leaves)
        self._paths = self._vectors.of([_joined(p, languages) for p in self._parts])
        parents = [_joined(p[:-1], languages) for p in self._parts]
        self._parents = self._vectors.of(parents)

    def _best(self, alike: Numbers) -> Numbers:
        """From one column a writing to one a category: the likest of its writings."""
        if len(self.places) == alike.shape[1]:
            return alike
        found = np.full((alike.shape[0], len(self.places)), -np.inf)
        for column, place in enumerate(self._of):
            np.maximum(found[:, place], alike[:, column], out=found[:, place])
        return found

    @cached_property
    def _meant(self) -> tuple[Numbers, Numbers] | None:
        if self._meaning is None:
            return None
        leaves = self._meaning.of([p[-1] for p in self._parts])
        return leaves, self._meaning.of([" ".join(p) for p in self._parts])

    def weigh(self, arriving: Sequence[Arriving], languages: Languages = frozenset()) -> Numbers:
        """Every place for every path, in log odds, before they are looked at together."""
        leaves, paths = self._leaves, self._paths
        odds = (
            _BEFORE
            + _LEAF * self._alike([says(a.parts[-1], languages) for a in arriving], leaves)
            + _UP
            * self._alike([says(" ".join(a.parts[-2:-1]), languages) for a in arriving], leaves)
            + _WITHIN * self._alike([_joined(a.parts, languages) for a in arriving], leaves)
            + _PATH * self._alike([_joined(a.parts, languages) for a in arriving], paths)
            + _TITLES * self._alike([_titles(a, languages) for a in arriving], leaves)
            + _ABOVE
            * self._alike([_joined(a.parts[:-1], languages) for a in arriving], self._parents)
        )
        odds += self._by_meaning(arriving)
        return odds + _HAS_BELOW * self.below

    def _alike(self, texts: Sequence[Mapping[str, float]], places: csr_matrix) -> Numbers:
        return self._best((self._vectors.of(texts) @ places.T).toarray())

    def _by_meaning(self, arriving: Sequence[Arriving]) -> Numbers:
        meant = self._meant
        if meant is None or self._meaning is None or not arriving:
            return np.zeros((len(arriving), len(self.places)))
        leaves = self._meaning.of([a.parts[-1] for a in arriving])
        paths = self._meaning.of([_described(a) for a in arriving])
        return _MEANS_LEAF * _spread(self._best(leaves @ meant[0].T)) + _MEANS_PATH * _spread(
            self._best(paths @ meant[1].T)
        )

    def rank(
        self, arriving: Sequence[Arriving], languages: Languages = frozenset()
    ) -> list[list[Proposal]]:
        """The likeliest places of each path, best first; none where none is likely, or where the
        branch is not for sale."""
        if not arriving or not self.places:
            return [[] for _ in arriving]
        odds = self.weigh(arriving, languages)
        sold = np.array([not _not_sold(a, languages) for a in arriving])
        likely = _shares(odds)
        for _ in range(_ROUNDS):
            likely = _shares(odds + self.weigh_together(arriving, likely))
        return [
            self._answers(one, likely[i], languages) if sold[i] else []
            for i, one in enumerate(arriving)
        ]

    def _reason(self, arriving: Arriving, at: int, languages: Languages) -> str:
        """What path and place share: in their last parts, else in the titles, else above."""
        own = [_joined([p], self._languages) for p in self._leaf_names(at)]
        there = set().union(*own)
        for what, text in (
            ("both say", says(arriving.parts[-1], languages)),
            ("products beneath say", _titles(arriving, languages)),
            ("its branch says", _joined(arriving.parts[:-1], languages)),
        ):
            shared = sorted(_spoken(t, self._leaf_names(at)) for t in there & set(text))
            if shared:
                return f"{what} {', '.join(dict.fromkeys(shared[:3]))}"
        return "the rest of its branch goes there" if len(arriving.parts) > 1 else "means alike"

    def _leaf_names(self, at: int) -> list[str]:
        return [parts[-1] for parts, of in zip(self._parts, self._of, strict=True) if of == at]

    def weigh_together(self, arriving: Sequence[Arriving], likely: Numbers) -> Numbers:
        """What the other paths say: where the rest of a branch goes, and what is claimed."""
        branches = sorted(set(self.above))
        under = np.array([branches.index(a) for a in self.above])
        into = np.zeros((likely.shape[1], len(branches)))
        into[np.arange(likely.shape[1]), under] = 1.0
        by_branch = likely @ into
        groups: dict[tuple[str, ...], list[int]] = defaultdict(list)
        for at, one in enumerate(arriving):
            groups[one.parts[:-1]].append(at)
        support = np.zeros_like(by_branch)
        for above, members in groups.items():
            if above and len(members) > 1:
                whole = by_branch[members].sum(axis=0)
                for at in members:
                    support[at] = (whole - by_branch[at]) / (len(members) - 1)
        top = np.sort(likely, axis=0)[-2:]
        highest, second = (top[-1], top[0]) if likely.shape[0] > 1 else (top[-1], top[-1] * 0)
        claimed = np.where(likely >= highest, second, highest)
        said: Numbers = _BRANCH * support[:, under] + _CLAIMED * claimed
        return said

    def _answers(self, arriving: Arriving, likely: Numbers, languages: Languages) -> list[Proposal]:
        order = np.argsort(-likely, kind="stable")[:MOST]
        found: list[Proposal] = []
        for at in order:
            own = float(likely[at])
            if own >= _LEAST / (1 if not found else 3):
                sure = own >= _SURE and not bool(self.below[at])
                found.append(
                    Proposal(
                        place=self.places[at],
                        score=round(100 * own),
                        sure=sure,
                        reason=self._reason(arriving, int(at), languages),
                    )
                )
        return found


def _spoken(term: str, names: Sequence[str]) -> str:
    """A term as a person reads it: a concept by its name, a stem by the word it begins."""
    if term.startswith("="):
        return f"'{term.strip('=_')}'"
    words = (w for name in names for w in tokens(name))
    return f"'{next((w for w in words if w.startswith(term)), term)}'"


def _titles(arriving: Arriving, languages: Languages) -> dict[str, float]:
    counts: Counter[str] = Counter()
    for title in arriving.titles:
        counts.update(dict.fromkeys(says(title, languages), 1))
    n = max(1, len(arriving.titles))
    return {t: c / n for t, c in counts.items() if c > 1 or n == 1}


def _described(arriving: Arriving) -> str:
    return " ".join(arriving.parts) + (
        ": " + ", ".join(arriving.titles[:4]) if arriving.titles else ""
    )


def _spread(alike: Numbers) -> Numbers:
    """Likenesses of each path as distances from their mean: cosines of meaning all lie close."""
    middle = alike.mean(axis=1, keepdims=True)
    width = alike.std(axis=1, keepdims=True)
    spread: Numbers = (alike - middle) / np.where(width > 0, width, 1.0)
    return spread


def _shares(odds: Numbers) -> Numbers:
    """How likely each place is beside the others and beside none."""
    most = np.maximum(odds.max(axis=1, keepdims=True), 0.0)
    weights = np.exp(odds - most)
    shared: Numbers = weights / (weights.sum(axis=1, keepdims=True) + np.exp(-most))
    return shared


def _not_sold(arriving: Arriving, languages: Languages) -> bool:
    """Services, samples, remnants: branches that go nowhere."""
    goods = lexicon("goods")
    return any(goods.read(p, languages).concepts.get("nosale", 0) >= 0.95 for p in arriving.parts)
