"""A run's changes written to the catalog: in one transaction, all of it or nothing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from dataclasses import field as dataclass_field
from time import monotonic

import polars as pl
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.later import GIVEN, LATER, given
from nomotax.core.changes.offers import OF_ARTICLE
from nomotax.core.changes.remembered import ARTICLES, NOT_MADE_BEFORE, REMEMBERED
from nomotax.core.changes.restoring import MADE
from nomotax.core.changes.staging import Heading, new_products, product_deltas
from nomotax.core.changes.taking_back import STAYS
from nomotax.core.crosswalk.identity import KeyRule
from nomotax.core.errors import StaleChangeset
from nomotax.core.schema.model import StoreSchema
from nomotax.flows.changesets import MOVED, changeset_name
from nomotax.flows.deciding import refuse_held, verdicts_of
from nomotax.flows.headings import headings_of
from nomotax.flows.offers import scope_of
from nomotax.flows.restoring import restored_products
from nomotax.flows.run_states import Progress, ending, move, pace
from nomotax.flows.snapshots import take_before
from nomotax.flows.undoing import apply_undo
from nomotax.records.bulk import Shape
from nomotax.records.catalog import Catalog
from nomotax.records.changes import Changes, Touched, stale
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.dated import DatedValues, settle
from nomotax.records.pairings import Pairings
from nomotax.records.queue import enqueue
from nomotax.records.remembered import Declined, refused_of, remembered_of
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

#: Fields of products.
_SAID = {"key": pl.String, "field": pl.String}
#: Where a line stands in its changeset, and the lists of what it writes.
_AT, _LISTS = "__at", ("fields", LATER)
_WRITES = pl.col("status").is_in(["new", "changed"])


def request_apply(run_id: int, snapshot_first: bool = False) -> Run:
    """Queue the writing of a prepared run, with a snapshot of the catalog right before it where
    that is asked for. Raises ``Conflict`` for a run in another state."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
        refuse_held(run)
        used = run.used | {"snapshot_first": snapshot_first}
        stage = "waiting for a worker"
        run = move(db, run_id, "applying", progress=0, stage=stage, stop_requested=False, used=used)
        # Runs of one store come one after the other.
        enqueue(db, "apply", lock=f"store {run.store_id}", run_id=run_id)
        return run


def apply(run_id: int) -> None:
    """Write a run's changes to the catalog. Of a run that is no longer waiting for it, as when a
    job is delivered twice, nothing is done. One that has grown stale is prepared again."""
    try:
        _apply(run_id)
    except StaleChangeset as error:
        _have_it_looked_at_again(run_id, error)


def _have_it_looked_at_again(run_id: int, error: StaleChangeset) -> None:
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
        used = run.used | {"since": f"nothing was written: {error.message} {error.where}"}
        move(db, run_id, "queued", "prepared again", progress=0, stage="waiting for a worker",
             used=used)  # fmt: skip
        enqueue(db, "prepare", run_id=run_id)


def _apply(run_id: int) -> None:
    with ending(run_id, "applying") as tell:
        with session() as db:
            run = Runs.holding(db, run_id).get(run_id)
            if run.status != "applying":
                return
            schema = Stores(db).schema(run.store_id)
        if run.kind == "undo":
            _take_back(run_id, schema, tell)
            return
        heading = headings_of(schema)
        tell(1, "loading the changeset")
        written = _written(run, heading, schema.key)
        tell(5, "copying")
        with session() as db:
            run = _take_turn(db, run_id, tell)
            if run.status == "applying":
                _write(db, run, written, heading, tell)
                Stores(db).get(run.store_id).revision += 1


@dataclass(frozen=True)
class _Written:
    """The products that a run makes, once they are in ``shape``, what it changes of others, what
    waits for its day, fields with the products in which they are kept by hand from now on, and how
    many lines guards hold. ``declined`` are values that people would not have until others come,
    ``said`` the fields of products of which the feed has others than the catalog, and ``refused``
    the articles whose products people would not have made."""

    made: pl.DataFrame
    deltas: pl.DataFrame
    shape: Shape = lambda part: part
    later: pl.DataFrame = dataclass_field(default_factory=lambda: pl.DataFrame(schema=GIVEN))
    kept: list[tuple[str, tuple[str, ...]]] = dataclass_field(default_factory=list)
    held: int = 0
    declined: pl.DataFrame = dataclass_field(
        default_factory=lambda: pl.DataFrame(schema=REMEMBERED)
    )
    said: pl.DataFrame = dataclass_field(default_factory=lambda: pl.DataFrame(schema=_SAID))
    refused: pl.DataFrame = dataclass_field(default_factory=lambda: pl.DataFrame(schema=ARTICLES))


def _written(run: Run, heading: Heading, key: str) -> _Written:
    scan = artifacts().scan(changeset_name(run))
    if run.kind in ("restore", "dated"):
        frame = scan.filter(pl.col("status") != STAYS).collect()
        restored = restored_products(frame, heading, run)
        return _Written(restored, product_deltas(frame.filter(~pl.col(MADE))))
    frame = scan.with_row_index(_AT).filter(_WRITES | MOVED).collect()
    kept: list[tuple[str, tuple[str, ...]]] = []
    held, declined, said = 0, pl.DataFrame(schema=REMEMBERED), pl.DataFrame(schema=_SAID)
    refused = pl.DataFrame(schema=ARTICLES)
    if run.kind == "delivery" and remembered_of(run.feed_id or 0).height:
        said = _said(frame)
    if run.kind == "delivery" and (verdicts := verdicts_of(run)):
        kept, held = verdicts.kept(), int(verdicts.held().gather(frame[_AT]).sum())
        declined = verdicts.remembered(frame, frame[_AT])
        refused = verdicts.not_made(frame, frame[_AT], key)
        left = verdicts.left(verdicts.corrected(frame, frame[_AT]), frame[_AT])
        frame = left.filter(
            pl.any_horizontal(pl.col(c).list.len() > 0 for c in left.columns if c in _LISTS)
        )
    if run.kind == "edit":
        made = new_products(frame.clear(), heading).with_columns(supplier_id=pl.lit(0))
        return _Written(made, product_deltas(frame))
    new = pl.col("status") == "new"
    with session() as db:
        supplier = known_id(Feeds(db, run.store_id).supplier(Runs(db, run.store_id).feed(run)))

    def shape(part: pl.DataFrame) -> pl.DataFrame:
        return new_products(part, heading).with_columns(supplier_id=pl.lit(supplier))

    others = frame.filter(~new)
    changed = others.filter(pl.col("fields").list.len() > 0)
    return _Written(
        frame.filter(new),
        product_deltas(changed),
        shape,
        given(others),
        kept,
        held,
        declined,
        said,
        refused,
    )


def _said(frame: pl.DataFrame) -> pl.DataFrame:
    """Each field of products in which a feed has another value than the catalog."""
    there = frame.filter(pl.col("status") == "changed")
    lists = [there.select("key", pl.col(c).alias("field")) for c in _LISTS if c in there.columns]
    return pl.concat(lists).explode("field").drop_nulls().unique()


def _take_back(run_id: int, schema: StoreSchema, tell: Progress) -> None:
    tell(10, "taking back")
    with session() as db:
        run = _take_turn(db, run_id, tell)
        if run.status == "applying":
            apply_undo(db, run, schema)
            Stores(db).get(run.store_id).revision += 1


def _take_turn(db: Session, run_id: int, tell: Progress) -> Run:
    """Lock the run's store until this transaction ends; gives the run as it is behind the lock.
    The catalog as it is before the run is kept, where that was asked for."""
    run = Runs.holding(db, run_id).get(run_id)
    store = Stores(db).locked(run.store_id)
    db.refresh(run)
    if run.status == "applying" and run.used.get("snapshot_first"):
        tell(6, "taking a snapshot")
        take_before(db, store, run)
    return run


def _write(
    db: Session,
    run: Run,
    written: _Written,
    heading: Heading,
    tell: Progress,
) -> None:
    _still_ruled(db, run)
    made, deltas = written.made, written.deltas
    changes, total = Changes(db, run.store_id, known_id(run)), made.height + deltas.height
    changes.stage(deltas, _telling(tell, 5, total))
    # What is kept by hand a person may change, at once or from a day on.
    kept = changes.leave_kept() if run.kind not in ("dated", "edit") else 0
    _refuse_stale(changes.stale())
    tell(50, "writing products")
    changed = changes.write(heading)
    changes.make(made, _telling(tell, 60, total), written.shape)
    _pair_numbered(db, run, made)
    waits = DatedValues(db, run.store_id).give(known_id(run), written.later)
    for field, keys in written.kept:
        Catalog(db, run.store_id).keep_those(keys, field, run.actor)
    _remember(db, run, written)
    changes.make_known(made.height, changed)
    if run.kind == "dated":
        settle(db, run.store_id, known_id(run), _refused(run))
    said = f"applied: {made.height} products made, {changed} changed"
    said += f"; kept by hand, and left: {kept}" if kept else ""
    said += f"; {waits} values wait for their day" if waits else ""
    said += f"; held by guards, and left: {written.held}" if written.held else ""
    move(db, known_id(run), "applied", said, progress=100, finished_at=now())


def _remember(db: Session, run: Run, written: _Written) -> None:
    """What is declined until the supplier says something else; where that is so now, what was
    declined before is over."""
    if run.kind != "delivery" or run.feed_id is None:
        return
    memory, run_id = Declined(db, run.store_id), known_id(run)
    if written.said.height:
        over = remembered_of(run.feed_id).join(written.said, on=["key", "field"], how="semi")
        memory.end(run_id, over["id"].to_list())
    memory.keep(run.feed_id, run_id, written.declined)
    if scope_of(run) is None:
        _refuse(memory, run, written.refused)


def _refuse(memory: Declined, run: Run, refused: pl.DataFrame) -> None:
    """Articles whose products are not made; of those that say another thing now, or whose product
    is there, that is over."""
    before, run_id, feed = refused_of(run.feed_id or 0), known_id(run), run.feed_id or 0
    if before.height:
        lines = artifacts().scan(changeset_name(run)).filter(pl.col("row").is_not_null())
        still = pl.col("reason").eq_missing(NOT_MADE_BEFORE)
        others = lines.filter(~still).select(pl.col(OF_ARTICLE).alias("article")).collect()
        over = before.join(others.drop_nulls(), on="article", how="semi")
        memory.end_refusals(run_id, over["id"].to_list())
    memory.refuse(feed, run_id, refused)


def _pair_numbered(db: Session, run: Run, made: pl.DataFrame) -> None:
    """Articles whose products have numbers of the store's are paired with them: by that they are
    found the next time."""
    numbered = run.used.get("numbered")
    if not numbered or not numbered["paired"]:
        return
    rule = KeyRule.model_validate(numbered["rule"])
    given = rule.keys(numbered["first"], numbered["last"])
    own = made.filter(pl.col("key").is_in(given.implode())).drop_nulls(OF_ARTICLE)
    supplier = known_id(Feeds(db, run.store_id).supplier(Runs(db, run.store_id).feed(run)))
    pairs = own.select(pl.col(OF_ARTICLE).alias("article"), "key")
    Pairings(db, run.store_id).made(supplier, known_id(run), pairs)


def _refused(run: Run) -> pl.DataFrame:
    """Why values stay as they are: key, field and reason."""
    stay = artifacts().scan(changeset_name(run)).filter(pl.col("status") == STAYS)
    rows = stay.select("key", pl.col("fields").alias("field"), "reason").explode("field").collect()
    return rows.unique(["key", "field"], keep="last", maintain_order=True)


def _telling(tell: Progress, begin: int, total: int) -> Callable[[int], None]:
    started = monotonic()

    def copied(done: int) -> None:
        tell(
            begin + 35 * done // max(1, total),
            f"copying {pace(done, total, monotonic() - started)}",
        )

    return copied


def _still_ruled(db: Session, run: Run) -> None:
    rules = Stores(db).get(run.store_id).rules_revision
    if rules != run.rules_revision:
        raise stale("the store's fields or categories were edited since")
    joined = run.used.get("catalog") if run.kind == "delivery" else None
    if joined not in (None, Stores(db).get(run.store_id).revision):
        raise stale("the catalog that its rows were joined with has changed since")


def _refuse_stale(touched: list[Touched]) -> None:
    if touched:
        shown = ", ".join(f"{t.key} ({t.field})" if t.field else t.key for t in touched[:5])
        raise stale(f"{shown}{' …' if len(touched) > 5 else ''}")
