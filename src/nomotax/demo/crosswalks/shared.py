"""What the demo's crosswalks have in common: pieces of fills, rates, steps saved for all."""

from __future__ import annotations

from typing import Any

Step = dict[str, Any]
Fill = dict[str, Any]

TRIM: Step = {"do": "trim"}
NUMBER: Step = {"do": "number"}
RATES = [
    {"source": "USD", "target": "EUR", "rate": "0.9125", "day": "2026-11-16",
     "origin": "the bank's list"},
    {"source": "GBP", "target": "EUR", "rate": "1.1845", "day": "2026-11-16",
     "origin": "the bank's list"},
]  # fmt: skip
#: A supplier's text, made fit for the shop.
TIDY = {
    "name": "Text for the shop",
    "steps": [
        {"do": "clean_html", "tags": ["p", "ul", "ol", "li", "b", "br"]},
        {"do": "cut", "length": 4000},
    ],
}


def column(name: str, *steps: Step, **more: Any) -> Fill:
    """A fill from one column."""
    return {"parts": [{"column": name}], "steps": list(steps), **more}


#: What a picture shows, for those who cannot see it: the product's name, where there is one.
PICTURE_TEXT: Fill = {
    "parts": [{"field": "name"}],
    "steps": [{"do": "only_if", "formula": "NOT(ISBLANK([=picture]))", "otherwise": "empty"}],
}


def always(text: str) -> Fill:
    """The same text for every product."""
    return {"parts": [{"text": text}]}


def formula(text: str, *steps: Step) -> Fill:
    """A fill that is worked out."""
    return {"steps": [{"do": "formula", "formula": text}, *steps]}


def rate(source: str) -> dict[str, Any]:
    """One of the rates."""
    return next(r for r in RATES if r["source"] == source)
