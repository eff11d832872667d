"""Snapshots of a store's whole catalog: taken on demand and before runs, brought along, removed."""

from __future__ import annotations

import secrets
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

import structlog
from sqlalchemy import text
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.snapshot import About, as_snapshot, metadata, read_about
from nomotax.core.errors import Conflict, DatabaseUnavailable
from nomotax.records.actors import at_work
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.products import Snapshot
from nomotax.records.queue import enqueue, without_job
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Snapshots
from nomotax.records.tables import Run, Store
from nomotax.records.whole import products_of

log = structlog.get_logger()


def request_snapshot(store_id: int) -> Snapshot:
    """Have a worker take one. Raises ``NotFound``."""
    with session() as db:
        Stores(db).get(store_id)
        snapshot = Snapshots(db, store_id).add(at_work(db))
        enqueue(db, "snapshot", snapshot_id=known_id(snapshot))
        return snapshot


def take_queued(snapshot_id: int) -> None:
    """Take one that waits for it; what goes wrong is kept with it."""
    with session() as db:
        snapshot = Snapshots.holding(db, snapshot_id).get(snapshot_id)
        if snapshot.status != "queued":
            return
    with _ending(snapshot_id), session() as db:
        # Behind the lock nobody writes: the products are those of one moment.
        store = Stores(db).locked(snapshot.store_id)
        db.add(_taken(db, store, Snapshots.holding(db, snapshot_id).get(snapshot_id)))


def take_before(db: Session, store: Store, run: Run) -> None:
    """Take one inside a run that is about to write, behind the lock of its store."""
    because = f"before run {run.id}"
    kept = Snapshots(db, known_id(store)).add(run.actor, run_id=run.id, because=because)
    db.add(_taken(db, store, kept))


def _taken(db: Session, store: Store, snapshot: Snapshot) -> Snapshot:
    stores, store_id = Stores(db), known_id(store)
    schema = stores.schema(store_id)
    rows = as_snapshot(products_of(store_id, schema.names))
    about = About(
        store=store.name,
        taken_at=now(),
        products=rows.height,
        key=schema.key,
        table_schema=store.schema_document,
        categories=stores.tree(store_id),
    )
    snapshot.artifact = _name(store_id)
    artifacts().write_frame(snapshot.artifact, rows, metadata(about))
    return _ready(snapshot, about)


def _ready(snapshot: Snapshot, about: About) -> Snapshot:
    snapshot.status, snapshot.error = "ready", ""
    snapshot.taken_at = about.taken_at
    snapshot.about = about.model_dump(mode="json", include={"store", "products"})
    return snapshot


def _name(store_id: int) -> str:
    return f"snapshots/{store_id}-{secrets.token_hex(6)}.parquet"


@contextmanager
def _ending(snapshot_id: int) -> Iterator[None]:
    """Whatever goes wrong with it, it says so; where the database is gone it is taken up again."""
    try:
        yield
    except DatabaseUnavailable:
        raise
    except Exception as error:
        log.exception("snapshot failed", snapshot=snapshot_id)
        _fail(snapshot_id, f"It could not be taken: {error}")


def _fail(snapshot_id: int, why: str) -> None:
    with session() as db:
        snapshot = Snapshots.holding(db, snapshot_id).get(snapshot_id)
        snapshot.status, snapshot.error = "failed", why
        db.add(snapshot)


_LEFT = text(
    "select s.id from snapshots s where s.status = 'queued' "
    f"and {without_job('snapshot_id', 's.id')}"
)


def give_up() -> None:
    """Those that no job is left for say so: their job failed its worker several times."""
    with session() as db:
        left = list(db.connection().execute(_LEFT).scalars())
    for one in left:
        _fail(one, "Interrupted again and again. Take another one.")


def all_of(store_id: int) -> list[Snapshot]:
    """The newest first. Raises ``NotFound``."""
    with session() as db:
        Stores(db).get(store_id)
        return Snapshots(db, store_id).all()


def bring(store_id: int, stream: IO[bytes], name: str) -> Snapshot:
    """Add a snapshot that was taken elsewhere, or before. Raises ``UnreadableFile``."""
    with tempfile.TemporaryDirectory(prefix="nomotax-") as folder:
        path = Path(folder) / (Path(name).name or "snapshot")
        with path.open("wb") as out:
            while piece := stream.read(1 << 20):
                out.write(piece)
        about = read_about(path)
        artifact = _name(store_id)
        artifacts().put_file(artifact, path)
    with session() as db:
        Stores(db).get(store_id)
        because = f"brought as {name}"
        snapshot = Snapshots(db, store_id).add(at_work(db), because=because, artifact=artifact)
        return _ready(snapshot, about)


def ready(snapshot_id: int) -> Snapshot:
    """One that can be read. Raises ``Conflict`` for another, ``NotFound``."""
    with session() as db:
        snapshot = Snapshots.holding(db, snapshot_id).get(snapshot_id)
    if snapshot.status != "ready":
        raise Conflict(f"This snapshot is {snapshot.status}.", remedy=snapshot.error)
    return snapshot


def remove(snapshot_id: int) -> None:
    """Forget one, and its file. Raises ``Conflict`` while it is being taken, ``NotFound``."""
    with session() as db:
        snapshot = Snapshots.holding(db, snapshot_id).get(snapshot_id)
        if snapshot.status == "queued":
            raise Conflict("This snapshot is being taken.", remedy="Wait until it is ready.")
        db.delete(snapshot)
    if snapshot.artifact:
        artifacts().remove(snapshot.artifact)
