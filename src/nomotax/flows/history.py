"""What was changed of a feed: its profile, and the versions of its crosswalk."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel

from nomotax.core.errors import NotFound
from nomotax.flows.versions import versions
from nomotax.records.database import session
from nomotax.records.feed_changes import changes_of
from nomotax.records.repositories import Feeds

_SHOWN = 100
#: So many changes of a version are told.
_TOLD = 5


class ChangeLine(BaseModel):
    """A change in plain words, and by whom; ``version`` is that of the crosswalk, where it is
    one."""

    at: datetime
    author: str
    said: str
    version: int | None = None


class FeedHistory(BaseModel):
    """The newest changes first."""

    changes: list[ChangeLine]


def history_of(feed_id: int) -> FeedHistory:
    """Raises ``NotFound``."""
    with session() as db:
        Feeds.holding(db, feed_id)
        own = [
            ChangeLine(at=one.at, author=one.author, said=one.said)
            for one in changes_of(db, feed_id, _SHOWN)
        ]
    both = sorted([*own, *_versions(feed_id)], key=lambda one: one.at, reverse=True)
    return FeedHistory(changes=both[:_SHOWN])


def _versions(feed_id: int) -> list[ChangeLine]:
    try:
        kept = versions(feed_id).versions
    except NotFound:
        return []
    return [
        ChangeLine(
            at=one.at, author=one.author, version=one.number, said=_told(one.note, one.changes)
        )
        for one in kept
    ]


def _told(note: str, changes: list[str]) -> str:
    more = f"; and {len(changes) - _TOLD} more" if len(changes) > _TOLD else ""
    told = "; ".join(changes[:_TOLD]) + more
    return ": ".join(part for part in (note, told) if part) or "nothing else than before"
