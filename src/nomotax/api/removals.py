"""What is taken out of sight, and brought back."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from nomotax.api.answers import RESPONSES, Done, StorePath, answer
from nomotax.flows import removals
from nomotax.flows.removals import Kind, RemovalTouch, Removed

api = APIBlueprint(
    "removals", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="removals")],
    abp_responses=RESPONSES,
)  # fmt: skip


class RemovalPath(BaseModel):
    kind: Kind
    key: int


class RemovedList(BaseModel):
    removed: list[Removed]


@api.get("/removals/<kind>/<int:key>", responses={200: RemovalTouch})
def touch_removal(path: RemovalPath) -> Response:
    """What taking a store, a feed or a delivery out of sight would touch; nothing is changed."""
    return answer(removals.touch(path.kind, path.key))


@api.put("/removals/<kind>/<int:key>", responses={200: Done})
def remove(path: RemovalPath) -> Response:
    """Take it out of sight. The catalog, its history and runs stay."""
    removals.remove(path.kind, path.key)
    return answer(Done())


@api.delete("/removals/<kind>/<int:key>", responses={200: Done})
def bring_back(path: RemovalPath) -> Response:
    """Bring it back as it was."""
    removals.bring_back(path.kind, path.key)
    return answer(Done())


@api.get("/stores/<int:store_id>/removed", responses={200: RemovedList})
def list_removed(path: StorePath) -> Response:
    """Feeds and deliveries of a store that were removed."""
    return answer(RemovedList(removed=removals.removed_of(path.store_id)))


@api.get("/stores/removed", responses={200: RemovedList})
def list_removed_stores() -> Response:
    """Stores that were removed."""
    return answer(RemovedList(removed=removals.removed_stores()))
