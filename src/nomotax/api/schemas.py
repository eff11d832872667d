"""A store's product schema: shown, given out, edited."""

from __future__ import annotations

import json

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import RESPONSES, StorePath, answer, attachment
from nomotax.core.schema.editing import FieldEdit
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.schema.table_schema import to_descriptor
from nomotax.flows import schema_edit, stores
from nomotax.flows.schema_edit import FieldTouch

api = APIBlueprint(
    "schemas", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="schemas")],
    abp_responses=RESPONSES,
)  # fmt: skip


class SchemaView(BaseModel):
    store_id: int
    store: str
    product_schema: StoreSchema


@api.get("/stores/<int:store_id>/schema", responses={200: SchemaView})
def get_schema(path: StorePath) -> Response:
    """The product schema of a store."""
    return answer(_view(path.store_id))


def _view(store_id: int) -> SchemaView:
    name, schema = stores.name_and_schema(store_id)
    return SchemaView(store_id=store_id, store=name, product_schema=schema)


@api.get("/stores/<int:store_id>/schema.json")
def download_schema(path: StorePath) -> Response:
    """The schema as a Table Schema document."""
    document = json.dumps(to_descriptor(stores.schema_of(path.store_id)), indent=1)
    return attachment(document.encode(), "store-schema.json", "application/json")


class WordsPath(StorePath):
    field: str


class NewWords(BaseModel):
    words: list[str] = Field(min_length=1, max_length=1000)


class FieldView(BaseModel):
    field: StoreField


@api.post("/stores/<int:store_id>/schema/touch", responses={200: FieldTouch})
def touch_field(path: StorePath, body: FieldEdit) -> Response:
    """What an edit of a field would touch; nothing is changed."""
    return answer(schema_edit.touch_field(path.store_id, body))


@api.post("/stores/<int:store_id>/schema/fields", responses={200: SchemaView})
def edit_field(path: StorePath, body: FieldEdit) -> Response:
    """Change, add or retire a field."""
    schema_edit.edit_field(path.store_id, body)
    return answer(_view(path.store_id))


@api.post("/stores/<int:store_id>/schema/fields/<field>/words", responses={200: FieldView})
def add_words(path: WordsPath, body: NewWords) -> Response:
    """Add words to the list of a field."""
    field = schema_edit.add_words(path.store_id, path.field, body.words)
    return answer(FieldView(field=field))
