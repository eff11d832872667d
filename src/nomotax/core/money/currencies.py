"""Currencies by ISO 4217: their codes, and the signs and words that mean one of them."""

from __future__ import annotations

import re
from functools import lru_cache

from babel.numbers import list_currencies

#: Signs that mean one currency only. A bare dollar sign is not among them.
SIGNS = {"€": "EUR", "£": "GBP", "¥": "JPY", "US$": "USD", "A$": "AUD", "C$": "CAD", "NZ$": "NZD",
         "zł": "PLN", "Kč": "CZK", "Fr.": "CHF", "₽": "RUB", "₺": "TRY", "₹": "INR",
         "₩": "KRW"}  # fmt: skip
DOLLARS = frozenset({"USD", "CAD", "AUD", "NZD", "SGD", "HKD"})
#: A currency's sign or code as it stands beside an amount.
MARK = r"[A-Za-z]{3}\b|[A-Z]{0,2}\$|€|£|¥|zł|Kč|Fr\.|₽|₺|₹|₩"
_WORDS = {"euro": "EUR", "euros": "EUR", "dollar": "USD", "dollars": "USD", "sterling": "GBP",
          "pfund": "GBP", "franken": "CHF", "francs": "CHF", "zloty": "PLN", "złoty": "PLN",
          "koruna": "CZK", "yen": "JPY"}  # fmt: skip
#: Codes taken for one where they are written small; others may be words (``all``, ``top``).
_PLAIN = frozenset(
    ["aud", "brl", "cad", "chf", "cny", "czk", "dkk", "eur", "gbp", "hkd", "huf", "inr", "jpy",
     "krw", "mxn", "nok", "nzd", "pln", "ron", "sek", "sgd", "usd", "zar"]
)  # fmt: skip


@lru_cache(maxsize=1)
def codes() -> frozenset[str]:
    """Every code of ISO 4217, past ones among them."""
    return frozenset(list_currencies())


def currency_of(word: str, store: str = "") -> str:
    """The code that a word, sign or code stands for, "" for none. A bare ``$`` is the store's own
    where that is a dollar, else the US dollar."""
    bare = word.strip()
    if bare == "$":
        return store if store in DOLLARS else "USD"
    if bare in SIGNS:
        return SIGNS[bare]
    # Written small, only what is no word of a language: ``all`` is one.
    if bare in codes() or bare.lower() in _PLAIN:
        return bare.upper()
    return _WORDS.get(bare.lower(), "")


def currency_in_name(name: str, store: str = "") -> str:
    """The currency that a heading names: ``Cost EUR``, ``price_gbp``, ``Preis (€)``."""
    for word in reversed(re.split(r"[\s_/()\[\]:;,-]+", name)):
        if len(word) == 3 and word.isalpha():
            known = word in codes() if word.isupper() else word.lower() in _PLAIN
            if known:
                return word.upper()
            continue
        sign = re.search(r"[A-Z]{0,2}\$|€|£|¥|zł|Kč|₽|₺|₹|₩", word)
        found = currency_of(sign[0] if sign else word, store)
        if found:
            return found
    return ""


def is_currency_word(word: str) -> bool:
    """Whether a cell of a currency column says one."""
    return bool(currency_of(word))
