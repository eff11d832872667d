"""What is wrong with the products of a store: values that it does not take as its schema and its
categories are by now, prices under cost, and rows of the last deliveries that are held or refused.
"""

from __future__ import annotations

import secrets
from collections import OrderedDict
from collections.abc import Iterable, Iterator
from datetime import datetime, timedelta
from threading import Lock

import polars as pl
from pydantic import BaseModel
from sqlalchemy import text
from sqlmodel import Session, select

from nomotax.artifacts.store import artifacts
from nomotax.core.at_once import each_of
from nomotax.core.changes.fitting import FLAW, flaws
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.core.schema.model import StoreSchema
from nomotax.flows.changesets import changeset_name
from nomotax.flows.headings import label_of
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.products import Product
from nomotax.records.queue import enqueue, without_job
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run
from nomotax.records.whole import products_by_key, products_of

#: What stands for a field where it is the row of a delivery that is held or refused.
ROW_OF = "$row"
_ROW_LABEL = "Its row in the last delivery"
#: So many stores are held at a time; so many products are looked at again one by one.
_HELD, _AGAIN = 4, 20_000
#: A transaction that was open while the products were read may end a while later.
_LATE = timedelta(minutes=10)


class ProblemLine(BaseModel):
    """What is wrong in a field, and of how many products; of one product, what is said of it."""

    field: str
    label: str
    count: int
    said: str = ""


class Problems(BaseModel):
    """``total`` products have a problem; those of most products first. Nothing is known yet while
    a worker is ``looking``."""

    total: int
    problems: list[ProblemLine]
    looking: bool = False


class _Looked(BaseModel):
    """The products of a store as they were ``at`` a moment, at revisions of its rules and of its
    catalog; what was wrong is kept in ``artifact``."""

    rules: int
    revision: int
    at: datetime
    artifact: str = ""


_LOOKED: OrderedDict[tuple[int, int], tuple[_Looked, pl.DataFrame]] = OrderedDict()
_ROWS: OrderedDict[str, pl.DataFrame] = OrderedDict()
_GUARD = Lock()


def flaws_of(db: Session, store_id: int) -> pl.DataFrame | None:
    """What is wrong with each product, as ``FLAW``; of the last delivery's rows under ``ROW_OF``.
    None while a worker is still looking. Raises ``NotFound``."""
    values = _values_of(db, store_id)
    return None if values is None else pl.concat([values, _rows_of(db, store_id)])


def _values_of(db: Session, store_id: int) -> pl.DataFrame | None:
    """Looked at anew, or where that was done before at what has changed since; of many products by
    a worker."""
    store, known = Stores(db).get(store_id), _known(db, store_id)
    now_at = _Looked(rules=store.rules_revision, revision=store.revision, at=now())
    if known is not None and known[0].rules == store.rules_revision:
        before, found = known
        if before.revision == store.revision:
            return found
        since = _changed(db, store_id, before.at - _LATE)
        if since is not None:
            schema, categories = _rules(db, store_id)
            left = found.filter(~pl.col("key").is_in(pl.Series(since, dtype=pl.String).implode()))
            rows = products_of(store_id, schema.names, since)
            return _remember(db, store_id, now_at, [left, _flaws(rows, schema, categories)])
    if _changed(db, store_id, None) is None:
        _have_it_looked_at(db, store_id)
        return None
    return _remember(db, store_id, now_at, _whole(db, store_id))


def _rules(db: Session, store_id: int) -> tuple[StoreSchema, frozenset[str]]:
    stores = Stores(db)
    return stores.schema(store_id), frozenset(stores.category_paths(store_id))


def _whole(db: Session, store_id: int) -> Iterator[pl.DataFrame]:
    schema, categories = _rules(db, store_id)
    pieces = products_by_key(store_id, schema.names)
    return each_of(lambda piece: _flaws(piece, schema, categories), pieces)


def _place(db: Session, store_id: int) -> tuple[int, int]:
    # A database that was put in the place of another has an id of its own.
    oid = text("select oid::int from pg_database where datname = current_database()")
    return db.connection().execute(oid).scalar_one(), store_id


def _known(db: Session, store_id: int) -> tuple[_Looked, pl.DataFrame] | None:
    """What was found last: here, or by a worker since."""
    kept = Stores(db).get(store_id).looked
    with _GUARD:
        known = _LOOKED.get(_place(db, store_id))
    if not kept or (known is not None and known[0].at >= _Looked.model_validate(kept).at):
        return known
    looked = _Looked.model_validate(kept)
    if not artifacts().exists(looked.artifact):
        return known
    _remember(db, store_id, looked, [artifacts().scan(looked.artifact).collect()])
    with _GUARD:
        return _LOOKED.get(_place(db, store_id))


def _remember(
    db: Session, store_id: int, looked: _Looked, parts: Iterable[pl.DataFrame]
) -> pl.DataFrame:
    found: pl.DataFrame = pl.concat([pl.DataFrame(schema=FLAW), *parts])
    place = _place(db, store_id)
    with _GUARD:
        _LOOKED[place] = looked, found
        _LOOKED.move_to_end(place)
        while len(_LOOKED) > _HELD:
            _LOOKED.popitem(last=False)
    return found


def _have_it_looked_at(db: Session, store_id: int) -> None:
    """Unless a worker is about to."""
    free = text(f"select {without_job('store_id', ':store')}")
    if db.connection().execute(free, {"store": store_id}).scalar_one():
        enqueue(db, "look_at_products", store_id=store_id)


def look_at_products(store_id: int) -> None:
    """A task: look at the values of every product, and keep what is wrong."""
    with session() as db:
        store = Stores(db).get(store_id)
        looked = _Looked(rules=store.rules_revision, revision=store.revision, at=now())
        found = pl.concat([pl.DataFrame(schema=FLAW), *_whole(db, store_id)])
    artifact = f"flaws/{store_id}-{looked.rules}-{looked.revision}-{secrets.token_hex(4)}.parquet"
    artifacts().write_frame(artifact, found)
    with session() as db:
        store = Stores(db).get(store_id)
        before = store.looked.get("artifact", "")
        store.looked = looked.model_copy(update={"artifact": artifact}).model_dump(mode="json")
        db.add(store)
    if before:
        artifacts().remove(before)


def _changed(db: Session, store_id: int, since: datetime | None) -> list[str] | None:
    """Keys of the products that have changed since a moment, or of all; None where they are too
    many."""
    query = select(Product.key).where(Product.store_id == store_id)
    query = query.where(Product.changed_at >= since) if since else query
    keys = list(db.exec(query.limit(_AGAIN + 1)))
    return keys if len(keys) <= _AGAIN else None


def _flaws(products: pl.DataFrame, schema: StoreSchema, categories: frozenset[str]) -> pl.DataFrame:
    there = products.filter(pl.col(STATE).ne_missing(TAKEN_OUT))
    rows = there.select("key", *(pl.col(OLD + f).alias(NEW + f) for f in schema.names))
    return flaws(rows, schema, categories).select(*FLAW)


def _rows_of(db: Session, store_id: int) -> pl.DataFrame:
    """Rows about products that are held or refused in the newest run of each feed, as ``FLAW``."""
    runs, found = Runs(db, store_id), [pl.DataFrame(schema=FLAW)]
    for feed, supplier in Feeds(db, store_id).all():
        newest = next(iter(runs.filling(known_id(feed))), None)
        if newest is not None and newest.status in ("prepared", "applied"):
            found.append(_stopped(newest, supplier.name))
    return pl.concat(found)


def _stopped(run: Run, supplier: str) -> pl.DataFrame:
    """The rows of a run that are held or refused; its changeset never changes."""
    with _GUARD:
        known = _ROWS.get(run.changes)
    if known is not None:
        return known
    none = pl.DataFrame(schema=FLAW)
    if not (run.counts.get("held") or run.counts.get("rejected")) or not artifacts().exists(
        changeset_name(run)
    ):
        return none
    stops = pl.col("status").is_in(["held", "rejected"]) & pl.col("key").is_not_null()
    said = pl.format("Its row {} of {} is {}: {}", "row", pl.lit(supplier), "status", "reason")
    lines = artifacts().scan(changeset_name(run)).filter(stops)
    found = lines.select("key", pl.lit(ROW_OF).alias("field"), said.alias("message")).collect()
    with _GUARD:
        _ROWS[run.changes] = found
        while len(_ROWS) > 200:
            _ROWS.popitem(last=False)
    return found


def problems_among(store_id: int, schema: StoreSchema, keys: pl.Series) -> Problems:
    """What is wrong with some products of a store, by their keys. Raises ``NotFound``."""
    with session() as db:
        every = flaws_of(db, store_id)
    if every is None:
        return Problems(total=0, problems=[], looking=True)
    found = every.filter(pl.col("key").is_in(keys.implode()))
    counts = found.group_by("field", maintain_order=True).agg(pl.col("key").n_unique())
    lines = [ProblemLine(field=f, label=_label(schema, f), count=n) for f, n in counts.iter_rows()]
    return Problems(total=found["key"].n_unique(), problems=sorted(lines, key=_most))


def _most(line: ProblemLine) -> int:
    return -line.count


def _label(schema: StoreSchema, field: str) -> str:
    return _ROW_LABEL if field == ROW_OF else label_of(schema, field)


def problems_of_product(store_id: int, key: str) -> Problems:
    """What is wrong with one product, each as it is said. Raises ``NotFound``."""
    with session() as db:
        stores = Stores(db)
        schema, categories = stores.schema(store_id), frozenset(stores.category_paths(store_id))
        rows = _rows_of(db, store_id).filter(pl.col("key") == key)
    found = pl.concat([_flaws(products_of(store_id, schema.names, [key]), schema, categories),
                       rows])  # fmt: skip
    lines = [
        ProblemLine(field=f, label=_label(schema, f), count=1, said=said)
        for f, said in found.select("field", "message").iter_rows()
    ]
    return Problems(total=min(1, len(lines)), problems=lines)
