"""Suggests a store word or category for an arriving one, with the reason."""

from __future__ import annotations

import re
from collections.abc import Iterable

from pydantic import BaseModel
from rapidfuzz import fuzz

_LEAST = 60
_STOP = frozenset({"and", "for", "of", "the", "to", "with", "ml", "g"})


class Proposal(BaseModel):
    """``score`` runs from 0 to 100."""

    place: str
    score: int
    reason: str


def propose_word(word: str, allowed: Iterable[str]) -> Proposal | None:
    """The allowed word that is written most alike; a single letter is never guessed at
    unless exactly one allowed word starts with it."""
    text = word.strip().lower()
    words = list(allowed)
    same = next((a for a in words if a.lower() == text), None)
    if same:
        return Proposal(place=same, score=100, reason="the same word")
    initials = [a for a in words if _initials(a) == text or a.lower().startswith(text)]
    if len(initials) == 1 and text:
        return Proposal(place=initials[0], score=75, reason=f"only this begins with '{word}'")
    if len(text) < 3:
        return None
    best = max(words, key=lambda a: fuzz.WRatio(text, a.lower()), default=None)
    score = round(fuzz.WRatio(text, best.lower())) if best else 0
    if best is None or score < _LEAST:
        return None
    return Proposal(place=best, score=score, reason="written almost alike")


def _initials(word: str) -> str:
    parts = re.split(r"[-\s]+", word.lower())
    return "".join(p[0] for p in parts if p) if len(parts) > 1 else ""


def propose_place(path: Iterable[str], places: Iterable[str]) -> Proposal | None:
    """The store category whose words share most with the arriving path. Words near the leaf
    count more, on both sides, and among equals the shorter path wins."""
    arriving = _weighted(list(path))
    if not arriving:
        return None
    best, best_score, shared = "", 0.0, set[str]()
    for place in places:
        own = _weighted(place.split(">"))
        common = {w for w in own if w in arriving}
        if not common:
            continue
        gain = sum(own[w] * arriving[w] for w in common)
        score = gain / (sum(arriving.values()) * sum(own.values())) ** 0.5
        if score > best_score:
            best, best_score, shared = place, score, common
    if not best or best_score < 0.35:
        return None
    words = ", ".join(sorted(f"'{w}'" for w in shared))
    return Proposal(place=best, score=min(99, round(best_score * 70)), reason=f"both say {words}")


def _weighted(parts: list[str]) -> dict[str, float]:
    weights: dict[str, float] = {}
    for depth, part in enumerate(parts, 1):
        for word in re.findall(r"[a-z]+", part.lower()):
            if word not in _STOP:
                weights[_stem(word)] = max(weights.get(_stem(word), 0.0), float(depth))
    return weights


def _stem(word: str) -> str:
    for ending in ("ings", "ing", "es", "s"):
        if word.endswith(ending) and len(word) - len(ending) >= 3:
            return word[: -len(ending)]
    return word
