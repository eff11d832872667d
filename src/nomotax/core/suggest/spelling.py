"""Words without case, accents and punctuation, in any of the languages files come in."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

#: Letters that no accent is taken from.
_LETTERS = str.maketrans({"ł": "l", "đ": "d", "ß": "ss", "æ": "ae", "œ": "oe", "ð": "d", "þ": "th"})
_UMLAUTS = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue", "å": "aa", "ø": "oe"})
_TOKEN = re.compile(r"[^\W\d_]+|\d+(?:[.,]\d+)?|[%Ø°]")
_CAMEL = re.compile(r"(?<=[a-zà-öø-ÿ])(?=[A-ZÀ-ÖØ-Þ])")


@lru_cache(maxsize=65536)
def fold(text: str) -> str:
    """Lower case without accents: ``Größe`` as ``grosse``, ``Łyżka`` as ``lyzka``."""
    lower = text.casefold().translate(_LETTERS)
    parts = unicodedata.normalize("NFKD", lower)
    bare = "".join(c for c in parts if not unicodedata.combining(c))
    return bare.replace("ø", "o")


@lru_cache(maxsize=65536)
def tokens(text: str) -> tuple[str, ...]:
    """The words and numbers of a text, folded, in order: ``GewichtKg`` is two, ``n°`` is one."""
    # The sign for a diameter is a word of its own; inside a word it is a letter.
    alone = re.sub(r"(?<!\w)[Øø⌀](?!\w)", " diameter ", text)
    camel = _CAMEL.sub(" ", alone) if not alone.isupper() else alone
    return tuple(fold(t) for t in _TOKEN.findall(camel))


@lru_cache(maxsize=65536)
def spellings(text: str) -> frozenset[tuple[str, ...]]:
    """The ways a known word is written: with its accents dropped, or spelt out (``ae``)."""
    spelt = text.casefold().translate(_UMLAUTS)
    return frozenset(t for t in (tokens(text), tokens(spelt)) if t)
