"""Which of the store's categories stands for an arriving category path.

Paths are compared by what their last part says, by the whole of them, and by the titles of the
products beneath; then all paths of a tree are looked at together: a branch goes where most of what
is in it goes, and two branches seldom go into one leaf.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from functools import cached_property
from math import log

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix, hstack

from nomotax.core.lookups.names import Names, translated
from nomotax.core.suggest.lexicon import Languages, lexicon
from nomotax.core.suggest.meaning import Meaning
from nomotax.core.suggest.sayings import Arriving, Said, Vectors, joined, said, says, spoken
from nomotax.core.suggest.spelling import fold
from nomotax.core.suggest.weighing import MOST, Proposal

Numbers = NDArray[np.float32]

#: What counts how much, in log odds.
_BEFORE, _LEAF, _UP, _WITHIN, _PATH, _TITLES, _ABOVE = -3.5, 6.0, 1.5, 1.5, 3.0, 4.0, 1.0
_MEANS_LEAF, _MEANS_PATH, _MOST_ALIKE = 0.8, 0.9, 3.0
_BRANCH, _CLAIMED, _HAS_BELOW, _ELSEWHERE = 3.0, -1.2, -1.5, -1.5
#: How often all paths are looked at together, each time with what the last time gave.
_ROUNDS = 2
#: A path is sure from this likelihood on, and proposed from the next; by meaning something is
#: always likeliest, so it takes more.
_SURE, _LEAST, _LEAST_MEANT = 0.92, 0.12, 0.25


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
        if not self.places:
            return  # nothing can be compared with; ``rank`` says so
        self._names: list[list[str]] = [[] for _ in self.places]
        for at, parts in written:
            self._names[at].append(parts[-1])
        self.above = [p.rsplit(separator, 1)[0] if separator in p else "" for p in self.places]
        above = set(self.above)
        self.below = np.array([p in above for p in self.places])
        paths = [joined(parts, languages) for parts in self._parts]
        known = Counter(term for path in paths for term in path)
        rarity = np.array([log(1 + len(self._parts) / n) for n in known.values()])
        self._vectors = Vectors({term: i for i, term in enumerate(known)}, rarity)
        leaves = self._vectors.of([says(parts[-1], languages) for parts in self._parts])
        parents = self._vectors.of([joined(parts[:-1], languages) for parts in self._parts])
        self._named = self._grouped(self._vectors.of(paths) > 0)
        self._told = hstack([leaves, self._vectors.of(paths), parents]).T.tocsr()

    def _grouped(self, by_writing: csr_matrix) -> csr_matrix:
        """From one row a writing to one a category: what any of its writings says."""
        ones = np.ones(len(self._of), np.float32)
        of = csr_matrix((ones, (self._of, np.arange(len(self._of)))))
        return (of @ by_writing.astype(np.float32)).tocsr()

    def _best(self, alike: Numbers) -> Numbers:
        """From one column a writing to one a category: the likest of its writings, which stand
        side by side."""
        if len(self.places) == alike.shape[1]:
            return alike
        begins = np.searchsorted(self._of, self._each)
        return np.asarray(np.maximum.reduceat(alike, begins, axis=1), np.float32)

    @cached_property
    def _each(self) -> NDArray[np.intp]:
        return np.arange(len(self.places))

    @cached_property
    def _meant(self) -> tuple[Numbers, Numbers] | None:
        if self._meaning is None:
            return None
        leaves = self._meaning.of([p[-1] for p in self._parts])
        return leaves, self._meaning.of([" ".join(p) for p in self._parts])

    def weigh(self, arriving: Sequence[Arriving], told: Sequence[Said]) -> Numbers:
        """Every place for every path, in log odds, before they are looked at together."""
        of = self._vectors.of
        as_leaf = (
            _LEAF * of([t.leaf for t in told])
            + _UP * of([t.up for t in told])
            + _WITHIN * of([t.whole for t in told])
            + _TITLES * of([t.titles for t in told])
        )
        as_path, as_parent = of([t.whole for t in told]), of([t.above for t in told])
        asked = hstack([as_leaf, _PATH * as_path, _ABOVE * as_parent]).tocsr()
        odds = self._best((asked @ self._told).toarray())
        odds += self._by_meaning(arriving)
        odds += _ELSEWHERE * self._elsewhere(told)
        odds += np.where(self.below, _BEFORE + _HAS_BELOW, _BEFORE).astype(np.float32)
        return odds

    def _elsewhere(self, told: Sequence[Said]) -> NDArray[np.bool_]:
        """Where the branch of a path names goods that the store has, but not in this place:
        ``Gouache > Jars`` is not likely to go to jars of something else."""
        asked = self._vectors.of([t.up for t in told]) > 0
        there = (asked.astype(np.float32) @ self._named.T).toarray() > 0
        return np.asarray((asked.sum(axis=1) > 0) & ~there)

    def _contested(self, arriving: Sequence[Arriving], likely: Numbers) -> NDArray[np.bool_]:
        """Places that paths with other last parts want as much: at most one of them is likely to
        be right, and a word that a lexicon counts as the same may be another ware."""
        wanted = likely >= _SURE
        leaves: dict[int, set[str]] = defaultdict(set)
        for at, place in zip(*np.nonzero(wanted), strict=True):
            leaves[int(place)].add(fold(arriving[at].parts[-1]))
        contested = np.array([len(leaves[place]) > 1 for place in range(len(self.places))])
        return np.asarray(wanted & contested)

    def texts(self, arriving: Sequence[Arriving]) -> list[str]:
        """All texts whose meaning is looked at."""
        own = [[parts[-1], " ".join(parts)] for parts in self._parts]
        asked = [[one.parts[-1], _described(one)] for one in arriving]
        return [text for texts in (*own, *asked) for text in texts]

    def _by_meaning(self, arriving: Sequence[Arriving]) -> Numbers:
        meant = self._meant
        if meant is None or self._meaning is None:
            return np.zeros((len(arriving), len(self.places)), np.float32)
        leaves = self._meaning.of([one.parts[-1] for one in arriving])
        paths = self._meaning.of([_described(one) for one in arriving])
        by_leaf = _spread(self._best(leaves @ meant[0].T))
        by_path = _spread(self._best(paths @ meant[1].T))
        return _MEANS_LEAF * by_leaf + _MEANS_PATH * by_path

    def rank(
        self, arriving: Sequence[Arriving], languages: Languages = frozenset()
    ) -> list[list[Proposal]]:
        """The likeliest places of each path, best first; none where none is likely, or where the
        branch is not for sale."""
        if not arriving or not self.places:
            return [[] for _ in arriving]
        told = [said(one, languages) for one in arriving]
        odds = self.weigh(arriving, told)
        sold = [not _not_sold(one, languages) for one in arriving]
        likely = _shares(odds)
        for _ in range(_ROUNDS):
            likely = _shares(odds + self.weigh_together(arriving, likely))
        doubtful = self._elsewhere(told) | self._contested(arriving, likely)
        return [
            self._answers(told[i], likely[i], doubtful[i]) if sold[i] else []
            for i in range(len(arriving))
        ]

    def _reason(self, told: Said, at: int) -> str:
        """What path and place share: in their last parts, else in the titles, else above."""
        names = self._names[at]
        there = {term for name in names for term in says(name, self._languages)}
        for what, text in (
            ("both say", told.leaf),
            ("products beneath say", told.titles),
            ("its branch says", told.above),
        ):
            shared = sorted(spoken(term, names) for term in there & set(text))
            if shared:
                return f"{what} {', '.join(dict.fromkeys(shared[:3]))}"
        return "the rest of its branch goes there" if told.above else "means alike"

    def weigh_together(self, arriving: Sequence[Arriving], likely: Numbers) -> Numbers:
        """What the other paths say: where the rest of a branch goes, and what is claimed."""
        branches = sorted(set(self.above))
        under = np.array([branches.index(a) for a in self.above])
        ones = np.ones(len(under), np.float32)
        into = csr_matrix((ones, under, np.arange(len(under) + 1)))
        by_branch = np.asarray(likely @ into)
        groups: dict[tuple[str, ...], list[int]] = defaultdict(list)
        for at, path in enumerate(arriving):
            groups[path.parts[:-1]].append(at)
        support = np.zeros_like(by_branch)
        for above, members in groups.items():
            if above and len(members) > 1:
                whole = by_branch[members].sum(axis=0)
                for at in members:
                    support[at] = (whole - by_branch[at]) / (len(members) - 1)
        second, highest = np.partition(np.vstack([likely, likely[:1] * 0]), -2, axis=0)[-2:]
        claimed = np.where(likely >= highest, second, highest)
        together: Numbers = _CLAIMED * claimed + _BRANCH * support[:, under]
        return together

    def _answers(self, told: Said, likely: Numbers, doubtful: NDArray[np.bool_]) -> list[Proposal]:
        least = _LEAST if self._meaning is None else _LEAST_MEANT
        order = np.flatnonzero(likely >= _LEAST / 3)
        order = order[np.lexsort((order, -likely[order]))][:MOST]
        found: list[Proposal] = []
        for at in order:
            own = float(likely[at])
            if own >= (least if not found else _LEAST / 3):
                sure = own >= _SURE and not self.below[at] and not doubtful[at]
                found.append(
                    Proposal(
                        place=self.places[at],
                        score=round(100 * own),
                        sure=sure,
                        reason=self._reason(told, int(at)),
                    )
                )
        return found


def _described(arriving: Arriving) -> str:
    return " ".join(arriving.parts) + (
        ": " + ", ".join(arriving.titles[:4]) if arriving.titles else ""
    )


def _spread(alike: Numbers) -> Numbers:
    """Likenesses of each path as distances from their mean: cosines of meaning all lie close."""
    middle = alike.mean(axis=1, keepdims=True)
    width = alike.std(axis=1, keepdims=True)
    spread = (alike - middle) / np.where(width > 0, width, 1.0)
    return np.asarray(np.minimum(spread, _MOST_ALIKE), np.float32)


def _shares(odds: Numbers) -> Numbers:
    """How likely each place is beside the others and beside none."""
    most = np.maximum(odds.max(axis=1, keepdims=True), 0.0)
    weights = np.exp(odds - most)
    shared: Numbers = weights / (weights.sum(axis=1, keepdims=True) + np.exp(-most))
    return shared


def _not_sold(arriving: Arriving, languages: Languages) -> bool:
    """Services, samples, remnants: branches that go nowhere."""
    goods = lexicon("goods", "values")
    return any(goods.read(p, languages).concepts.get("nosale", 0) >= 0.95 for p in arriving.parts)
