"""Stores, schemas, categories, arrivals, catalog, outbound files."""

from __future__ import annotations

import json
from typing import Literal

from flask import Response, request
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import MEDIA_TYPES, RESPONSES, StorePath, answer, attachment
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.schema.model import StoreSchema
from nomotax.core.schema.table_schema import to_descriptor
from nomotax.flows import arrivals, catalog, names, prices, review, stores
from nomotax.flows.arrivals import FeedLine
from nomotax.flows.catalog import CategoryCount, ProductDetail, ProductPage
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


class SchemaView(BaseModel):
    store_id: int
    store: str
    product_schema: StoreSchema


class SchemaUpload(BaseModel):
    file: FileStorage
    name: str = Field(min_length=1, max_length=80)


class Made(BaseModel):
    id: int


class FeedList(BaseModel):
    """``upload_limit`` is the largest delivery taken, in bytes."""

    feeds: list[FeedLine]
    upload_limit: int


class NewFeed(BaseModel):
    supplier: str = Field(min_length=1, max_length=80)
    name: str = Field(min_length=1, max_length=80)


class CategoryList(BaseModel):
    categories: list[CategoryCount]


class NamesFile(BaseModel):
    file: FileStorage


class NamesTaken(BaseModel):
    names: int


class CategoryPaths(BaseModel):
    paths: list[str]


class ProductQuery(BaseModel):
    category: str = ""
    search: str = ""
    sort: str = "key"
    descending: bool = False
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=500)


class ProductPath(BaseModel):
    store_id: int
    key: str


class OutboundQuery(BaseModel):
    format: Literal["csv", "xlsx", "jsonl", "parquet"] = "csv"
    run_id: int | None = None


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


@api.get("/stores/<int:store_id>/schema", responses={200: SchemaView})
def get_schema(path: StorePath) -> Response:
    """The product schema of a store."""
    names = {s.id: s.name for s in stores.list_stores()}
    schema = stores.schema_of(path.store_id)
    return answer(
        SchemaView(store_id=path.store_id, store=names[path.store_id], product_schema=schema)
    )


@api.get("/stores/<int:store_id>/schema.json")
def download_schema(path: StorePath) -> Response:
    """The schema as a Table Schema document."""
    document = json.dumps(to_descriptor(stores.schema_of(path.store_id)), indent=1)
    return attachment(document.encode(), "store-schema.json", "application/json")


@api.get("/stores/<int:store_id>/arrivals", responses={200: FeedList})
def get_arrivals(path: StorePath) -> Response:
    """Every feed with its deliveries, newest first."""
    return answer(FeedList(feeds=arrivals.arrivals(path.store_id), upload_limit=upload_limit()))


@api.post("/stores/<int:store_id>/feeds", responses={201: Made})
def make_feed(path: StorePath, body: NewFeed) -> Response:
    """Make a feed; the supplier is made when new."""
    return answer(Made(id=stores.add_feed(path.store_id, body.supplier, body.name)), 201)


@api.get("/stores/<int:store_id>/categories", responses={200: CategoryList})
def get_categories(path: StorePath) -> Response:
    """The store's category tree with product counts."""
    return answer(CategoryList(categories=catalog.category_counts(path.store_id)))


@api.post("/stores/<int:store_id>/categories", responses={200: CategoryPaths})
def add_categories(path: StorePath, body: CategoryPaths) -> Response:
    """Add categories; parents come along."""
    return answer(CategoryPaths(paths=stores.add_categories(path.store_id, body.paths)))


@api.get("/stores/<int:store_id>/categories/names.csv")
def export_names(path: StorePath) -> Response:
    """What the categories are called in other languages: category, language, name."""
    return attachment(
        names.names_csv(path.store_id), "category-names.csv", "text/csv; charset=utf-8"
    )


@api.post("/stores/<int:store_id>/categories/names.csv", responses={200: NamesTaken})
def import_names(path: StorePath, form: NamesFile) -> Response:
    """Take names from a CSV file: category, language, name."""
    return answer(NamesTaken(names=names.take_names(path.store_id, form.file.stream.read())))


@api.get("/stores/<int:store_id>/products", responses={200: ProductPage})
def get_products(path: StorePath, query: ProductQuery) -> Response:
    """A page of the catalog."""
    page = catalog.product_page(
        path.store_id, query.category, query.search, query.sort, query.descending,
        query.offset, query.limit,
    )  # fmt: skip
    return answer(page)


@api.get("/stores/<int:store_id>/products/<path:key>", responses={200: ProductDetail})
def get_product(path: ProductPath) -> Response:
    """One product and its history."""
    return answer(catalog.product_detail(path.store_id, path.key))


@api.put("/stores/<int:store_id>/ladders", responses={200: Ladder})
def save_ladder(path: StorePath, body: Ladder) -> Response:
    """Keep a price ladder under its name."""
    prices.save_ladder(path.store_id, body)
    return answer(body)


@api.get("/stores/<int:store_id>/outbound")
def outbound(path: StorePath, query: OutboundQuery) -> Response:
    """The catalog, or what a run changed, in the schema's column order."""
    pictures = f"{request.host_url}api/v1/pictures/"
    data = review.outbound_file(path.store_id, query.format, query.run_id, pictures)
    what = f"run-{query.run_id}" if query.run_id else "catalog"
    return attachment(data, f"{what}.{query.format}", MEDIA_TYPES[query.format])
