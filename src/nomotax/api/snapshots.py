"""Snapshots of a store's whole catalog: taken, brought, given out, restored, removed."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from flask import Response, send_file
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel

from nomotax.api.answers import MEDIA_TYPES, RESPONSES, Done, StorePath, answer
from nomotax.api.runs import RunView, view_of
from nomotax.artifacts.store import artifacts
from nomotax.flows import restoring, snapshots
from nomotax.records.products import Snapshot
from nomotax.records.repository import known_id

api = APIBlueprint(
    "snapshots", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="snapshots")],
    abp_responses=RESPONSES,
)  # fmt: skip


class SnapshotView(BaseModel):
    """A snapshot; ``run_id`` is the run before which it was taken, ``products`` how many it has
    once it is ready."""

    id: int
    status: Literal["queued", "ready", "failed"]
    because: str
    run_id: int | None
    author: str
    taken_at: datetime
    products: int
    error: str


class SnapshotList(BaseModel):
    snapshots: list[SnapshotView]


class SnapshotPath(BaseModel):
    snapshot_id: int


class SnapshotForm(BaseModel):
    file: FileStorage


def _view(snapshot: Snapshot) -> SnapshotView:
    products = snapshot.about.get("products", 0)
    return SnapshotView.model_validate(
        snapshot.model_dump() | {"products": products, "author": snapshot.author}
    )


@api.get("/stores/<int:store_id>/snapshots", responses={200: SnapshotList})
def list_snapshots(path: StorePath) -> Response:
    """The snapshots of a store, the newest first."""
    found = snapshots.all_of(path.store_id)
    return answer(SnapshotList(snapshots=[_view(one) for one in found]))


@api.post("/stores/<int:store_id>/snapshots", responses={201: SnapshotView})
def take_snapshot(path: StorePath) -> Response:
    """Keep the whole catalog as it is, in the background."""
    return answer(_view(snapshots.request_snapshot(path.store_id)), 201)


@api.post("/stores/<int:store_id>/snapshots/file", responses={201: SnapshotView})
def bring_snapshot(path: StorePath, form: SnapshotForm) -> Response:
    """Add a file that was taken as a snapshot before, here or elsewhere."""
    name = form.file.filename or "a file"
    return answer(_view(snapshots.bring(path.store_id, form.file.stream, name)), 201)


@api.get("/snapshots/<int:snapshot_id>/file")
def get_snapshot(path: SnapshotPath) -> Response:
    """The file (docs/snapshot.md)."""
    snapshot = snapshots.ready(path.snapshot_id)
    with artifacts().local(snapshot.artifact) as file:
        return send_file(
            file, mimetype=MEDIA_TYPES["parquet"], as_attachment=True,
            download_name=f"catalog-{snapshot.taken_at:%Y-%m-%d-%H%M}.snapshot.parquet",
        )  # fmt: skip


@api.post("/snapshots/<int:snapshot_id>/restore", responses={201: RunView})
def restore_snapshot(path: SnapshotPath) -> Response:
    """Prepare a run that makes the catalog what the snapshot has; nothing is changed before that
    one is applied."""
    return answer(view_of(known_id(restoring.start_restore(path.snapshot_id))), 201)


@api.delete("/snapshots/<int:snapshot_id>", responses={200: Done})
def remove_snapshot(path: SnapshotPath) -> Response:
    """Forget a snapshot and its file."""
    snapshots.remove(path.snapshot_id)
    return answer(Done())
