"""Schedules, and those whose time has come."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlmodel import Session, col, select

from nomotax.records.repository import Repository
from nomotax.records.tables import Feed, Schedule


class Schedules(Repository):
    of, what = Schedule, "schedule"

    def get(self, schedule_id: int) -> Schedule:
        return self._get(Schedule, schedule_id, "schedule")

    def keep(self, schedule: Schedule) -> Schedule:
        return self._add(schedule)

    def remove(self, schedule: Schedule) -> None:
        self.session.delete(schedule)

    def of_feed(self, feed_id: int) -> list[Schedule]:
        """In the order in which they were made."""
        query = select(Schedule).where(
            Schedule.store_id == self.store_id, Schedule.feed_id == feed_id
        )
        return list(self.session.exec(query.order_by(col(Schedule.id))))


def due(db: Session, at: datetime) -> Sequence[Schedule]:
    """Those of all stores whose time has come, of feeds that are in sight. They are this
    transaction's alone: another worker that looks meanwhile passes them over."""
    query = (
        select(Schedule)
        .join(Feed, col(Feed.id) == col(Schedule.feed_id))
        .where(col(Schedule.next_at) <= at, col(Feed.removed_at).is_(None))
        .order_by(col(Schedule.next_at))
        .with_for_update(of=Schedule, skip_locked=True)
    )
    return db.exec(query).all()
