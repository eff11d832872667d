"""Values that a product is to hold from a day on: they wait for it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any, NamedTuple

import polars as pl
from sqlalchemy import func, text
from sqlmodel import Session, col, select

from nomotax.core.changes.dated import DUE
from nomotax.core.changes.later import WAITING
from nomotax.core.changes.states import TAKEN_OUT
from nomotax.core.errors import Conflict
from nomotax.records.actors import at_work
from nomotax.records.bulk import copy_frame, copy_out, read_query
from nomotax.records.changes import stale
from nomotax.records.columns import now
from nomotax.records.products import DatedValue, Product
from nomotax.records.repository import Repository
from nomotax.records.tables import Run

_GONE = "the product is not in the catalog"
#: What a run gives, beside the products; what is kept by hand stays as it is.
_GIVEN = """
create temp table given on commit drop as
select p.id, g.field, g.value, g.day from laid g
join products p on p.store_id = :store and p.key = g.key and p.state <> :out
"""
_LEAVE_KEPT = """
delete from given g using kept_values k
where k.store_id = :store and k.product_id = g.id and k.field = g.field
"""
_REPLACE = """
update dated_values d set status = 'replaced', replaced_by = :run from given g
where d.product_id = g.id and d.field = g.field and d.day = g.day
  and d.store_id = :store and d.status = 'waiting'
"""
_GIVE = """
insert into dated_values (store_id, product_id, field, value, day, status, reason, given_by, at)
select :store, id, field, value, day, 'waiting', '', :run, :now from given order by id
"""
#: With the runs that gave them values go back to waiting for nothing, and what they had replaced
#: waits again; what a run has taken up is its own.
_UNDO = """
update dated_values set status = 'undone'
where given_by = any(:runs) and status = 'waiting' and run_id is null
"""
_REVIVE = """
update dated_values set status = 'waiting', replaced_by = null
where replaced_by = any(:runs) and status = 'replaced' and run_id is null
"""
_REDO = """
with back as (
  update dated_values set status = 'waiting' where given_by = any(:runs) and status = 'undone'
  returning id, product_id, field, day, given_by
)
update dated_values d set status = 'replaced', replaced_by = back.given_by from back
where d.product_id = back.product_id and d.field = back.field and d.day = back.day
  and d.status = 'waiting' and d.id <> back.id
"""
_OF_RUN = """
select p.key, d.field, d.value, d.day::text as day, d.id from dated_values d
join products p on p.id = d.product_id and p.state <> :out
where d.store_id = :store and d.run_id = :run order by d.id
"""
#: What a person keeps by hand a run does not write, though it was given before.
_KEPT_FROM = """
select p.key, last.field from (
  select distinct on (product_id, field) product_id, field, given_by from dated_values
  where store_id = :store and run_id = :run order by product_id, field, day desc, id desc
) last
join kept_values k on k.store_id = :store and k.product_id = last.product_id
  and k.field = last.field
join products p on p.id = last.product_id
where last.given_by is not null
"""
#: Of one field of a product the value of the latest day counts, the last one given.
_SETTLE = """
with ranked as (
  select d.id, p.key, d.field, row_number() over (
    partition by d.product_id, d.field order by d.day desc, d.id desc
  ) as place
  from dated_values d left join products p on p.id = d.product_id and p.state <> :out
  where d.store_id = :store and d.run_id = :run
)
update dated_values d set
  status = case when r.place > 1 then 'replaced'
                when r.key is null or s.reason is not null then 'refused' else 'written' end,
  reason = case when r.place > 1 then '' when r.key is null then :gone
                else coalesce(s.reason, '') end
from ranked r left join refused s on s.key = r.key and s.field = r.field where d.id = r.id
"""


class DatedValues(Repository):
    of, what = DatedValue, "dated value"

    def wait(self, product_id: int, values: Mapping[str, str | None], day: date) -> None:
        """Have fields of a product hold other values from a day on, in place of what waits for
        the same field and day."""
        earlier = select(DatedValue).where(
            DatedValue.store_id == self.store_id,
            DatedValue.product_id == product_id,
            DatedValue.day == day,
            DatedValue.status == "waiting",
            col(DatedValue.field).in_(list(values)),
        )
        for one in self.session.exec(earlier):
            one.status = "replaced"
            self.session.add(one)
        by = at_work(self.session)
        self.session.add_all(
            DatedValue(
                store_id=self.store_id,
                product_id=product_id,
                field=field,
                value=value,
                day=day,
                actor=by,
            )
            for field, value in values.items()
        )
        self.session.flush()

    def give(self, run_id: int, values: pl.DataFrame) -> int:
        """The same of what a run gives, as ``later.GIVEN``, but for what is kept by hand; gives how
        many wait. Raises ``StaleChangeset`` where a product is not in the catalog."""
        if values.is_empty():
            return 0
        self._run("create temp table laid (key text, field text, value text, day date) "
                  "on commit drop")  # fmt: skip
        copy_frame(self.session, "laid", values)
        found = int(self._run(_GIVEN, out=TAKEN_OUT).rowcount)
        if found != values.height:
            raise stale(f"{values.height - found} values are for products that are gone")
        self._run(_LEAVE_KEPT)
        self._run(_REPLACE, run=run_id)
        return int(self._run(_GIVE, run=run_id, now=now()).rowcount)

    def take_back(self, key: int) -> DatedValue:
        """One does not wait any more. Raises ``NotFound``, and ``Conflict`` where it does not wait,
        or its run is under way."""
        query = select(DatedValue).where(DatedValue.id == key).with_for_update(of=DatedValue)
        self._get(DatedValue, key, self.what)
        one = self.session.exec(query.execution_options(populate_existing=True)).one()
        under_way = one.status == "waiting" and one.run_id is not None and self._busy(one.run_id)
        if one.status not in ("waiting", "refused") or under_way:
            said = f"run {one.run_id} is writing it" if under_way else f"it is {one.status}"
            raise Conflict(f"This value does not wait any more: {said}.")
        one.status = "taken back"
        return self._add(one)

    def _busy(self, run_id: int) -> bool:
        run = self.session.get(Run, run_id)
        return run is not None and run.status not in ("failed", "stopped")

    def undo(self, runs: Sequence[int]) -> None:
        """What these runs gave waits no more, and what it had replaced does."""
        self._run(_UNDO, runs=list(runs))
        self._run(_REVIVE, runs=list(runs))

    def redo(self, runs: Sequence[int]) -> None:
        """What these runs gave waits again."""
        self._run(_REDO, runs=list(runs))

    def waiting_by(self, runs: Sequence[int], status: str = "waiting") -> int:
        """How many values that these runs gave wait for their day, or are ``undone``."""
        query = select(func.count()).where(
            DatedValue.store_id == self.store_id,
            col(DatedValue.given_by).in_(runs),
            DatedValue.status == status,
            col(DatedValue.run_id).is_(None),
        )
        return self.session.exec(query).one()

    def waiting(
        self, product_ids: Sequence[int] | None = None, offset: int = 0, limit: int | None = None
    ) -> list[tuple[DatedValue, Product]]:
        """Those that wait for their day, and those that could not be written on it, by their
        days; of some products or of all."""
        query = (
            select(DatedValue, Product)
            .join(Product, col(Product.id) == col(DatedValue.product_id))
            .where(*self._listed())
            .order_by(col(DatedValue.day), col(DatedValue.id))
        )
        if product_ids is not None:
            query = query.where(col(DatedValue.product_id).in_(product_ids))
        return list(self.session.exec(query.offset(offset).limit(limit)))

    def how_many(self) -> int:
        """How many there are of them in all."""
        products = select(Product.id)
        query = select(func.count()).where(
            *self._listed(), col(DatedValue.product_id).in_(products)
        )
        return self.session.exec(query).one()

    def _listed(self) -> list[Any]:
        return [
            DatedValue.store_id == self.store_id,
            col(DatedValue.status).in_(["waiting", "refused"]),
        ]

    def giver(self, run_id: int, product_id: int, field: str) -> int | None:
        """The run of a delivery that gave what a run of dated values wrote."""
        query = select(DatedValue.given_by).where(
            DatedValue.store_id == self.store_id,
            DatedValue.run_id == run_id,
            DatedValue.product_id == product_id,
            DatedValue.field == field,
            DatedValue.status == "written",
        )
        return self.session.exec(query).first()

    def _run(self, statement: str, **more: Any) -> Any:
        return self.session.connection().execute(text(statement), {"store": self.store_id} | more)


def waiting_of(store_id: int, fields: Sequence[str]) -> pl.DataFrame:
    """What waits for its day in these fields of a store's products, as ``later.WAITING``."""
    listed = ", ".join(f"'{name}'" for name in fields)
    query = (
        "select p.key, d.field, d.day::text as day, d.value from dated_values d "
        "join products p on p.id = d.product_id "
        f"where d.store_id = {int(store_id)} and d.status = 'waiting' and d.field in ({listed}) "
        "order by d.id"
    )
    texts = read_query(query, dict.fromkeys(WAITING, pl.String))
    return texts.with_columns(pl.col("day").str.to_date("%Y-%m-%d"))


class Due(NamedTuple):
    """Values whose day has come: their ids, and who gave them."""

    ids: list[int]
    people: set[int | None]
    runs: set[int | None]


def take_due(db: Session, today: date) -> dict[int, Due]:
    """Values whose day has come and that no run has taken up, by store. Nobody else takes them
    until this transaction ends."""
    query = (
        select(DatedValue.store_id, DatedValue.id, col(DatedValue.actor_id), DatedValue.given_by)
        .where(
            DatedValue.status == "waiting",
            col(DatedValue.run_id).is_(None),
            col(DatedValue.day) <= today,
        )
        .order_by(col(DatedValue.id))
        .with_for_update(skip_locked=True, of=DatedValue)
    )
    found: dict[int, Due] = {}
    for store_id, number, person, run in db.exec(query):
        due = found.setdefault(store_id, Due([], set(), set()))
        due.ids.append(number or 0)
        due.people.add(person)
        due.runs.add(run)
    return found


def hand_over(db: Session, ids: Sequence[int], run_id: int) -> None:
    """Values are a run's from here on."""
    statement = "update dated_values set run_id = :run where id = any(:ids)"
    db.connection().execute(text(statement), {"run": run_id, "ids": list(ids)})


def due_of(db: Session, store_id: int, run_id: int) -> pl.DataFrame:
    """What a run is to write, as ``dated.DUE``; of products that are in the catalog."""
    values = {"store": store_id, "run": run_id, "out": TAKEN_OUT}
    texts = dict.fromkeys(DUE, pl.String) | {"id": pl.Int64}
    found = copy_out(db, _OF_RUN, values, texts)
    return found.with_columns(pl.col("day").str.to_date("%Y-%m-%d"))


def kept_from(db: Session, store_id: int, run_id: int) -> dict[str, list[str]]:
    """Keys by the field that is kept by hand, and that a delivery gave what the run is to write."""
    found: dict[str, list[str]] = {}
    values = {"store": store_id, "run": run_id}
    for key, field in db.connection().execute(text(_KEPT_FROM), values):
        found.setdefault(field, []).append(key)
    return found


def settle(db: Session, store_id: int, run_id: int, refused: pl.DataFrame) -> None:
    """The run has written its values, but for those ``refused``: key, field and reason."""
    connection = db.connection()
    connection.execute(text("create temp table refused (key text, field text, reason text) "
                            "on commit drop"))  # fmt: skip
    copy_frame(db, "refused", refused)
    values = {"store": store_id, "run": run_id, "out": TAKEN_OUT, "gone": _GONE}
    connection.execute(text(_SETTLE), values)
