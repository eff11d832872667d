"""Where a value comes from: on the bench, in a run's changeset, in the catalog, in a file."""

from __future__ import annotations

from datetime import datetime

import polars as pl
from pydantic import BaseModel

from nomotax.artifacts.store import artifacts
from nomotax.core.crosswalk.compiler import Plan, compile_plan
from nomotax.core.crosswalk.model import Bundle
from nomotax.core.crosswalk.trace import Trace, trace
from nomotax.core.errors import NotFound
from nomotax.core.flow.context import Lookups
from nomotax.core.table import ROW
from nomotax.flows.runs import delivery_used
from nomotax.flows.workbench import context_of, open_workbench
from nomotax.records.database import session
from nomotax.records.repositories import Catalog, Feeds, LookupsRepository, Runs, Stores
from nomotax.records.tables import Delivery


class Decided(BaseModel):
    """Who last changed a look-up that the value went through."""

    table: str
    at: datetime
    author: str
    said: str


class TracedValue(BaseModel):
    """A trace with its delivery and the version it ran by (None for the draft)."""

    trace: Trace
    file_name: str
    received_at: datetime
    supplier: str
    version: int | None
    version_author: str
    decided: list[Decided]


def trace_on_bench(
    feed_id: int, field: str, row: int, delivery_id: int | None = None
) -> TracedValue:
    """A result cell of the bench, by the draft. Raises ``NotFound``."""
    bench = open_workbench(feed_id, delivery_id)
    arriving = bench.window(max(row - 1, 0), 1)
    return _traced(bench.plan, arriving, field, bench.lookups, bench.store_id, bench.delivery,
                   bench.supplier, None, "")  # fmt: skip


def trace_in_run(run_id: int, key: str, field: str) -> TracedValue:
    """A product's field as a run filled it. Raises ``NotFound``."""
    with session() as db:
        runs, stores = Runs(db), Stores(db)
        run = runs.get(run_id)
        version = runs.version(run)
        bundle = Bundle.model_validate(version.bundle)
        delivery = delivery_used(db, run)
        supplier = Feeds(db).supplier(runs.feed(run))
        schema = stores.schema(supplier.store_id)
        ctx = context_of(bundle, delivery, frozenset(stores.category_paths(supplier.store_id)))
    plan = compile_plan(bundle.crosswalk, schema, ctx, delivery.columns, {})
    frame = artifacts().scan(delivery.table_artifact or "").collect()
    rows = plan.keys(frame).filter(pl.col("key") == key)[ROW]
    if rows.len() == 0:
        raise NotFound(f"No row of {delivery.file_name} made the product {key}.")
    arriving = frame.filter(pl.col(ROW) == rows[0])
    return _traced(plan, arriving, field, bundle.lookups(), supplier.store_id, delivery,
                   supplier.name, version.number, version.author)  # fmt: skip


def trace_in_catalog(store_id: int, key: str, field: str) -> TracedValue:
    """A field of a product as the run that wrote it filled it. Raises ``NotFound``."""
    with session() as db:
        run_id = Catalog(db).writer(store_id, key, field)
        kind = Runs(db).get(run_id).kind
    if kind != "delivery":
        raise NotFound(f"Run {run_id} put this value here; {_PUT[kind]}.")
    return trace_in_run(run_id, key, field)


#: How runs of no delivery come to a value.
_PUT = {
    "undo": "it took another run back",
    "edit": "a person wrote it",
    "restore": "it stood in a snapshot",
}


def _traced(
    plan: Plan,
    arriving: pl.DataFrame,
    field: str,
    lookups: Lookups,
    store_id: int,
    delivery: Delivery,
    supplier: str,
    version: int | None,
    author: str,
) -> TracedValue:
    if field not in plan.fields or arriving.height == 0:
        raise NotFound(f"The crosswalk does not fill {field!r} for this row.")
    found = trace(plan, arriving, field, lookups)
    with session() as db:
        repo = LookupsRepository(db)
        changes = [repo.last_change(store_id, s.kind, s.table) for s in found.steps if s.table]
        decided = [
            Decided(table=c.name, at=c.at, author=c.author, said=c.said)
            for c in changes
            if c is not None
        ]
    return TracedValue(
        trace=found,
        file_name=delivery.file_name,
        received_at=delivery.received_at,
        supplier=supplier,
        version=version,
        version_author=author,
        decided=decided,
    )
