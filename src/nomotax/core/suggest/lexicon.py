"""What words mean, in the languages files come in: a text becomes a bag of concepts.

The words stand in ``data/*.csv``: a concept, its group, and its words in each language, ``|``
apart. ``group`` names what contrasts (a barcode of a piece is none of a carton). A word may mean
several concepts at once (``EK`` is a price for buying): ``cost+price``.
"""

from __future__ import annotations

import csv
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from importlib.resources import files

from nomotax.core.suggest.spelling import spellings, tokens

LANGUAGES = ("en", "de", "fr", "es", "it", "nl", "pl", "pt", "sv", "da", "cs")
_LONGEST = 6
#: How much less a word counts that is cut short, part of a compound, or of another language.
_SHORT, _PART, _FOREIGN, _ENGLISH = 0.75, 0.85, 0.6, 0.85
#: Languages that write compounds as one word, what the thing is last.
_COMPOUNDING = frozenset({"de", "nl", "sv", "da"})

Languages = frozenset[str]


@dataclass(frozen=True)
class Sense:
    """One meaning of a word: its concepts, and the languages in which it has it."""

    concepts: tuple[str, ...]
    languages: Languages


@dataclass(frozen=True, eq=False)
class Bag:
    """What a text says: how strongly each concept is meant (0 to 1), and the words that no
    concept is known for. One is known by itself, so that what is worked out of it can be kept."""

    concepts: Mapping[str, float] = field(default_factory=dict)
    unknown: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.concepts or self.unknown)


class Lexicon:
    """The words of one or more of the data files."""

    def __init__(self, names: Collection[str]) -> None:
        #: Headings are run together in any language, names of goods only where compounds are.
        self._terse = "terms" in names
        self.groups: dict[str, str] = {}
        self._phrases: dict[tuple[str, ...], list[Sense]] = defaultdict(list)
        for name in names:
            for concept, group, language, word in _rows(name):
                self._add(concept, group, language, word)
        self._lengths = {len(p) for p in self._phrases}

    def _add(self, concept: str, group: str, language: str, word: str) -> None:
        self.groups[concept] = group
        text, *more = word.split("+")
        meant = (concept, *more)
        for phrase in spellings(text):
            known = self._phrases[phrase]
            same = next((i for i, s in enumerate(known) if s.concepts == meant), None)
            if same is None:
                known.append(Sense(meant, frozenset((language,))))
            else:
                known[same] = Sense(meant, known[same].languages | {language})

    def read(self, text: str, languages: Languages = frozenset()) -> Bag:
        """What the text says, when it is likeliest in one of these languages (all, if none)."""
        return self.read_words(tokens(text), languages)

    @lru_cache(maxsize=100_000)  # noqa: B019 - a lexicon lives as long as the process
    def read_words(self, words: tuple[str, ...], languages: Languages) -> Bag:
        """What folded words say together."""
        concepts: dict[str, float] = {}
        unknown: list[str] = []
        at = 0
        while at < len(words):
            size, found = self._at(words, at, languages)
            if not found:
                unknown.append(words[at])
            for concept, weight in found.items():
                concepts[concept] = max(concepts.get(concept, 0.0), weight)
            at += size
        return Bag(_composed(concepts), tuple(unknown))

    def parts(self, word: str) -> tuple[str, ...]:
        """The words that a compound is made of; none where it is none."""
        return self._split(word, frozenset())

    def spoken(self, words: tuple[str, ...]) -> dict[str, float]:
        """How much known words among these speak for each language: a word of one language alone
        says 1, a word of several its part."""
        found: dict[str, float] = defaultdict(float)
        for word in words:
            own = frozenset[str]().union(*(s.languages for s in self._phrases.get((word,), ())))
            if len(word) >= 3 and own:
                for language in own:
                    found[language] += 1 / len(own) ** 2
        return found

    def _at(
        self, words: tuple[str, ...], at: int, languages: Languages
    ) -> tuple[int, dict[str, float]]:
        """The longest known phrase that begins here, else what one word says."""
        for size in range(min(_LONGEST, len(words) - at), 0, -1):
            phrase = words[at : at + size]
            if size in self._lengths and phrase in self._phrases:
                return size, self._phrase(phrase, languages)
        return 1, self._one(words[at], languages)

    @lru_cache(maxsize=100_000)  # noqa: B019
    def _phrase(self, phrase: tuple[str, ...], languages: Languages) -> dict[str, float]:
        return self._weighed(self._phrases[phrase], languages)

    def _weighed(self, senses: Iterable[Sense], languages: Languages) -> dict[str, float]:
        found: dict[str, float] = {}
        for sense in senses:
            weight = _likely(sense.languages, languages)
            for concept in sense.concepts:
                found[concept] = max(found.get(concept, 0.0), weight)
        best = max(found.values(), default=0.0)
        # What a word means in the language at hand drives out what it means elsewhere.
        return {c: w for c, w in found.items() if w >= best * 0.9}

    @lru_cache(maxsize=100_000)  # noqa: B019
    def _one(self, word: str, languages: Languages) -> dict[str, float]:
        """A word that is not listed: another form of one, cut short, or a compound."""
        if word[0].isdigit():
            return {}
        for form in _forms(word):
            if (form,) in self._phrases:
                return _less(self._weighed(self._phrases[(form,)], languages), 0.95)
        return (
            self._cut(word, languages)
            or self._compound(word, languages)
            or self._skeleton(word, languages)
            or self._last_part(word, languages)
        )

    def _cut(self, word: str, languages: Languages) -> dict[str, float]:
        """What all the words mean that begin so, where they mean one thing."""
        if len(word) < 3:
            return {}
        senses: dict[tuple[str, ...], set[str]] = defaultdict(set)
        for known, own in self._beginning(word):
            if len(known) <= len(word) + 12:
                for sense in own:
                    senses[sense.concepts] |= sense.languages
        own_here = {c: own for c, own in senses.items() if not languages or own & languages}
        here = own_here or senses
        heads = {c[0] for c in here}
        if len(heads) > 2 or not here:
            return {}
        meant = [Sense(concepts, frozenset(own)) for concepts, own in here.items()]
        found = self._weighed(meant, languages)
        return _less(found, _SHORT / len(heads))

    def _beginning(self, word: str) -> Iterator[tuple[str, list[Sense]]]:
        for known in self._by_start.get(word[:3], ()):
            if known.startswith(word):
                yield known, self._phrases[(known,)]

    @cached_property
    def _by_start(self) -> dict[str, list[str]]:
        found: dict[str, list[str]] = defaultdict(list)
        for phrase in self._phrases:
            if len(phrase) == 1 and len(phrase[0]) >= 4:
                found[phrase[0][:3]].append(phrase[0])
        return found

    def _skeleton(self, word: str, languages: Languages) -> dict[str, float]:
        """What a word says that letters were left out of: ``vrd`` for voorraad."""
        if not 3 <= len(word) <= 8 or not languages:
            return {}
        fitting = [
            (len(known), sense)
            for known in self._by_ends.get((word[0], word[-1]), ())
            if len(word) < len(known) <= 4 * len(word) and _is_within(word, known)
            for sense in self._phrases[(known,)]
            if sense.languages & languages
        ]
        # The shortest word is meant: of a longer one more letters would have stayed.
        shortest = min((size for size, _ in fitting), default=0)
        near = [sense for size, sense in fitting if size <= shortest * 1.4]
        if len({s.concepts[0] for s in near}) != 1:
            return {}
        return _less(self._weighed(near, languages), _SHORT)

    @cached_property
    def _by_ends(self) -> dict[tuple[str, str], list[str]]:
        found: dict[tuple[str, str], list[str]] = defaultdict(list)
        for phrase in self._phrases:
            if len(phrase) == 1 and len(phrase[0]) >= 5:
                found[phrase[0][0], phrase[0][-1]].append(phrase[0])
        return found

    def _last_part(self, word: str, languages: Languages) -> dict[str, float]:
        """What the end of a compound says, where its beginning is unknown: in German, Dutch and the
        Nordic languages that is what the thing is."""
        if not languages & _COMPOUNDING:
            return {}
        for at in range(3, len(word) - 2):
            senses = self._phrases.get((word[at:],))
            own = [s for s in senses or () if s.languages & languages]
            if own and (len(word) - at >= 4 or (len(word) - at >= 3 and at <= 7)):
                return _less(self._weighed(own, languages), 0.7)
        return {}

    def _compound(self, word: str, languages: Languages) -> dict[str, float]:
        """What the parts of a compound say: all of it must be made of known words."""
        if not self._terse and not languages & _COMPOUNDING:
            return {}
        parts = self._split(word, languages)
        found: dict[str, float] = {}
        for part in parts:
            senses = self._phrases.get((part,)) or []
            weighed = self._weighed(senses, languages) or self._cut(part, languages)
            for concept, weight in _less(weighed, _PART).items():
                found[concept] = max(found.get(concept, 0.0), weight)
        return found

    @lru_cache(maxsize=50_000)  # noqa: B019
    def _split(self, word: str, languages: Languages) -> tuple[str, ...]:
        """The fewest known words that make up this one, the longest first; joints (``s``, ``n``,
        ``e``, ``o``) may stand between them."""
        best: list[tuple[int, tuple[str, ...]] | None] = [None] * (len(word) + 1)
        best[0] = (0, ())
        for at in range(len(word)):
            here = best[at]
            if here is None:
                continue
            for end in range(at + (1 if at == 0 else 2), min(len(word), at + 20) + 1):
                cost = self._cost(word[at:end], languages, at == 0)
                if cost is None:
                    continue
                for joint in ("", "s", "n", "en", "e", "o"):
                    stop = end + len(joint)
                    if stop > len(word) or word[end:stop] != joint or (joint and stop == len(word)):
                        continue
                    made = (here[0] + cost + (1 if joint else 0), (*here[1], word[at:end]))
                    known = best[stop]
                    if known is None or made[0] < known[0]:
                        best[stop] = made
        found = best[len(word)]
        return found[1] if found is not None else ()

    def _cost(self, part: str, languages: Languages, at_start: bool) -> int | None:
        """How dear a part of a compound is; None where it is no word of these languages."""
        senses = self._phrases.get((part,))
        if senses is None and at_start and len(part) == 1:
            return 14
        if senses is not None and any(
            not languages or s.languages & languages or len(part) >= 5 for s in senses
        ):
            return 6 if len(part) >= 4 else 9 if len(part) == 3 else 11
        if len(part) >= 3 and languages & _COMPOUNDING and self._cut(part, languages):
            return 10 if len(part) >= 4 else 12
        return None


#: What several concepts say together, and which of them it takes the place of.
_TOGETHER: tuple[tuple[frozenset[str], str], ...] = (
    (frozenset({"minimum", "order"}), "minorder"),
    (frozenset({"minimum", "stock"}), "reorder"),
    (frozenset({"minimum", "orderunit"}), "minorder"),
    (frozenset({"order", "quantity"}), "orderunit"),
    (frozenset({"order", "unit"}), "orderunit"),
    (frozenset({"minimum", "quantity"}), "minorder"),
    (frozenset({"carton", "quantity"}), "packqty"),
    (frozenset({"carton", "pieces"}), "packqty"),
    (frozenset({"packaging", "quantity"}), "packqty"),
    (frozenset({"carton", "unit"}), "packqty"),
    (frozenset({"packaging", "unit"}), "packqty"),
    (frozenset({"stock", "date"}), "arrival"),
)
#: Of an abbreviation of both, the second is meant beside one of the third.
_BESIDE = (
    ({"width", "thickness", "length", "height"}, {"gross", "net"}, {"weight", "price"}),
    ({"group"}, {"weight"}, {"number"}),
)


def _composed(concepts: dict[str, float]) -> dict[str, float]:
    for parts, whole in _TOGETHER:
        if parts <= concepts.keys() and whole not in concepts:
            least = min(concepts[p] for p in parts)
            concepts = {c: w for c, w in concepts.items() if c not in parts} | {whole: least}
    for dropped, meant, beside in _BESIDE:
        if dropped & concepts.keys() and meant & concepts.keys() and beside & concepts.keys():
            concepts = {c: w for c, w in concepts.items() if c not in dropped}
    return concepts


def _likely(own: Languages, asked: Languages) -> float:
    if not asked or own & asked:
        return 1.0
    return _ENGLISH if "en" in own else _FOREIGN


def _is_within(short: str, known: str) -> bool:
    """The letters of the one stand in the other, in order."""
    letters = iter(known)
    return all(letter in letters for letter in short)


def _less(found: dict[str, float], factor: float) -> dict[str, float]:
    return {c: w * factor for c, w in found.items()}


#: Endings that forms of one word differ by, in these languages, longest first.
_ENDINGS = (
    *("iennes", "ements", "ungen", "ische", "ami", "ach", "ego", "ych", "ymi", "ies", "ern"),
    *("ene", "ens", "ner", "eur", "ien", "ium", "ers", "ren", "nie", "ovy", "owa", "owy", "ska"),
    *("en", "er", "es", "em", "et", "ar", "or", "ne", "na", "ny", "ni", "ow", "om", "ek", "ky"),
    *("ka", "ki", "is", "oj", "ej", "ie", "os", "as", "ed", "s", "n", "e", "a", "o", "i", "y"),
    *("t", "u", "r", "x"),
)
_ADDED = ("", "s", "e", "a", "o", "en", "er", "es", "y", "i", "n", "ka", "k", "r", "ar", "or")


@lru_cache(maxsize=100_000)
def _forms(word: str) -> tuple[str, ...]:
    """Other forms of a word: one ending exchanged for another."""
    if len(word) < 4:
        return (word,)
    stems = [word, *(word.removesuffix(e) for e in _ENDINGS if word.endswith(e))]
    long = [s for s in stems if len(s) >= 4 or (len(s) == 3 and len(word) == 4)]
    return tuple(dict.fromkeys(s + e for s in long for e in _ADDED))


def _rows(name: str) -> Iterator[tuple[str, str, str, str]]:
    """Concept, group, language and word of each entry of a data file."""
    text = files("nomotax.core.suggest").joinpath(f"data/{name}.csv").read_text(encoding="utf-8")
    for row in csv.DictReader(text.splitlines()):
        for language in LANGUAGES:
            for word in (row[language] or "").split("|"):
                if word.strip():
                    yield row["concept"], row["group"], language, word.strip()


@lru_cache(maxsize=8)
def lexicon(*names: str) -> Lexicon:
    """The words of these data files, loaded once."""
    return Lexicon(names)
