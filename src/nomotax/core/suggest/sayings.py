"""What the parts of category paths and the titles beneath them say: concepts of goods, and stems
of their own words, as weighted sets that can be compared."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from nomotax.core.suggest.lexicon import Languages, lexicon
from nomotax.core.suggest.spelling import tokens

#: What a text says, each with how much it says it.
Says = Mapping[str, float]
#: How much a part above the last one says of a path.
_FROM_ABOVE = 0.6
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
class Said:
    """What an arriving path says: its last part, the one above that, all of them together, all
    but the last, and what the titles beneath it have in common."""

    leaf: Says
    up: Says
    whole: Says
    above: Says
    titles: Says


def said(arriving: Arriving, languages: Languages) -> Said:
    """What a path says when it is likeliest in one of these languages (all, if none)."""
    parts = arriving.parts
    return Said(
        leaf=says(parts[-1], languages),
        up=says(" ".join(parts[-2:-1]), languages),
        whole=joined(parts, languages),
        above=joined(parts[:-1], languages),
        titles=_titles(arriving.titles, languages),
    )


@lru_cache(maxsize=50_000)
def says(text: str, languages: Languages) -> Says:
    """What one text says: concepts of goods, and its own words cut to their stems."""
    words = tokens(text)
    bag = lexicon("goods", "values").read_words(_without_stops(words), languages)
    found = {f"={concept}": weight for concept, weight in bag.concepts.items()}
    unknown = set(bag.unknown)
    for word in words:
        if len(word) >= 3 and word not in _STOP:
            found[word[:6]] = 1.0 if word in unknown else 0.5
    return found


def joined(parts: Sequence[str], languages: Languages) -> dict[str, float]:
    """What a path says as a whole: its last part most."""
    found: dict[str, float] = {}
    for up, part in enumerate(reversed(parts)):
        for term, weight in says(part, languages).items():
            found[term] = max(found.get(term, 0.0), weight * (_FROM_ABOVE if up else 1.0))
    return found


def spoken(term: str, names: Sequence[str]) -> str:
    """A term as a person reads it: a concept by its name, a stem by the word it begins."""
    if term.startswith("="):
        return f"'{term.strip('=_')}'"
    words = (w for name in names for w in tokens(name))
    return f"'{next((w for w in words if w.startswith(term)), term)}'"


def _without_stops(words: tuple[str, ...]) -> tuple[str, ...]:
    """A name without the small words at its ends: those within may be part of a phrase."""
    while len(words) > 1 and words[0] in _STOP:
        words = words[1:]
    while len(words) > 1 and words[-1] in _STOP:
        words = words[:-1]
    return words


def _titles(titles: Sequence[str], languages: Languages) -> Says:
    """What more than one of them says, by the share that does."""
    counts = Counter(term for title in titles for term in says(title, languages))
    n = max(1, len(titles))
    return {term: count / n for term, count in counts.items() if count > 1 or n == 1}


@dataclass(frozen=True)
class Vectors:
    """Texts as weighted sets of what they say, over one set of terms."""

    terms: Mapping[str, int]
    rarity: NDArray[np.float64]

    def of(self, texts: Sequence[Says]) -> csr_matrix:
        """One row a text, each of length 1; terms that are not known are counted in the length."""
        ends, columns, weights = [0], [], []
        usual = float(self.rarity.mean()) if self.rarity.size else 1.0
        for text in texts:
            known = [(self.terms.get(term), weight) for term, weight in text.items()]
            own = [w * (usual if t is None else float(self.rarity[t])) for t, w in known]
            length = sum(w * w for w in own) ** 0.5 or 1.0
            for (term, _), weight in zip(known, own, strict=True):
                if term is not None:
                    columns.append(term)
                    weights.append(weight / length)
            ends.append(len(columns))
        shape = (len(texts), len(self.terms))
        return csr_matrix((np.array(weights, np.float32), columns, ends), shape=shape)
