"""Where a value comes from: on the bench, in a run's changeset, in the catalog, in a file."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

import polars as pl
from pydantic import BaseModel

from nomotax.artifacts.store import artifacts
from nomotax.core.crosswalk.compiler import Plan, as_text, compile_plan
from nomotax.core.crosswalk.model import Bundle
from nomotax.core.crosswalk.trace import Trace, TraceStep, trace
from nomotax.core.errors import NotFound
from nomotax.core.flow.context import Lookups
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.schema.model import StoreSchema
from nomotax.core.table import ROW
from nomotax.flows.changesets import changeset_name
from nomotax.flows.offers import offer_behind
from nomotax.flows.preparing import delivery_used
from nomotax.flows.workbench import context_of, open_workbench
from nomotax.records.catalog import Catalog
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.dated import DatedValues
from nomotax.records.lookups import At, LookupsRepository
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import CrosswalkVersion, Delivery, LookupEntry, LookupRevision


class Decided(BaseModel):
    """Who gave the answer of a look-up that the value went through, or last changed it where no
    single answer decided; ``step`` is the place of the step in the trace."""

    step: int
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
    arriving = bench.source.window(max(row - 1, 0), 1)
    by = _By(bench.store_id, bench.lookups, bench.target.at)
    return _traced(bench.plan, arriving, field, by, bench.source.delivery, bench.source.supplier)


def trace_in_run(run_id: int, key: str, field: str) -> TracedValue:
    """A product's field as a run filled it, or as that of another feed did whose offer holds.
    Raises ``NotFound``."""
    with session() as db:
        asked = Runs.holding(db, run_id).get(run_id)
    other = offer_behind(asked, key, field) if asked.used.get("beside") else None
    return _said_in_run(run_id if other is None else other, key, field)


def _said_in_run(run_id: int, key: str, field: str) -> TracedValue:
    """What a run's feed says of a field, whether that holds or not."""
    return row_in_run(run_id, key).traced(field)


@dataclass(frozen=True)
class RowInRun:
    """The row of a delivery that a run took for a product, and what it was filled by."""

    bundle: Bundle
    schema: StoreSchema
    categories: frozenset[str]
    delivery: Delivery
    supplier: str
    arriving: pl.DataFrame
    by: _By

    def _plan(self, bundle: Bundle) -> Plan:
        context = context_of(bundle, self.delivery, self.categories)
        return compile_plan(bundle.crosswalk, self.schema, context, self.delivery.columns, {})

    def traced(self, field: str, ladder: Ladder | None = None) -> TracedValue:
        """The way of a field, or what it would be with another ``ladder`` in the place of the one
        of its name. Raises ``NotFound`` for a field that is not filled."""
        bundle = self.bundle
        if ladder is not None:
            others = (one for one in bundle.ladders if one.name != ladder.name)
            bundle = bundle.model_copy(update={"ladders": (*others, ladder)})
        by = replace(self.by, lookups=bundle.lookups())
        plan = self._plan(bundle)
        return _traced(plan, self.arriving, field, by, self.delivery, self.supplier)

    def values(self, fields: Sequence[str]) -> dict[str, str | None]:
        """What the row fills of some fields, as text."""
        plan = self._plan(self.bundle)
        filled = plan.fill(self.arriving)
        there = [f for f in fields if f in plan.fields]
        texts = filled.select(as_text(plan[f].field, pl.col(f)).alias(f) for f in there)
        return texts.row(0, named=True) if there else {}


def row_in_run(run_id: int, key: str) -> RowInRun:
    """Raises ``NotFound`` where no row of the delivery made the product."""
    with session() as db:
        runs, stores = Runs.holding(db, run_id), Stores(db)
        run, store_id = runs.get(run_id), runs.store_id
        version, walks = runs.version(run), Crosswalks(db, store_id)
        bundle = walks.bundle(version)
        by = _By(store_id, bundle.lookups(), walks.marks(version), version)
        delivery = delivery_used(db, run)
        supplier = Feeds(db, store_id).supplier(runs.feed(run)).name
        schema = stores.schema(store_id)
        categories = frozenset(stores.category_paths(store_id))
    lines = artifacts().scan(changeset_name(run)).filter(pl.col("key") == key)
    # The one that was taken, where several rows were about the product.
    rows = lines.sort(~pl.col("status").is_in(["new", "changed", "same"]), "row").select("row")
    found = rows.drop_nulls().head(1).collect()["row"]
    if found.len() == 0:
        raise NotFound(f"No row of {delivery.file_name} made the product {key}.")
    whole = artifacts().scan(delivery.table_artifact or "")
    arriving = whole.filter(pl.col(ROW) == found[0]).collect()
    return RowInRun(bundle, schema, categories, delivery, supplier, arriving, by)


def trace_in_catalog(store_id: int, key: str, field: str) -> TracedValue:
    """A field of a product as the run that wrote it filled it. Raises ``NotFound``."""
    with session() as db:
        catalog = Catalog(db, store_id)
        run_id = catalog.writer(key, field)
        kind = Runs.holding(db, run_id).get(run_id).kind
        if kind == "dated":
            product = known_id(catalog.product(key))
            given_by = DatedValues(db, store_id).giver(run_id, product, field)
            run_id, kind = (run_id, kind) if given_by is None else (given_by, "delivery")
    if kind != "delivery":
        raise NotFound(f"Run {run_id} put this value here; {_PUT[kind]}.")
    return trace_in_run(run_id, key, field)


#: How runs of no delivery come to a value.
_PUT = {
    "undo": "it took another run back",
    "edit": "a person wrote it",
    "restore": "it stood in a snapshot",
    "dated": "its day had come",
}


@dataclass(frozen=True)
class _By:
    """The look-ups that a value went through, at which revisions, and the version that said so;
    None for the draft."""

    store_id: int
    lookups: Lookups
    at: Mapping[tuple[str, str], At]
    version: CrosswalkVersion | None = None

    def decided(self, steps: Sequence[TraceStep]) -> list[Decided]:
        """Who decided each step that asked a look-up."""
        with session() as db:
            repo = LookupsRepository(db, self.store_id)
            found = [(n, step, self._of(repo, step)) for n, step in enumerate(steps) if step.table]
            return [
                Decided(step=n, table=step.table, at=by.at, author=by.author, said=said)
                for n, step, (by, said) in found
                if by is not None
            ]

    def _of(
        self, repo: LookupsRepository, step: TraceStep
    ) -> tuple[LookupEntry | LookupRevision | None, str]:
        _, number = self.at.get((step.kind, step.table), (0, 0))
        if step.entry:
            given = repo.answer_at(step.kind, step.table, step.entry, number)
            return given, f"'{step.entry}' answered"
        last = next(iter(repo.changes(step.kind, step.table, number)), None)
        return last, last.said if last else ""


def _traced(
    plan: Plan,
    arriving: pl.DataFrame,
    field: str,
    by: _By,
    delivery: Delivery,
    supplier: str,
) -> TracedValue:
    if field not in plan.fields or arriving.height == 0:
        raise NotFound(f"The crosswalk does not fill {field!r} for this row.")
    found = trace(plan, arriving, field, by.lookups)
    return TracedValue(
        trace=found,
        file_name=delivery.file_name,
        received_at=delivery.received_at,
        supplier=supplier,
        version=by.version.number if by.version else None,
        version_author=by.version.author if by.version else "",
        decided=by.decided(found.steps),
    )
