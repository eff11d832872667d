"""Editing a store's schema, with the products that an edit touches."""

from __future__ import annotations

import polars as pl
from pydantic import BaseModel
from sqlmodel import Session

from nomotax.core.changes.states import TAKEN_OUT
from nomotax.core.errors import NotFound
from nomotax.core.schema.breaking import breaking
from nomotax.core.schema.editing import FieldEdit, edited, with_words
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.schema.table_schema import to_descriptor
from nomotax.records.bulk import read_query
from nomotax.records.crosswalks import Crosswalks, draft_of
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id

_SHOWN = 5


class Broken(BaseModel):
    """A product whose value the field would not take."""

    key: str
    value: str
    why: str


class FieldTouch(BaseModel):
    """What an edit of a field touches. ``products`` hold a value in it, ``empty`` hold none;
    ``broken`` counts those whose value the field would not take, with the first of them.
    ``feeds`` fill it; ``answers`` are entries of their value tables that give a word which would
    no longer be in its list."""

    products: int
    empty: int
    broken: int
    first: list[Broken]
    feeds: list[str]
    answers: int


def touch_field(store_id: int, edit: FieldEdit) -> FieldTouch:
    """What the edit would touch; nothing is changed. Raises as ``edited`` does."""
    with session() as db:
        edited(Stores(db).schema(store_id), edit)
        feeds, answers = _filling(db, store_id, edit.name, edit.field)
    held = _held(store_id, edit.name)
    wrong = breaking(edit.field, held) if edit.field and edit.demands_more else None
    first = wrong.sort("key").head(_SHOWN).rows(named=True) if wrong is not None else []
    return FieldTouch(
        products=held.height - held["value"].null_count(),
        empty=held["value"].null_count(),
        broken=wrong.height if wrong is not None else 0,
        first=[Broken.model_validate(row) for row in first],
        feeds=feeds,
        answers=answers,
    )


def edit_field(store_id: int, edit: FieldEdit) -> StoreSchema:
    """Change, add or retire a field. Values of a retired field stay with their products, and fills
    with their crosswalks, so that bringing it back brings them back. Raises as ``edited`` does."""
    with session() as db:
        return _keep(db, store_id, edit)


def add_words(store_id: int, name: str, words: list[str]) -> StoreField:
    """Words that are new in the list of a field. Raises ``NotFound``, ``SchemaError``."""
    with session() as db:
        schema = Stores(db).schema(store_id)
        if name not in schema:
            raise NotFound(f"The store schema has no field {name!r}.")
        edit = FieldEdit(was=schema[name], field=with_words(schema[name], words))
        return _keep(db, store_id, edit)[name]


def _keep(db: Session, store_id: int, edit: FieldEdit) -> StoreSchema:
    stores = Stores(db)
    # Two edits at once would each write the whole schema: the second waits and sees the first.
    store = stores.locked(store_id)
    schema = edited(stores.schema(store_id), edit)
    store.schema_document = to_descriptor(schema)
    if edit.demands_more:
        # What was prepared under other demands is prepared again before it is applied.
        store.rules_revision += 1
    db.add(store)
    stores.changed(store_id, edit.name, edit.said())
    return schema


def _held(store_id: int, name: str) -> pl.DataFrame:
    """key and value of every product; field names are checked by the schema's own pattern."""
    return read_query(
        f"select key, content->>'{name}' as value from products "
        f"where store_id = {int(store_id)} and state <> '{TAKEN_OUT}'",
        {"key": pl.String, "value": pl.String},
    )


def _filling(
    db: Session, store_id: int, name: str, field: StoreField | None
) -> tuple[list[str], int]:
    """The feeds that fill a field, and how many answers of their value tables it would not take."""
    found, tables, walks = [], set(), Crosswalks(db, store_id).by_feed()
    for feed, supplier in Feeds(db, store_id).all():
        fill = draft_of(walks[known_id(feed)]).all_fills().get(name)
        if fill is not None:
            found.append(f"{supplier.name}, {feed.name}")
            tables |= {s.table for s in fill.steps if s.do == "value_table"}
    if field is None or not field.allowed:
        return found, 0
    saved = LookupsRepository(db, store_id).all().value_tables
    given = [w for t in tables if t in saved for w in saved[t].entries.values()]
    return found, sum(word not in field.allowed and word != "" for word in given)
