"""Picking articles of a feed's range, and the rules that go on picking."""

from __future__ import annotations

from collections.abc import Sequence

from sqlmodel import Session

from nomotax.core.changes.picking import Picked, PickRule
from nomotax.core.errors import NotFound
from nomotax.records.database import session
from nomotax.records.picks import Picks
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.tables import Feed


def rules_of(feed: Feed) -> list[PickRule]:
    """The rules that pick of a feed."""
    return [PickRule.model_validate(one) for one in feed.picking]


def picked_of(db: Session, feed: Feed) -> Picked:
    """What is picked of a feed's range."""
    return Picked(Picks(db, feed.store_id).of_feed(known_id(feed)), rules_of(feed))


def set_rules(feed_id: int, rules: Sequence[PickRule]) -> list[PickRule]:
    """What goes on picking from now on; gives what did before. Raises ``NotFound`` for a field that
    the store does not have."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        schema = Stores(db).schema(feed.store_id)
        strange = [one.field for one in rules if one.field and one.field not in schema]
        if strange:
            raise NotFound(f"The store schema has no field {strange[0]!r}.")
        before = rules_of(feed)
        feed.picking = [one.model_dump(mode="json") for one in dict.fromkeys(rules)]
        feed.picked += 1
        db.add(feed)
        return before
