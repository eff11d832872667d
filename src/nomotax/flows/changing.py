"""One change of many products of the catalog: a run that is looked at before it is applied."""

from __future__ import annotations

import polars as pl

from nomotax.core.changes.bulk import BulkChange, changed_cells, plan_of, refuse_unwritten
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.crosswalk.compiler import TOLD
from nomotax.core.crosswalk.problems import PROBLEM_SCHEMA
from nomotax.core.errors import Conflict
from nomotax.core.schema.model import StoreSchema
from nomotax.core.showing import Selection
from nomotax.flows.changesets import keep_changeset
from nomotax.flows.headings import label_of
from nomotax.flows.listing import Listing, listing_of
from nomotax.flows.needs import asked_of
from nomotax.flows.publishing import prepare_states
from nomotax.flows.run_states import Progress, move
from nomotax.records.database import session
from nomotax.records.queue import enqueue
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run


class BulkEdit(Selection):
    """The products that are shown, and what becomes of a field of theirs."""

    change: BulkChange

    @property
    def shown(self) -> Selection:
        """Which products these are."""
        return Selection.model_validate(self.model_dump(exclude={"change"}))


def start_change(store_id: int, edit: BulkEdit) -> Run:
    """A run that changes a field of many products, to be prepared and looked at. Raises
    ``Conflict`` where there is none, ``CrosswalkError`` and ``UnfitValue`` for a change that is
    none."""
    with session() as db:
        asked = asked_of(db, store_id, edit.shown.where)
        refuse_unwritten(edit.change, asked.schema)
        if edit.change.do == "formula":
            plan_of(edit.change, asked.schema, frozenset(Stores(db).category_paths(store_id)))
        found = listing_of(db, store_id).count(edit.shown, asked)
        if not found:
            raise Conflict("There is no product here.", remedy="Choose other products.")
        called = edit.change.said(label_of(asked.schema, edit.change.field))
        run = Runs(db, store_id).add(
            kind="edit",
            stage="waiting for a worker",
            used={"bulk": edit.model_dump(mode="json"), "file_name": called[:200]},
        )
        enqueue(db, "prepare", run_id=known_id(run))
        return run


def prepare_edit(run_id: int, tell: Progress) -> None:
    """What an edit of many products would do, kept for a person to look at."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
    if "states" in run.used:
        prepare_states(run_id, tell)
    else:
        _prepare_change(run_id, tell)


def _prepare_change(run_id: int, tell: Progress) -> None:
    tell(10, "loading the catalog")
    with session() as db:
        run, stores = Runs.holding(db, run_id).get(run_id), Stores(db)
        store = stores.get(run.store_id)
        edit = BulkEdit.model_validate(run.used["bulk"])
        asked = asked_of(db, run.store_id, edit.shown.where)
        categories = frozenset(stores.category_paths(run.store_id))
        listing = listing_of(db, run.store_id)
        shown = listing.shown(edit.shown, asked)
    schema, change = asked.schema, edit.change
    products = _products(listing, schema, change).join(shown.select("key"), on="key", how="semi")
    products = products.rename({"key": schema.key})
    tell(40, "working it out")
    told = changed_cells(change, schema, products, categories)
    old = products.select(pl.col(schema.key).alias("key"), pl.col(change.field).alias("old"))
    told = told.join(old, on="key", how="left", maintain_order="left")
    told = told.filter(pl.col("why").is_not_null() | pl.col("written").ne_missing(pl.col("old")))
    if schema[change.field].unique:
        told = _differing(told, listing.values([change.field]), change.field, schema)
    titles = shown.select("key", "title")
    lines = told.join(titles, on="key", how="left", maintain_order="left").select(
        pl.lit(None, pl.Int64).alias("row"), "key", "title",
        pl.when(pl.col("why").is_null()).then(pl.lit("changed")).otherwise(pl.lit("rejected"))
        .alias("status"),
        pl.col("why").alias("reason"),
        pl.when(pl.col("why").is_null()).then(pl.lit([change.field]))
        .otherwise(pl.lit([], pl.List(pl.String))).alias("fields"),
        pl.col("written").alias(NEW + change.field), pl.col("old").alias(OLD + change.field),
    ).sort("status", maintain_order=True)  # fmt: skip
    counts = {name: lines.filter(pl.col("status") == name).height
              for name in ("changed", "rejected")}  # fmt: skip
    counts["same"] = shown.height - lines.height
    kept = keep_changeset(run, lines.lazy(), pl.DataFrame(schema=PROBLEM_SCHEMA))
    said = ", ".join(f"{n} {status}" for status, n in counts.items() if n)
    with session() as db:
        move(db, run_id, "prepared", f"prepared: {said}", progress=100, counts=counts, **kept,
             rules_revision=store.rules_revision)  # fmt: skip


def _products(listing: Listing, schema: StoreSchema, change: BulkChange) -> pl.DataFrame:
    """key and the fields that are needed: all of them only where a formula may ask for any."""
    names = schema.names if change.do == "formula" else [change.field]
    names = [name for name in names if name != schema.key]
    return listing.values(names).rename({TOLD + name: name for name in names})


def _differing(
    told: pl.DataFrame, every: pl.DataFrame, field: str, schema: StoreSchema
) -> pl.DataFrame:
    """Cells whose values no other product would have then; the others are refused."""
    after = every.join(told.select("key", "written", "why"), on="key", how="left")
    changes = pl.col("key").is_in(told["key"].implode()) & pl.col("why").is_null()
    now = pl.when(changes).then("written").otherwise(TOLD + field).alias("now")
    doubled = after.select("key", now).filter(pl.col("now").is_not_null())
    doubled = doubled.filter(pl.len().over("now") > 1)
    label = label_of(schema, field)
    said = pl.format("{}: several products would have '{}'", pl.lit(label), pl.col("written"))
    mine = pl.col("key").is_in(doubled["key"].implode()) & pl.col("why").is_null()
    return told.with_columns(pl.when(mine).then(said).otherwise("why").alias("why"))
