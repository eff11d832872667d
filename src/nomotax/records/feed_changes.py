"""What was changed of feeds, and by whom."""

from __future__ import annotations

from sqlmodel import Session, col, select

from nomotax.records.actors import at_work
from nomotax.records.repository import known_id
from nomotax.records.tables import Feed, FeedChange


def note_change(db: Session, feed: Feed, said: str) -> None:
    """Keep in plain words what is changed of a feed."""
    made = FeedChange(
        store_id=feed.store_id, feed_id=known_id(feed), said=said, actor=at_work(db)
    )  # fmt: skip
    db.add(made)


def changes_of(db: Session, feed_id: int, most: int) -> list[FeedChange]:
    """The newest first."""
    query = select(FeedChange).where(FeedChange.feed_id == feed_id)
    return list(db.exec(query.order_by(col(FeedChange.id).desc()).limit(most)))
