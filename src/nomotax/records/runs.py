"""Runs of a store, and the snapshots of its catalog."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement
from sqlalchemy import select as columns
from sqlalchemy.dialects.postgresql import distinct_on
from sqlmodel import col, func, select

from nomotax.core.errors import NotFound
from nomotax.records.actors import at_work
from nomotax.records.columns import Actor
from nomotax.records.products import Snapshot
from nomotax.records.repository import Repository, known_id
from nomotax.records.tables import CrosswalkVersion, Delivery, Feed, Run, RunLog


def _given(key: int | None) -> int:
    if key is None:
        raise NotFound("This run is of no delivery: a person wrote it.")
    return key


#: Runs of a feed that are looked through for those of two deliveries.
_RECENT = 50
#: Runs of whole deliveries: no trial of some rows, or of the articles that are picked. Those of
#: all their fields are no part either.
_WHOLE = (
    col(Run.first_row).is_(None),
    col(Run.last_row).is_(None),
    ~col(Run.used).has_key("picked_rows"),  # type: ignore[attr-defined]  # of a JSONB column
)
#: The name of the scope that a run was of, null where it was of all fields.
_SCOPE = col(Run.used)["scope"]["name"].astext
_ALL_FIELDS = (*_WHOLE, _SCOPE.is_(None))


@dataclass(frozen=True)
class RunsAsked:
    """Which runs are meant: in one of some ``states``, of a feed, and with a text in the name of
    their file; all where nothing is said."""

    states: tuple[str, ...] = ()
    feed_id: int | None = None
    search: str = ""

    @property
    def holds(self) -> list[ColumnElement[bool]]:
        found: list[ColumnElement[bool]] = []
        if self.states:
            found.append(col(Run.status).in_(self.states))
        if self.feed_id is not None:
            found.append(col(Run.feed_id) == self.feed_id)
        if self.search:
            name = col(Run.used)["file_name"].astext
            found.append(name.icontains(self.search, autoescape=True))
        return found


class Runs(Repository):
    of, what = Run, "run"

    def get(self, run_id: int) -> Run:
        return self._get(Run, run_id, "run")

    def before_it(self, run: Run) -> bool:
        """Whether a run of the same feed that began by itself before this one is under way."""
        query = select(Run.id).where(
            Run.store_id == self.store_id, Run.feed_id == run.feed_id, col(Run.id) < run.id,
            col(Run.status).in_(("queued", "preparing", "applying")),
            col(Run.used).has_key("then"),  # type: ignore[attr-defined]  # of a JSONB column
        )  # fmt: skip
        return self.session.exec(query.limit(1)).first() is not None

    def alone(self, run_id: int) -> Run:
        """The run, which nobody else locks until this transaction ends. Raises ``NotFound``."""
        self.get(run_id)
        query = select(Run).where(Run.id == run_id).with_for_update(of=Run)
        return self.session.exec(query.execution_options(populate_existing=True)).one()

    def add(self, **values: Any) -> Run:
        """A run by who is at work."""
        by = at_work(self.session)
        return self._add(Run(store_id=self.store_id, actor=by, **values))

    def page(self, asked: RunsAsked, offset: int, limit: int) -> tuple[list[Run], int]:
        """The newest first, and how many there are."""
        holds = (col(Run.store_id) == self.store_id, *asked.holds)
        query = select(Run).where(*holds).order_by(col(Run.id).desc())
        total = self.session.exec(select(func.count()).select_from(Run).where(*holds)).one()
        return list(self.session.exec(query.offset(offset).limit(limit))), total

    def last_applied(self, feed_id: int, most: int, scope: str = "") -> list[Run]:
        """The runs of whole deliveries of this feed that were applied last and stand, the newest
        first, so many at most: of all fields, or of a scope."""
        query = select(Run).where(
            Run.store_id == self.store_id,
            Run.feed_id == feed_id,
            Run.kind == "delivery",
            Run.status == "applied",
            *(_ALL_FIELDS if not scope else (*_WHOLE, scope == _SCOPE)),
        )
        newest = query.order_by(col(Run.finished_at).desc()).limit(most)
        return list(self.session.exec(newest))

    def said_last(self, feed_id: int) -> list[Run]:
        """What a feed says by now: its run of all fields that was applied last, where there is
        one, and after it the last of each scope that was applied since, the oldest first."""
        whole = self.last_applied(feed_id, 1)
        query = select(Run).ext(distinct_on(_SCOPE)).where(
            Run.store_id == self.store_id,
            Run.feed_id == feed_id,
            Run.kind == "delivery",
            Run.status == "applied",
            *_WHOLE,
            _SCOPE.is_not(None),
            *(col(Run.finished_at) > one.finished_at for one in whole if one.finished_at),
        )  # fmt: skip
        parts = self.session.exec(query.order_by(_SCOPE, col(Run.finished_at).desc()))
        return [*whole, *sorted(parts, key=lambda run: run.finished_at or run.created_at)]

    def middle_prices(self, most: int) -> dict[int, list[str]]:
        """Of each feed the middle prices of its whole deliveries that were applied last and stand,
        the oldest first."""
        newest = func.row_number().over(
            partition_by=col(Run.feed_id), order_by=col(Run.finished_at).desc()
        )
        price = col(Run.used)["middle_price"].astext
        told = (
            columns(col(Run.feed_id), price.label("price"), newest.label("place"))
            .where(
                col(Run.store_id) == self.store_id,
                col(Run.kind) == "delivery",
                col(Run.status) == "applied",
                *_ALL_FIELDS,
            )
            .subquery()
        )
        query = columns(told).where(told.c.place <= most).order_by(told.c.place.desc())
        found: dict[int, list[str]] = {}
        for feed, said, _ in self.session.connection().execute(query):
            if said:
                found.setdefault(feed, []).append(said)
        return found

    def filling(self, feed_id: int) -> list[Run]:
        """The runs of whole deliveries of this feed that have a changeset, the newest first."""
        query = select(Run).where(
            Run.store_id == self.store_id,
            Run.feed_id == feed_id,
            Run.kind == "delivery",
            Run.changes != "",
            *_ALL_FIELDS,
        )
        return list(self.session.exec(query.order_by(col(Run.id).desc()).limit(_RECENT)))

    def prepared(self, most: int) -> list[Run]:
        """Those that wait for a person, the newest first."""
        query = select(Run).where(Run.store_id == self.store_id, Run.status == "prepared")
        return list(self.session.exec(query.order_by(col(Run.id).desc()).limit(most)))

    def undo_under_way(self, run_id: int) -> Run | None:
        """The run that is about to take another back."""
        still = ("queued", "preparing", "prepared", "applying")
        query = select(Run).where(
            Run.store_id == self.store_id, Run.undoes == run_id, col(Run.status).in_(still)
        )
        return self.session.exec(query).first()

    def undoing(self, ids: set[int]) -> dict[int, int]:
        """The runs that took these back, and stand, by what they took back."""
        query = select(Run.undoes, Run.id).where(
            Run.store_id == self.store_id, col(Run.undoes).in_(ids), Run.status == "applied"
        )
        return {back: by for back, by in self.session.exec(query) if back and by}

    def undone(self) -> list[int]:
        """Ids of those that are taken back."""
        query = select(Run.id).where(Run.store_id == self.store_id, Run.status == "undone")
        return [key for key in self.session.exec(query) if key is not None]

    def of_deliveries(self, ids: list[int]) -> list[Run]:
        return list(
            self.session.exec(
                select(Run).where(Run.store_id == self.store_id, col(Run.delivery_id).in_(ids))
            )
        )

    def of_delivery(self, delivery_id: int) -> list[Run]:
        """The runs of a delivery."""
        return [run for run in self.of_deliveries([delivery_id]) if run.kind == "delivery"]

    def newest_of(self, deliveries: list[int]) -> dict[int, Run]:
        """The newest run of each delivery that has one."""
        query = (
            select(Run)
            .where(
                Run.store_id == self.store_id,
                col(Run.delivery_id).in_(deliveries),
                Run.kind == "delivery",
            )
            .order_by(col(Run.id))
        )
        return {run.delivery_id: run for run in self.session.exec(query) if run.delivery_id}

    def note(self, run: Run, line: str) -> None:
        """A line of its log."""
        self.session.add(RunLog(store_id=self.store_id, run_id=known_id(run), text=line))

    def log(self, run_id: int) -> list[RunLog]:
        return self.logs([run_id])[run_id]

    def logs(self, run_ids: Collection[int]) -> dict[int, list[RunLog]]:
        """Those of some runs, asked for together."""
        query = select(RunLog).where(
            RunLog.store_id == self.store_id, col(RunLog.run_id).in_(run_ids)
        )
        found: dict[int, list[RunLog]] = {run_id: [] for run_id in run_ids}
        for line in self.session.exec(query.order_by(col(RunLog.id))):
            found[line.run_id].append(line)
        return found

    def version(self, run: Run) -> CrosswalkVersion:
        """Raises ``NotFound`` for a run by no crosswalk."""
        return self._get(CrosswalkVersion, _given(run.version_id), "crosswalk version")

    def feed(self, run: Run) -> Feed:
        """Raises ``NotFound`` for a run of no feed."""
        return self._get(Feed, _given(run.feed_id), "feed")

    def delivery(self, run: Run) -> Delivery:
        """Raises ``NotFound`` for a run of no delivery."""
        return self._get(Delivery, _given(run.delivery_id), "delivery")


class Snapshots(Repository):
    of, what = Snapshot, "snapshot"

    def get(self, snapshot_id: int) -> Snapshot:
        return self._get(Snapshot, snapshot_id, "snapshot")

    def add(self, actor: Actor | None, **values: Any) -> Snapshot:
        return self._add(Snapshot(store_id=self.store_id, actor=actor, **values))

    def all(self) -> list[Snapshot]:
        """The newest first."""
        query = select(Snapshot).where(Snapshot.store_id == self.store_id)
        return list(self.session.exec(query.order_by(col(Snapshot.id).desc())))
