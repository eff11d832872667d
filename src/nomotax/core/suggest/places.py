"""Countries and languages by any of their names: codes of ISO 3166 and 639, and what the Unicode
CLDR calls them in the languages files come in."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from babel import Locale

from nomotax.core.suggest.lexicon import LANGUAGES
from nomotax.core.suggest.spelling import fold

#: Letters and short names that CLDR has not.
_MORE = {"uk": "GB", "usa": "US", "prc": "CN", "england": "GB", "holland": "NL", "eu": "EU"}


@lru_cache(maxsize=1)
def countries() -> Mapping[str, str]:
    """Alpha-2 code by folded name or code."""
    named = _named("territories")
    return {name: code for name, code in named.items() if len(code) == 2} | _MORE


@lru_cache(maxsize=1)
def tongues() -> Mapping[str, str]:
    """Language tag by folded name or code."""
    return {name: code for name, code in _named("languages").items() if len(code) <= 3}


def _named(what: str) -> dict[str, str]:
    """Codes by themselves, and by their names in every language."""
    found: dict[str, str] = {}
    for tag in LANGUAGES:
        for code, name in getattr(Locale(tag), what).items():
            if str(code).isalpha():
                found |= {str(code).lower(): str(code), fold(str(name)): str(code)}
    return found


def is_country(word: str) -> bool:
    """Whether a word is a country's name or code."""
    return fold(word.strip()) in countries()


def is_language(word: str) -> bool:
    """Whether a word is a language's name or code."""
    return fold(word.strip()) in tongues()
