"""Decisions that are no answers: a suggestion refused, a question put off, a value kept by hand."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from nomotax.core.errors import NotFound
from nomotax.records.database import session
from nomotax.records.decisions import Decisions
from nomotax.records.repositories import Catalog, Feeds, Stores

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


def decide(feed_id: int, decision: Verdicts) -> None:
    """Remember a verdict, or take it back. Raises ``NotFound``."""
    with session() as db:
        Feeds(db).get(feed_id)
        repo = Decisions(db)
        if decision.back:
            repo.forget(feed_id, decision.verdict, decision.subject, decision.proposal)
        else:
            repo.remember(feed_id, decision.verdict, decision.subject, decision.proposal)


def look_at(feed_id: int, seen: Seen) -> None:
    """What was accepted unseen is a person's own from now on. Raises ``NotFound``."""
    with session() as db:
        Feeds(db).get(feed_id)
        Decisions(db).settle(feed_id, "accepted", seen.seen if seen.back else {}, list(seen.seen))


def keep_by_hand(store_id: int, kept: KeptField) -> None:
    """Keep a field of a product from feeds, or give it back to them. Raises ``NotFound``."""
    with session() as db:
        if kept.field not in Stores(db).schema(store_id):
            raise NotFound(f"The store schema has no field {kept.field!r}.")
        Catalog(db).keep(store_id, kept.key, kept.field, kept.keep)


def kept_of(store_id: int) -> dict[str, list[str]]:
    """Keys of products by the field that is kept by hand."""
    with session() as db:
        return Catalog(db).kept(store_id)
