"""What a delivery is prepared with: the plan, the catalog's side and what stands beside it, as one
transaction saw them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

import polars as pl
from pydantic import BaseModel, Field, model_validator
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.diff import Comparison, fields_beside
from nomotax.core.changes.held import Held
from nomotax.core.changes.later import Days
from nomotax.core.changes.picking import Picked
from nomotax.core.changes.remembered import ARTICLES
from nomotax.core.crosswalk.compiler import Plan, compile_plan
from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.crosswalk.scope import within_scope
from nomotax.core.matching.numbering import Numbers
from nomotax.core.resolve.offers import Standing
from nomotax.core.table import ROW
from nomotax.flows.changesets import changeset_name
from nomotax.flows.decisions import kept_of
from nomotax.flows.known import pairings_of
from nomotax.flows.offers import offered_before, scope_of, sources_of, standing_of
from nomotax.flows.picking import picked_of
from nomotax.flows.waiting import today
from nomotax.flows.workbench import context_of
from nomotax.records.database import session
from nomotax.records.dated import waiting_of
from nomotax.records.numbering import first_free
from nomotax.records.remembered import refused_of, remembered_of
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Delivery, Run
from nomotax.records.whole import held_of

#: What of a delivery a run keeps for itself.
USED = {"file_name", "received_at", "table_artifact", "columns", "reading", "uses",
         "pictures_artifact", "catalog"}  # fmt: skip


def delivery_used(db: Session, run: Run) -> Delivery:
    """The delivery as it was when the run began, whatever it is read as since."""
    present = Runs(db, run.store_id).delivery(run)
    return Delivery.model_validate(present.model_dump() | run.used)


class RowRange(BaseModel):
    """The rows of a trial, by their numbers, both ends among them; open ends are not given. Of
    those, with ``picked``, the articles that are picked in the feed's range."""

    first: int | None = Field(default=None, ge=1)
    last: int | None = Field(default=None, ge=1)
    picked: bool = False

    @model_validator(mode="after")
    def _rising(self) -> RowRange:
        if self.first and self.last and self.first > self.last:
            raise ValueError("a trial ends at a row behind its first one")
        return self

    @property
    def partial(self) -> bool:
        return self.first is not None or self.last is not None or self.picked

    def cut(self, arriving: pl.LazyFrame) -> pl.LazyFrame:
        """The rows within."""
        if not self.partial:
            return arriving
        within = pl.col(ROW) >= (self.first or 0)
        if self.last is not None:
            within &= pl.col(ROW) <= self.last
        return arriving.filter(within)


@dataclass(frozen=True)
class Work:
    """What a run prepares; ``brought`` are the keys that the feed brought when it was applied, as
    ``_brought`` gives them, None where it never was."""

    run: Run
    crosswalk: Crosswalk
    plan: Plan
    owner: str
    supplier_id: int
    table: str
    rules_revision: int
    rows: RowRange
    brought: pl.DataFrame | None
    picked: Picked
    standing: Standing | None
    beside: list[int]
    numbers: Numbers | None
    days: Days

    @property
    def arriving(self) -> pl.LazyFrame:
        """The rows of the delivery that are prepared."""
        return self.rows.cut(artifacts().scan(self.table))

    def products(self) -> Held:
        """The products of the store that they are compared with."""
        return held_of(self.run.store_id, fields_beside(self.plan))

    def comparison(self, products: Held) -> Comparison:
        """What fills and compares them."""
        store_id, feed = self.run.store_id, self.run.feed_id or 0
        asks = self.plan.identity.article is not None
        return Comparison(
            self.plan, products, self.owner, feed, kept_of(store_id),
            pairings_of(store_id, self.supplier_id) if asks else None, self.picked, self.standing,
            self.numbers, self.days, self.rows.picked, remembered_of(feed),
            refused_of(feed).select(*ARTICLES),
        )  # fmt: skip

    @property
    def gone(self) -> pl.DataFrame | None:
        """``brought``, where products that the delivery does not name are gone. What a feed that
        only completes does not name may well come from another one, unless a person has said what
        is to become of it; what a trial does not name may stand in the other rows."""
        policy = self.plan.policy
        complete = policy.products != "change" or policy.missing != "leave"
        return self.brought if complete and not self.rows.partial else None


def work_of(run: Run, bundle: Bundle) -> Work:
    """What a run of a delivery prepares by a crosswalk. Raises ``CrosswalkError``."""
    with session() as db:
        runs, stores = Runs(db, run.store_id), Stores(db)
        store = stores.get(run.store_id)
        schema = stores.schema(run.store_id)
        categories = frozenset(stores.category_paths(run.store_id))
        delivery = delivery_used(db, run)
        feed = runs.feed(run)
        owner = Feeds(db, run.store_id).supplier(feed).name
        last = runs.last_applied(known_id(feed), bundle.crosswalk.policy.after)
        picked = picked_of(db, feed)
    crosswalk, scope = bundle.crosswalk, scope_of(run)
    if scope is not None:
        competes = sources_of(store).competes(known_id(feed))
        crosswalk = within_scope(crosswalk.within(schema), scope, schema, going_over=competes)
    ctx = context_of(bundle, delivery, categories)
    plan = compile_plan(crosswalk.within(schema), schema, ctx, delivery.columns)
    with session() as db:
        before = offered_before(db, run)
        standing = standing_of(db, run, before, schema, plan.fields)
        rule = plan.identity.new_key if plan.numbers_keys else None
        free = first_free(db, run.store_id, known_id(feed), rule) if rule else 0
    return Work(
        run=run,
        crosswalk=crosswalk,
        plan=plan,
        owner=owner,
        supplier_id=feed.supplier_id,
        table=delivery.table_artifact or "",
        rules_revision=store.rules_revision,
        rows=RowRange(
            first=run.first_row, last=run.last_row, picked=run.used.get("picked_rows", False)
        ),
        brought=_brought(last) if last else None,
        picked=picked,
        standing=standing,
        beside=[known_id(one) for word in before for one in word],
        numbers=Numbers(rule, free) if rule else None,
        days=_days(run, plan),
    )


def _days(run: Run, plan: Plan) -> Days:
    """What of a run's values holds from a later day on."""
    on = run.used.get("day")
    days = Days(today(), date.fromisoformat(on) if on else None)
    fields = [one.field.name for one in days.dated(plan)]
    return replace(days, waiting=waiting_of(run.store_id, fields)) if fields else days


def _brought(runs: list[Run]) -> pl.DataFrame:
    """The keys that the rows of runs named, the newest first, and in how many deliveries in a row,
    with the one in hand, those are missing that it does not name."""
    named = [
        artifacts()
        .scan(changeset_name(run))
        .filter((pl.col("status") != "gone") & pl.col("key").is_not_null())
        .select(pl.col("key").unique(), pl.lit(times, dtype=pl.Int64).alias("times"))
        for times, run in enumerate(runs, 1)
    ]
    return pl.concat(named).group_by("key").agg(pl.col("times").min()).collect()
