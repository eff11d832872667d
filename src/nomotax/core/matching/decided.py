"""Pairings as a CSV file: article, decision, product."""

from __future__ import annotations

from typing import get_args

from nomotax.core.errors import UnreadableFile
from nomotax.core.listing import read_listing
from nomotax.core.matching.pairing import Decided, Decision

HEADER = ("article", "decision", "product")
#: Of an article whose product is gone: says nothing when it is read.
LOST = "lost"


def read_decided(data: bytes) -> list[Decided]:
    """What a file decides of articles, lines of *lost* ones left out. A line without a decision
    pairs its article with its product.

    Raises ``UnreadableFile`` naming the line; then none is taken.
    """
    lines = read_listing(data, HEADER, "pairings")
    found: dict[str, Decided] = {}
    for number, cells in lines:
        one = _decided(number, *cells) if any(cells) else None
        if one is not None and found.setdefault(one.article, one) != one:
            raise _wrong(number, f"Article {one.article!r} stood on a line before, otherwise.")
    return list(found.values())


def _decided(number: int, article: str, decision: str, product: str) -> Decided | None:
    said = decision.casefold() or "product"
    if not article:
        raise _wrong(number, "This line does not say which article it is about.")
    if said == LOST:
        return None
    if said not in get_args(Decision):
        raise _wrong(number, f"{decision!r} is no decision.")
    if (said == "product") != bool(product):
        lacks = "says no product" if said == "product" else f"is {said!r} and says a product"
        raise _wrong(number, f"The line of article {article!r} {lacks}.")
    return Decided(article, said, product or None)  # type: ignore[arg-type]  # one of them


def _wrong(number: int, said: str) -> UnreadableFile:
    return UnreadableFile(
        said,
        where=f"line {number}",
        remedy="A line holds the supplier's article, one of the words product, new or leave, and "
        "with product the key of the store's product.",
    )
