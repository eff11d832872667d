"""Looks at where deliveries come from: each is kept, whatever it found."""

from __future__ import annotations

from typing import Any

from sqlalchemy import text
from sqlalchemy.dialects.postgresql import distinct_on
from sqlmodel import col, select

from nomotax.core.errors import Overtaken
from nomotax.records.actors import at_work
from nomotax.records.columns import now
from nomotax.records.queue import without_job
from nomotax.records.repository import Repository
from nomotax.records.tables import Fetch

#: How a fetch ends.
ENDS = ("new", "unchanged", "nothing", "failed", "stopped")
#: Those that wait for a job that is not there any more.
LEFT = text(
    "select f.id from fetches f where f.status in ('queued', 'fetching') "
    f"and {without_job('fetch_id', 'coalesce(f.parent_id, f.id)')}"
)


class Fetches(Repository):
    of, what = Fetch, "fetch"

    def get(self, fetch_id: int) -> Fetch:
        return self._get(Fetch, fetch_id, "fetch")

    def alone(self, fetch: Fetch) -> Fetch:
        """The fetch as it is by now, which nobody else writes to until this transaction ends.
        Raises ``Overtaken`` where another worker has taken it up since."""
        query = select(Fetch).where(Fetch.id == fetch.id).with_for_update(of=Fetch)
        fresh = self.session.exec(query.execution_options(populate_existing=True)).one()
        if fresh.attempt != fetch.attempt:
            raise Overtaken("Another worker has taken this fetch up meanwhile.")
        return fresh

    def take_up(self, fetch: Fetch) -> None:
        """Go on with it from here: whoever has before finds that out."""
        fetch.attempt += 1
        self._add(fetch)

    def add(self, feed_id: int, because: str, **values: Any) -> Fetch:
        actor = at_work(self.session)
        return self._add(
            Fetch(store_id=self.store_id, feed_id=feed_id, because=because, actor=actor, **values)
        )

    def under_way(self, feed_id: int, scope: str = "") -> Fetch | None:
        """The one of a feed and a scope that has not ended, if there is one."""
        query = select(Fetch).where(
            Fetch.store_id == self.store_id, Fetch.feed_id == feed_id, Fetch.scope == scope,
            col(Fetch.status).in_(("queued", "fetching")),
        ).order_by(col(Fetch.id).desc())  # fmt: skip
        return self.session.exec(query.limit(1)).first()

    def part_of(self, parent_id: int, feed_id: int) -> Fetch | None:
        """The fetch of a companion that another one has begun already."""
        query = select(Fetch).where(
            Fetch.store_id == self.store_id, Fetch.parent_id == parent_id, Fetch.feed_id == feed_id
        )
        return self.session.exec(query).first()

    def brought(self, feed_id: int, delivery_id: int) -> bool:
        """Whether a delivery came by a fetch, or was sent."""
        query = select(Fetch.id).where(
            Fetch.store_id == self.store_id, Fetch.feed_id == feed_id,
            col(Fetch.deliveries).contains([delivery_id]),
        )  # fmt: skip
        return self.session.exec(query.limit(1)).first() is not None

    def of_feed(self, feed_id: int, most: int) -> list[Fetch]:
        """The newest first."""
        query = select(Fetch).where(Fetch.store_id == self.store_id, Fetch.feed_id == feed_id)
        return list(self.session.exec(query.order_by(col(Fetch.id).desc()).limit(most)))

    def newest(self) -> dict[int, Fetch]:
        """The newest of each feed that ever was fetched."""
        query = (
            select(Fetch)
            .ext(distinct_on(col(Fetch.feed_id)))
            .where(Fetch.store_id == self.store_id)
            .order_by(col(Fetch.feed_id), col(Fetch.id).desc())
        )
        return {one.feed_id: one for one in self.session.exec(query)}

    def note(self, fetch: Fetch, said: str) -> None:
        """A line of its log."""
        fetch.log = [*fetch.log, {"at": now().isoformat(timespec="seconds"), "text": said}]
        self.session.add(fetch)

    def end(self, fetch: Fetch, status: str, said: str, remedy: str = "") -> None:
        """It has ended; a person who stopped it first is right."""
        if fetch.status not in ENDS:
            fetch.status, fetch.said, fetch.remedy = status, said, remedy
        fetch.stage, fetch.finished_at = "", now()
        self.note(fetch, f"{said} {remedy}".strip())
