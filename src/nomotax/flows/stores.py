"""Stores, their schemas and category trees."""

from __future__ import annotations

import json

from nomotax.core.errors import SchemaError
from nomotax.core.schema.model import StoreSchema
from nomotax.core.schema.table_schema import from_descriptor, from_template, to_descriptor
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.tables import Store


def list_stores() -> list[Store]:
    with session() as db:
        return Stores(db).all()


def known_store(store_id: int) -> None:
    """Raises ``NotFound`` for a store that is not there."""
    with session() as db:
        Stores(db).get(store_id)


def name_and_schema(store_id: int) -> tuple[str, StoreSchema]:
    """What a store is called, and its product schema. Raises ``NotFound``."""
    with session() as db:
        return Stores(db).get(store_id).name, Stores(db).schema(store_id)


def schema_of(store_id: int) -> StoreSchema:
    """The product schema of a store. Raises ``NotFound``."""
    with session() as db:
        return Stores(db).schema(store_id)


def add_store(name: str, schema: StoreSchema, categories: list[str]) -> int:
    """Make a store with an empty catalog and give its id."""
    with session() as db:
        stores = Stores(db)
        store_id = known_id(stores.add(name, to_descriptor(schema)))
        stores.add_categories(store_id, categories)
        return store_id


def schema_from_file(data: bytes, file_name: str, name: str) -> StoreSchema:
    """A schema from an uploaded Table Schema document, or from a blank import template.

    Raises ``SchemaError`` saying where the file is wrong.
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise SchemaError(
            "The file is not UTF-8 text.", where=f"byte {error.start}", remedy="Save it as UTF-8."
        ) from error
    if text.lstrip().startswith("{"):
        try:
            return from_descriptor(json.loads(text))
        except json.JSONDecodeError as error:
            raise SchemaError(
                f"{file_name} is no JSON: {error.msg}.",
                where=f"line {error.lineno}, column {error.colno}",
            ) from error
    return from_template(text, name)


def category_paths(store_id: int) -> list[str]:
    with session() as db:
        Stores(db).get(store_id)
        return Stores(db).category_paths(store_id)


def add_categories(store_id: int, paths: list[str]) -> list[str]:
    """Add categories (parents come along) and give all of them."""
    with session() as db:
        Stores(db).get(store_id)
        Stores(db).add_categories(store_id, paths)
        return Stores(db).category_paths(store_id)


def add_feed(store_id: int, supplier: str, name: str) -> int:
    """Make a feed of a supplier (made when new) and give its id."""
    with session() as db:
        Stores(db).get(store_id)
        feeds = Feeds(db, store_id)
        feed_id = known_id(feeds.add(feeds.supplier_named(supplier), name))
        Crosswalks(db, store_id).add(feed_id)
        return feed_id
