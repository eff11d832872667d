"""Stores, schemas, categories, arrivals, catalog, outbound files."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import RESPONSES, Made, StorePath, answer
from nomotax.flows import arrivals, stores
from nomotax.flows.arrivals import FeedLine
from nomotax.flows.receive import upload_limit

api = APIBlueprint(
    "stores", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="stores")],
    abp_responses=RESPONSES,
)  # fmt: skip


class StoreLine(BaseModel):
    id: int
    name: str
    schema_name: str
    fields: int


class StoreList(BaseModel):
    stores: list[StoreLine]


class SchemaUpload(BaseModel):
    file: FileStorage
    name: str = Field(min_length=1, max_length=80)


class FeedList(BaseModel):
    """``upload_limit`` is the largest delivery taken, in bytes."""

    feeds: list[FeedLine]
    upload_limit: int


class NewFeed(BaseModel):
    supplier: str = Field(min_length=1, max_length=80)
    name: str = Field(min_length=1, max_length=80)


@api.get("/stores", responses={200: StoreList})
def list_stores() -> Response:
    """Every store of this installation."""
    lines = [
        StoreLine(
            id=s.id or 0,
            name=s.name,
            schema_name=s.schema_document.get("nomotax", {}).get("name", s.name),
            fields=len(s.schema_document.get("fields", [])),
        )
        for s in stores.list_stores()
    ]
    return answer(StoreList(stores=lines))


@api.post("/stores", responses={201: Made})
def make_store(form: SchemaUpload) -> Response:
    """Make a store from a Table Schema document or a blank import template (CSV header row)."""
    data = form.file.read()
    schema = stores.schema_from_file(data, form.file.filename or "file", form.name)
    return answer(Made(id=stores.add_store(form.name, schema, [])), 201)


@api.get("/stores/<int:store_id>/arrivals", responses={200: FeedList})
def get_arrivals(path: StorePath) -> Response:
    """Every feed with its deliveries, newest first."""
    return answer(FeedList(feeds=arrivals.arrivals(path.store_id), upload_limit=upload_limit()))


@api.post("/stores/<int:store_id>/feeds", responses={201: Made})
def make_feed(path: StorePath, body: NewFeed) -> Response:
    """Make a feed; the supplier is made when new."""
    return answer(Made(id=stores.add_feed(path.store_id, body.supplier, body.name)), 201)
