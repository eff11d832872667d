"""Which of the store's words stands for an arriving one.

A word is weighed against every word of the store's list: letter by letter, by the numbers it holds,
by what it means in any language, and as something cut short.
"""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from importlib.resources import files

from rapidfuzz import fuzz

from nomotax.core.suggest.forms import Form, compare, form_of
from nomotax.core.suggest.lexicon import Bag, Languages, lexicon
from nomotax.core.suggest.spelling import tokens
from nomotax.core.suggest.weighing import (
    LEAST,
    MOST,
    NOTHING,
    SURE,
    Piece,
    Proposal,
    reason_of,
    share,
    total,
)

_BEFORE = -3.0
_NUMBERED = re.compile(r"\d")


@dataclass(frozen=True)
class Word:
    """A word, and what is known of it."""

    text: str
    spelt: tuple[str, ...]
    form: Form
    says: Bag

    @cached_property
    def joined(self) -> str:
        return "".join(self.spelt)


@dataclass(frozen=True)
class WordList:
    """A store's closed list. ``groups`` are those that most of its words belong to: where words are
    colours, ``or`` is gold and not *or*."""

    words: tuple[Word, ...]
    groups: frozenset[str]

    @cached_property
    def concepts(self) -> Mapping[str, int]:
        """How many of its words say a concept."""
        return Counter(c for w in self.words for c in w.says.concepts)


@lru_cache(maxsize=512)
def word_list(allowed: tuple[str, ...], languages: Languages = frozenset()) -> WordList:
    """A closed list made ready to be compared with."""
    known = lexicon("values", "goods")
    bags = {a: known.read(a, languages) for a in allowed}
    groups = Counter(g for b in bags.values() for g in {known.groups[c] for c in b.concepts})
    most = groups.most_common(1)[0][1] if groups else 0
    kept = frozenset(g for g, n in groups.items() if n >= max(1, most * 0.34))
    words = tuple(Word(a, tokens(a), form_of(a), _within(bags[a], kept)) for a in allowed)
    return WordList(words, kept)


def _within(bag: Bag, groups: frozenset[str]) -> Bag:
    own = lexicon("values", "goods").groups
    held = {c: w for c, w in bag.concepts.items() if own[c] in groups or own[c] == "modifier"}
    return Bag(held, bag.unknown) if held or groups else bag


def rank(
    word: str,
    allowed: Sequence[str],
    languages: Languages = frozenset(),
    store: Languages = frozenset(),
) -> list[Proposal]:
    """The store's likeliest words for an arriving one, best first; none where none is likely.

    ``languages`` are those the arriving words are likely in, ``store`` those of the list.
    """
    return list(_ranked(word.strip(), tuple(allowed), languages, store))  # fmt: skip


# A list of thousands of words is ranked anew with every answer; its words stay the same.
@lru_cache(maxsize=50_000)
def _ranked(
    text: str, allowed: tuple[str, ...], languages: Languages, store: Languages
) -> tuple[Proposal, ...]:
    listed = word_list(allowed, store)
    if not text or not allowed:
        return ()
    bag = _within(lexicon("values", "goods").read(text, languages), listed.groups)
    word = Word(text, tokens(text), form_of(text, languages), bag)
    weighed = [(own, tuple(weigh(word, own, listed) for weigh in EVIDENCE)) for own in listed.words]
    odds = [_BEFORE + total(pieces) for _, pieces in weighed]
    order = sorted(range(len(odds)), key=lambda i: (-odds[i], i))[: MOST + 5]
    found = []
    for i in order[:MOST]:
        likely = share(odds[i], (odds[k] for k in order if k != i))
        if likely >= LEAST / (1 if i == order[0] else 6):
            found.append(_answer(weighed[i][0].text, likely, weighed[i][1]))
    return tuple(found) if found and found[0].place == weighed[order[0]][0].text else ()


def _answer(text: str, likely: float, pieces: Sequence[Piece]) -> Proposal:
    return Proposal(
        place=text, score=round(100 * likely), sure=likely >= SURE, reason=reason_of(pieces)
    )


def answered(allowed: tuple[str, ...], words: tuple[str, ...]) -> int:
    """How many words have a place in the list that is sure enough to tell the column by."""
    found = (next(iter(_ranked(w, allowed, frozenset(), frozenset())), None) for w in words)
    return sum(1 for answer in found if answer is not None and answer.score >= 60)


@lru_cache(maxsize=4096)
def yes_or_no(word: str, languages: Languages = frozenset()) -> bool | None:
    """What a word says where only yes or no can be meant; None where it says neither."""
    says = lexicon("values").read(word.strip(), languages).concepts
    yes, no = says.get("yes", 0.0), says.get("no", 0.0)
    return None if yes == no else yes > no


def same(word: Word, own: Word, listed: WordList) -> Piece:
    """The same word, but for case, accents and signs."""
    if word.joined and word.joined == own.joined:
        return Piece(9.0, "the same word")
    if len(word.spelt) > 1 and sorted(word.spelt) == sorted(own.spelt):
        return Piece(7.0, "the same words")
    return NOTHING


def numbers(word: Word, own: Word, listed: WordList) -> Piece:
    """The numbers and sizes in them are the same, or are not."""
    return compare(word.form, own.form)


def meaning(word: Word, own: Word, listed: WordList) -> Piece:
    """They mean the same, or something that counts as it where the list has nothing nearer."""
    here, there = word.says.concepts, own.says.concepts
    if not here or not there:
        return NOTHING
    shared = set(here) & set(there)
    if shared and set(here) == set(there):
        weight = min(min(here[c], there[c]) for c in shared)
        return Piece(7.5 * weight, f"'{word.text}' means '{own.text}'")
    if shared:
        whole = len(shared) / len(set(here) | set(there))
        weight = max(min(here[c], there[c]) for c in shared)
        return Piece(5.5 * whole * weight + 0.5, f"both say {_list(shared)}")
    near = [at for c in here for at, k in enumerate(_kin().get(c, ())) if k in there]
    if near and not any(c in listed.concepts for c in here):
        return Piece(4.2 - 1.0 * min(near), f"'{own.text}' is the nearest in the list")
    return Piece(-1.0)


def _list(concepts: set[str]) -> str:
    return " and ".join(sorted(concepts))


@lru_cache(maxsize=1)
def _kin() -> dict[str, list[str]]:
    """What each concept counts as where there is nothing nearer, nearest first."""
    text = files("nomotax.core.suggest").joinpath("data/kin.csv").read_text(encoding="utf-8")
    found: dict[str, list[str]] = {}
    for row in csv.DictReader(text.splitlines()):
        found.setdefault(row["concept"], []).append(row["kin"])
    return found


def short(word: Word, own: Word, listed: WordList) -> Piece:
    """It is the store's word cut short: ``pav.`` for Pavimenti."""
    text = word.joined
    if not text.isalpha() or word.joined == own.joined:
        return NOTHING
    begins = [w for w in listed.words if w.joined.startswith(text)]
    if own.joined.startswith(text):
        only = len(begins) == 1
        weight = (3.2 if len(text) <= 2 else 5.0) if only else 1.0
        return Piece(weight, f"only this begins with '{word.text}'" if only else "")
    if len(own.spelt) > 1 and "".join(t[0] for t in own.spelt) == text:
        return Piece(3.5, "its first letters")
    return NOTHING


def alike(word: Word, own: Word, listed: WordList) -> Piece:
    """They are written almost alike, or share a longer word; numbers never count as letters."""
    shared = [t for t in word.spelt if t in own.spelt and len(t) >= 4 and t.isalpha()]
    if shared and word.joined != own.joined:
        rare = sum(any(t in w.spelt for t in shared) for w in listed.words)
        return Piece(3.5 if rare == 1 else 1.5, f"both say '{shared[0]}'")
    if min(len(word.joined), len(own.joined)) < 5 or _NUMBERED.search(word.joined + own.joined):
        return NOTHING
    if word.says.concepts and own.says.concepts:
        return NOTHING
    ratio = fuzz.ratio(word.joined, own.joined)
    if ratio >= 80:
        return Piece((ratio - 60) / 8, "written almost alike")
    if own.joined.startswith(word.joined[:5]) and ratio >= 60:
        return Piece(2.0, "written alike")
    return NOTHING


Weigh = Callable[[Word, Word, WordList], Piece]
EVIDENCE: tuple[Weigh, ...] = (same, numbers, meaning, short, alike)
