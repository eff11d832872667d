"""What people decide of suppliers' articles: the product that each is, a new one, or none."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Literal

import polars as pl
from pydantic import BaseModel, Field
from sqlmodel import Session

from nomotax.core.changes.states import TAKEN_OUT
from nomotax.core.errors import UnfitValue
from nomotax.core.matching.decided import HEADER, LOST, read_decided
from nomotax.core.matching.pairing import Decided, Decision
from nomotax.records.database import session
from nomotax.records.pairings import Pairings
from nomotax.records.products import Pairing, Product
from nomotax.records.repositories import Feeds

#: Names of keys in a sentence.
_NAMED = 3


class PairingLine(BaseModel):
    """What is decided of an article. One is *lost* when its product is no longer in the catalog:
    its rows wait."""

    article: str
    decision: Literal["product", "new", "leave", "lost"]
    key: str | None
    title: str
    author: str
    at: datetime


class PairingPage(BaseModel):
    total: int
    pairings: list[PairingLine]


class ArticleDecision(BaseModel):
    """A decision about an article, or null for none any more. With *product* the key of one."""

    article: str = Field(min_length=1, max_length=500)
    decision: Decision | None
    key: str | None = None


class ArticleDecisions(BaseModel):
    decisions: list[ArticleDecision] = Field(max_length=20_000)


class DecidedBefore(BaseModel):
    """What was decided of the articles before, so that it can be put back."""

    taken: int
    before: list[ArticleDecision]


def pairing_page(feed_id: int, search: str = "", offset: int = 0, limit: int = 50) -> PairingPage:
    """What is decided of the articles of a feed's supplier, by article."""
    with session() as db:
        repo, supplier = _of(db, feed_id)
        total, found = repo.page(supplier, search, offset, limit)
        return PairingPage(total=total, pairings=[_line(*one) for one in found])


def _line(pairing: Pairing, product: Product | None) -> PairingLine:
    lost = pairing.decision == "product" and product is None
    out = product is not None and product.state == TAKEN_OUT
    title = product.title if product else ""
    return PairingLine(
        article=pairing.article,
        decision=LOST if lost else pairing.decision,
        key=product.key if product else None,
        title=f"{title} (taken out)" if out else title,
        author=pairing.author if pairing.run_id is None else f"run {pairing.run_id}",
        at=pairing.at,
    )


def decide_articles(feed_id: int, decisions: Sequence[ArticleDecision]) -> DecidedBefore:
    """Keep decisions about articles of a feed's supplier, or take them back. Raises ``UnfitValue``
    when a product is not in the catalog, and keeps none then."""
    wrong = [d.article for d in decisions if (d.decision == "product") != (d.key is not None)]
    if wrong:
        raise UnfitValue(
            f"Article {wrong[0]!r} is paired with no product, or has one without being paired.",
            remedy="Name the key of a product with the decision *product*, and with no other.",
        )
    made = [Decided(d.article.strip(), d.decision, d.key) for d in decisions if d.decision]
    back = [d.article.strip() for d in decisions if d.decision is None]
    with session() as db:
        return _decide(db, feed_id, made, back)


def _decide(
    db: Session, feed_id: int, made: Sequence[Decided], back: Sequence[str]
) -> DecidedBefore:
    repo, supplier = _of(db, feed_id)
    articles = [*(one.article for one in made), *back]
    before = {one.article: one for one in repo.of_articles(supplier, articles)}
    unknown = repo.decide(supplier, made)
    if unknown:
        named = ", ".join(map(repr, unknown[:_NAMED]))
        more = f" and {len(unknown) - _NAMED} more" if len(unknown) > _NAMED else ""
        raise UnfitValue(
            f"There is no product {named}{more} in the catalog.",
            where=f"{len(unknown)} of {len(made)} decisions",
            remedy="Name products by the keys that they have in the store; nothing was kept.",
        )
    repo.forget(supplier, back)
    return DecidedBefore(
        taken=len({*articles}), before=[_before(a, before.get(a)) for a in dict.fromkeys(articles)]
    )


def _before(article: str, one: Decided | None) -> ArticleDecision:
    if one is None or (one.decision == "product" and one.key is None):
        return ArticleDecision(article=article, decision=None)
    return ArticleDecision(article=article, decision=one.decision, key=one.key)


def _of(db: Session, feed_id: int) -> tuple[Pairings, int]:
    feeds = Feeds.holding(db, feed_id)
    return Pairings(db, feeds.store_id), feeds.get(feed_id).supplier_id


def take_pairings(feed_id: int, data: bytes) -> DecidedBefore:
    """Keep what a CSV file decides, in place of what is there of the same articles. Raises
    ``UnreadableFile`` or ``UnfitValue``, and changes nothing then."""
    with session() as db:
        return _decide(db, feed_id, read_decided(data), [])


def pairings_csv(feed_id: int) -> Iterator[bytes]:
    """All that is decided of the articles of a feed's supplier, as CSV (UTF-8 with a mark)."""
    with session() as db:
        repo, supplier = _of(db, feed_id)
    # What is wrong is told before anything is sent.
    return _lines(repo.lines(supplier))


def _lines(pieces: Iterator[pl.DataFrame]) -> Iterator[bytes]:
    yield "\ufeff".encode() + _csv([HEADER])
    for piece in pieces:
        yield _csv([tuple(cell or "" for cell in row) for row in piece.iter_rows()])


def _csv(rows: Sequence[Sequence[str]]) -> bytes:
    out = io.StringIO()
    csv.writer(out).writerows(rows)
    return out.getvalue().encode()
