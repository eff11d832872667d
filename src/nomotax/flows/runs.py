"""A run: a delivery prepared into a changeset, applied to the catalog, undone."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

import polars as pl
from pydantic import BaseModel, Field, model_validator
from sqlalchemy import text
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.diff import NEW, compare
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Bundle
from nomotax.core.errors import Conflict, NomotaxError, StaleChangeset
from nomotax.core.schema.model import Role, StoreSchema
from nomotax.core.table import ROW
from nomotax.flows.catalog import key_and_content
from nomotax.flows.decisions import kept_of
from nomotax.flows.workbench import context_of, freeze_version, open_workbench
from nomotax.records.bulk import copy_frame
from nomotax.records.database import session
from nomotax.records.repositories import Deliveries, Feeds, Runs, Stores, known_id
from nomotax.records.tables import Run, RunLog, now

#: Statuses of a run that a worker is busy with.
BUSY = ("queued", "preparing", "applying", "undoing")


def changeset_name(run_id: int) -> str:
    return f"changesets/{run_id}.parquet"


def problems_name(run_id: int) -> str:
    return f"changesets/{run_id}-problems.parquet"


class Stopped(NomotaxError):
    """A person stopped this run."""


class RowRange(BaseModel):
    """The rows of a trial, by their numbers, both ends among them; open ends are not given."""

    first: int | None = Field(default=None, ge=1)
    last: int | None = Field(default=None, ge=1)

    @model_validator(mode="after")
    def _rising(self) -> RowRange:
        if self.first and self.last and self.first > self.last:
            raise ValueError("a trial ends at a row behind its first one")
        return self

    @property
    def partial(self) -> bool:
        return self.first is not None or self.last is not None

    def cut(self, arriving: pl.DataFrame) -> pl.DataFrame:
        """The rows within."""
        within = pl.col(ROW) >= (self.first or 0)
        if self.last is not None:
            within &= pl.col(ROW) <= self.last
        return arriving.filter(within)


_ALL = RowRange()


def start_run(feed_id: int, delivery_id: int | None = None, rows: RowRange = _ALL) -> Run:
    """Freeze the crosswalk and queue the preparation, of all rows or of some as a trial. The
    caller defers the job.

    Raises ``CrosswalkError`` at once for a crosswalk that cannot run on this delivery.
    """
    bench = open_workbench(feed_id, delivery_id)
    if not bench.delivery.complete and not bench.delivery.accepted:
        raise Conflict(
            f"{bench.delivery.file_name} broke off; {bench.delivery.rows:,} rows came through.",
            where="its reading",
            remedy="Ask for the whole file, or say in its reading that this much is meant.",
        )
    compile_plan(bench.crosswalk, bench.schema, bench.context, bench.delivery.columns)
    # Frozen before the run is there: what is edited while it waits for a worker is not in it.
    version_id = freeze_version(feed_id, bench.bundle())
    with session() as db:
        return Runs(db).add(
            Run(
                feed_id=feed_id,
                delivery_id=known_id(bench.delivery),
                version_id=version_id,
                stage="waiting for a worker",
                first_row=rows.first,
                last_row=rows.last,
            )
        )


class Progress:
    """Tells how far a run is, in transactions of its own, and hears a stop."""

    def __init__(self, run_id: int) -> None:
        self.run_id = run_id
        self._last = (-1, "")

    def __call__(self, percent: int, stage: str) -> None:
        """Raises ``Stopped`` when a person has asked for it."""
        if (percent, stage) == self._last:
            return
        self._last = (percent, stage)
        # A transaction of its own: the run's own one stays open for minutes, and nobody would see.
        with session() as db:
            run = Runs(db).get(self.run_id)
            if run.stop_requested:
                raise Stopped("Stopped by hand; nothing was changed.")
            run.progress, run.stage = percent, stage
            db.add(run)


def _note(db: Session, run: Run, line: str) -> None:
    db.add(run)
    db.add(RunLog(run_id=known_id(run), text=line))


def _set_status(run_id: int, status: str, line: str, error: str = "") -> None:
    with session() as db:
        run = Runs(db).get(run_id)
        run.status, run.error, run.stage = status, error, ""
        _note(db, run, line)


@contextmanager
def _failing(run_id: int, fallback: str) -> Iterator[None]:
    """Keeps the reason of a failure on the run, and what state it goes back to."""
    try:
        yield
    except Stopped as stop:
        _set_status(run_id, fallback, stop.message)
    except NomotaxError as error:
        _set_status(run_id, fallback, str(error), str(error))
        raise


def prepare(run_id: int) -> None:
    """Fill the whole delivery, compare it with the catalog, keep the changeset."""
    with session() as db:
        run = Runs(db).get(run_id)
        run.status, run.stop_requested = "preparing", False
        _note(db, run, "preparing")
    with _failing(run_id, "failed"):
        _prepare(run_id, Progress(run_id))


def _prepare(run_id: int, tell: Progress) -> None:
    tell(5, "reading")
    with session() as db:
        runs, feeds, stores = Runs(db), Feeds(db), Stores(db)
        run = runs.get(run_id)
        bundle = Bundle.model_validate(runs.version(run).bundle)
        supplier = feeds.supplier(feeds.get(run.feed_id))
        store = stores.get(supplier.store_id)
        schema = stores.schema(supplier.store_id)
        categories = frozenset(stores.category_paths(supplier.store_id))
        delivery = Deliveries(db).get(run.delivery_id)
        # Noted before the catalog is loaded: a change in between makes the changeset stale, where
        # it would be missed if the revision were read after it.
        base = store.revision
        rows = RowRange(first=run.first_row, last=run.last_row)
    whole = artifacts().scan(delivery.table_artifact or "").collect()
    arriving = rows.cut(whole)
    if arriving.is_empty() and not whole.is_empty():
        raise Conflict(
            "No row of the delivery is in this range.",
            where=f"rows {rows.first or 1} to {rows.last or 'the end'}",
            remedy=f"Its last row is {whole[ROW].cast(pl.Int64).max()!r}.",
        )
    ctx = context_of(bundle, delivery, categories)
    plan = compile_plan(bundle.crosswalk.within(schema), schema, ctx, delivery.columns)
    tell(20, "loading the catalog")
    catalog = key_and_content(supplier.store_id, schema.names)
    tell(45, "filling and comparing")
    changeset = compare(arriving, plan, catalog, supplier.name, kept_of(supplier.store_id))
    if rows.partial:
        # A product that the trial does not name may well stand in the other rows.
        changeset = changeset.without_gone()
    tell(85, "keeping the changeset")
    # The files come first: a run is "prepared" only once its changeset can be read.
    artifacts().write_frame(changeset_name(run_id), changeset.frame)
    artifacts().write_frame(problems_name(run_id), changeset.problems)
    with session() as db:
        run = Runs(db).get(run_id)
        run.status, run.progress, run.stage = "prepared", 100, ""
        run.counts, run.base_revision, run.error = changeset.counts(), base, ""
        said = ", ".join(f"{n} {s}" for s, n in run.counts.items() if n)
        trial = f" of {whole.height}, as a trial" if rows.partial else ""
        _note(db, run, f"prepared {arriving.height} rows{trial}: {said}")


def request_apply(run_id: int) -> Run:
    """Mark a prepared run for applying. Raises ``Conflict`` for a run in another state.

    A run that was interrupted while applying may be asked again: nothing of it was written.
    """
    return _request(run_id, ("prepared", "applying"), "only a prepared one can be applied")


def request_undo(run_id: int) -> Run:
    """Mark an applied run for undoing. Raises ``Conflict`` when it is not applied."""
    return _request(run_id, ("applied", "undoing"), "only an applied one can be undone")


def _request(run_id: int, states: tuple[str, str], otherwise: str) -> Run:
    with session() as db:
        run = Runs(db).get(run_id)
        if run.status not in states:
            raise Conflict(f"This run is {run.status}; {otherwise}.")
        run.status, run.progress, run.stage = states[1], 0, "waiting for a worker"
        run.stop_requested, run.error = False, ""
        return Runs(db).add(run)


def apply(run_id: int) -> None:
    """Write the changeset to the catalog in one transaction: all of it, or nothing."""
    with _failing(run_id, "prepared"):
        tell = Progress(run_id)
        tell(1, "loading the changeset")
        frame = artifacts().scan(changeset_name(run_id)).filter(
            pl.col("status").is_in(["new", "changed"])
        ).collect()  # fmt: skip
        with session() as db:
            runs, feeds = Runs(db), Feeds(db)
            run = runs.get(run_id)
            supplier = feeds.supplier(feeds.get(run.feed_id))
            revision = _take_turn(db, supplier.store_id)
            # Looked at again behind the lock: a job that is delivered twice finds its work done.
            db.refresh(run)
            if run.status == "applied":
                return
            if revision != run.base_revision:
                raise StaleChangeset(
                    "The catalog has changed since this changeset was prepared.",
                    where=f"revision {run.base_revision}, now {revision}",
                    remedy="Prepare it again; nothing was written.",
                )
            schema = Stores(db).schema(supplier.store_id)
            staged = _staged(frame, schema)
            _stage(db, staged, lambda done: tell(5 + 60 * done // max(1, staged.height), "copying"))
            tell(70, "writing products")
            _write(db, run, supplier.store_id, known_id(supplier))
            run.status, run.progress, run.stage = "applied", 100, ""
            run.finished_at = now()
            _note(db, run, f"applied: {staged.height} products written")


def _take_turn(db: Session, store_id: int) -> int:
    """Lock the store until this transaction ends, count its catalog one revision on, and give
    the revision it had."""
    statement = "update stores set revision = revision + 1 where id = :s returning revision - 1"
    return int(db.connection().execute(text(statement), {"s": store_id}).scalar_one())


def _staged(frame: pl.DataFrame, schema: StoreSchema) -> pl.DataFrame:
    """key, headings, status and content (JSON text) of every product to write."""
    fields = [c.removeprefix(NEW) for c in frame.columns if c.startswith(NEW)]

    def heading(name: str) -> pl.Expr:
        return pl.col(NEW + name) if name in fields else pl.lit(None, dtype=pl.String)

    content = pl.struct(pl.col(NEW + f).alias(f) for f in fields).struct.json_encode()
    return frame.select(
        "key",
        *(heading(field).alias(name) for name, field in _heading_fields(schema).items()),
        "status",
        content.alias("content"),
    )


def _stage(db: Session, staged: pl.DataFrame, tell: Callable[[int], None]) -> None:
    db.connection().execute(
        text(
            "create temp table staged (key text primary key, title text, category text, "
            "variant_group text, status text, content jsonb) on commit drop"
        )
    )
    copy_frame(db, "staged", staged, tell)
    db.connection().execute(text("analyze staged"))


_HISTORY = """
insert into product_changes (run_id, store_id, key, before, after)
select :run, :store, s.key, p.content, jsonb_strip_nulls(coalesce(p.content, '{}') || s.content)
from staged s left join products p on p.store_id = :store and p.key = s.key
"""
_INSERT = """
insert into products (store_id, supplier_id, key, title, category, variant_group, content,
                      changed_run, changed_at)
select :store, :supplier, key, coalesce(title, ''), coalesce(category, ''),
       coalesce(variant_group, ''), jsonb_strip_nulls(content), :run, :now
from staged where status = 'new'
"""
_UPDATE = """
update products p set content = jsonb_strip_nulls(p.content || s.content),
       title = coalesce(s.title, p.title), category = coalesce(s.category, p.category),
       variant_group = coalesce(s.variant_group, p.variant_group),
       changed_run = :run, changed_at = :now
from staged s where s.status = 'changed' and p.store_id = :store and p.key = s.key
"""


def _write(db: Session, run: Run, store_id: int, supplier_id: int) -> None:
    values = {"run": run.id, "store": store_id, "supplier": supplier_id, "now": now()}
    for statement in (_HISTORY, _INSERT, _UPDATE):
        db.connection().execute(text(statement), values)


class UndoTouch(BaseModel):
    """What taking a run back would touch: products that get their former values, products that it
    made and that go, and keys that were changed since, for which it is refused."""

    put_back: int
    taken_out: int
    changed_since: list[str]


def undo_touch(run_id: int) -> UndoTouch:
    """What an undo would touch; nothing is changed. Raises ``NotFound``."""
    with session() as db:
        Runs(db).get(run_id)
        connection = db.connection()
        made, put = connection.execute(text(_UNDONE), {"run": run_id}).one()
        later = connection.execute(text(_TOUCHED_SINCE), {"run": run_id}).scalars().all()
    return UndoTouch(put_back=put, taken_out=made, changed_since=list(later))


def undo(run_id: int) -> None:
    """Put back exactly what the run changed, in one transaction.

    Raises ``Conflict`` when a later run has changed one of its products since.
    """
    with _failing(run_id, "applied"), session() as db:
        runs, feeds = Runs(db), Feeds(db)
        run = runs.get(run_id)
        supplier = feeds.supplier(feeds.get(run.feed_id))
        values = {"run": run_id, "store": supplier.store_id, "now": now()}
        schema = Stores(db).schema(supplier.store_id)
        connection = db.connection()
        # Under the same lock as an apply: what is looked at here is what is put back, and a job
        # that is delivered twice finds its work done.
        _take_turn(db, supplier.store_id)
        db.refresh(run)
        if run.status == "undone":
            return
        later = connection.execute(text(_TOUCHED_SINCE), values).scalars().all()
        if later:
            raise Conflict(
                "Later runs changed some of these products; undo those runs first.",
                where=f"{', '.join(later[:5])}{' …' if len(later) > 5 else ''}",
            )
        connection.execute(text(_RESTORE), values | _heading_fields(schema))
        connection.execute(text(_REMOVE), values)
        run.status, run.finished_at, run.progress, run.stage = "undone", now(), 100, ""
        _note(db, run, "undone: every product is as it was before")


_UNDONE = """
select count(*) filter (where before is null), count(*) filter (where before is not null)
from product_changes where run_id = :run
"""
_TOUCHED_SINCE = """
select c.key from product_changes c
left join products p on p.store_id = c.store_id and p.key = c.key
where c.run_id = :run and (p.key is null or p.content <> c.after) order by c.key limit 20
"""
_RESTORE = """
update products p set content = c.before, changed_run = null, changed_at = :now,
       title = coalesce(c.before->>:title, ''), category = coalesce(c.before->>:category, ''),
       variant_group = coalesce(c.before->>:variant_group, '')
from product_changes c
where c.run_id = :run and c.before is not null and p.store_id = :store and p.key = c.key
"""
_REMOVE = """
delete from products p using product_changes c
where c.run_id = :run and c.before is null and p.store_id = :store and p.key = c.key
"""


def _heading_fields(schema: StoreSchema) -> dict[str, str]:
    """The columns that a product is listed by, each with its field; "" where there is none."""
    found = {
        "title": schema.with_role(Role.TITLE),
        "category": schema.category_field,
        "variant_group": schema.with_role(Role.GROUP),
    }
    return {name: field.name if field else "" for name, field in found.items()}


def request_stop(run_id: int) -> Run:
    """Ask a busy run to stop; it does so before it writes anything."""
    with session() as db:
        run = Runs(db).get(run_id)
        if run.status in BUSY:
            run.stop_requested = True
            db.add(run)
        return run


def mark_interrupted() -> int:
    """Runs that were busy when their worker died are given back. Called when a worker starts
    and no other works; gives how many there were."""
    back = {"preparing": "failed", "applying": "prepared", "undoing": "applied"}
    count = 0
    with session() as db:
        for status, fallback in back.items():
            for run in Runs(db).with_status(status):
                run.status, run.stage = fallback, ""
                run.error = "Interrupted; nothing was half-written. It can be run again."
                _note(db, run, run.error)
                count += 1
    return count
