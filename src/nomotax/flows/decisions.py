"""Decisions that are no answers: a suggestion refused, a question put off, a value kept by hand."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field
from sqlmodel import Session

from nomotax.core.errors import NotFound
from nomotax.records.catalog import Catalog
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.decisions import Decisions
from nomotax.records.repositories import Feeds, Stores

Verdict = Literal["refused", "later"]


class Verdicts(BaseModel):
    """``subject`` names what was decided about: ``field:price``, ``value:TABLE:WORD``,
    ``category:TABLE:PATH``, or a question's kind and subject; ``proposal`` what was refused."""

    verdict: Verdict
    subject: str = Field(max_length=2000)
    proposal: str = Field(default="", max_length=2000)
    back: bool = False


class Seen(BaseModel):
    """What was accepted together and a person has looked at now: proposals by subject. ``back``
    marks them again."""

    seen: dict[str, str]
    back: bool = False


class KeptField(BaseModel):
    """A field of a product that no feed may touch, or (``keep`` false) may touch again."""

    key: str
    field: str
    keep: bool = True


def _about(db: Session, feed_id: int) -> Decisions:
    store_id = Feeds.holding(db, feed_id).store_id
    return Decisions(db, Crosswalks(db, store_id).from_feed(feed_id))


def decide(feed_id: int, decision: Verdicts) -> None:
    """Remember a verdict, or take it back. Raises ``NotFound``."""
    with session() as db:
        repo = _about(db, feed_id)
        if decision.back:
            repo.forget(decision.verdict, decision.subject, decision.proposal)
        else:
            repo.remember(decision.verdict, decision.subject, decision.proposal)


def look_at(feed_id: int, seen: Seen) -> None:
    """What was accepted unseen is a person's own from now on. Raises ``NotFound``."""
    with session() as db:
        repo = _about(db, feed_id)
        repo.settle("accepted", seen.seen if seen.back else {}, list(seen.seen))


def keep_by_hand(store_id: int, kept: KeptField) -> None:
    """Keep a field of a product from feeds, or give it back to them. Raises ``NotFound``."""
    with session() as db:
        if kept.field not in Stores(db).schema(store_id):
            raise NotFound(f"The store schema has no field {kept.field!r}.")
        Catalog(db, store_id).keep(kept.key, kept.field, kept.keep)


def kept_of(store_id: int) -> dict[str, list[str]]:
    """Keys of products by the field that is kept by hand."""
    with session() as db:
        return Catalog(db, store_id).kept()
