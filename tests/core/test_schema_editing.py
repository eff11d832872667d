"""A schema edited by hand: what may change, and which values it would no longer take."""

from __future__ import annotations

import polars as pl
import pytest

from nomotax.core.errors import Conflict, SchemaError
from nomotax.core.schema.breaking import breaking
from nomotax.core.schema.editing import FieldEdit, edited, with_words
from nomotax.core.schema.model import StoreField, StoreSchema

SCHEMA = StoreSchema(
    name="Pots",
    key="sku",
    fields=(
        StoreField(name="sku", kind="identifier"),
        StoreField(name="name", title="Name", max_length=20),
        StoreField(name="glaze", kind="choice", allowed=("matt", "gloss")),
        StoreField(name="name_fr", of="name", language="fr"),
        StoreField(name="price", kind="money", currency="EUR"),
    ),
)


def changed(name, **update):
    was = SCHEMA[name]
    return FieldEdit(was=was, field=was.model_copy(update=update))


def test_a_field_is_changed_added_before_another_and_retired():
    after = edited(SCHEMA, changed("name", title="Title", synonyms=("Bezeichnung",), max_length=9))
    assert after["name"].title == "Title" and after.names == SCHEMA.names
    depth = FieldEdit(field=StoreField(name="depth", kind="measure", unit="cm"), before="price")
    assert edited(SCHEMA, depth).names == ["sku", "name", "glaze", "name_fr", "depth", "price"]
    assert "price" not in edited(SCHEMA, FieldEdit(was=SCHEMA["price"]))


@pytest.mark.parametrize(
    ("edit", "error", "says"),
    [
        (FieldEdit(was=SCHEMA["sku"]), SchemaError, "known by"),
        (FieldEdit(was=SCHEMA["name"]), SchemaError, "describes 'Name'"),
        (changed("price", currency="USD"), SchemaError, "currency of a field cannot change"),
        (changed("glaze", kind="text"), SchemaError, "kind of a field cannot change"),
        (FieldEdit(was=StoreField(name="glaze")), Conflict, "changed elsewhere"),
        (FieldEdit(field=StoreField(name="sku")), Conflict, "already"),
        (FieldEdit(), SchemaError, "changes nothing"),
    ],
)
def test_an_edit_that_cannot_be_says_why(edit, error, says):
    with pytest.raises(error, match=says):
        edited(SCHEMA, edit)


@pytest.mark.parametrize(
    "wrong", [{"pattern": "("}, {"minimum": 2, "maximum": 1}, {"kind": "choice"}]
)
def test_a_field_that_cannot_be_is_none(wrong):
    with pytest.raises(ValueError, match="field f"):
        StoreField.model_validate({"name": "f", **wrong})


def test_words_are_added_each_once():
    assert with_words(SCHEMA["glaze"], [" ash ", "matt", "ash"]).allowed == ("matt", "gloss", "ash")
    for field, words in (("name", ["x"]), ("glaze", [" "])):
        with pytest.raises(SchemaError):
            with_words(SCHEMA[field], words)


@pytest.mark.parametrize(
    ("field", "values", "keys"),
    [
        ({"max_length": 4}, ["four", "five!"], "b"),
        ({"pattern": "[a-z]+"}, ["ab", "a1"], "b"),
        ({"kind": "choice", "allowed": ("matt",)}, ["gloss", "matt"], "a"),
        ({"kind": "decimal", "maximum": 5}, ["5.00", "5.01"], "b"),
        ({"kind": "integer", "minimum": 1}, ["0", "1"], "a"),
        ({"kind": "texts", "max_length": 5}, ["a | b", "aa | bb"], "b"),
        ({"unique": True}, ["x", "x"], "ab"),
        ({"required": True}, ["x", ""], ""),
    ],
)
def test_values_that_would_be_refused_are_found(field, values, keys):
    held = pl.DataFrame({"key": ["a", "b", "c"], "value": [*values, None]})
    found = breaking(StoreField.model_validate({"name": "f", **field}), held)
    assert "".join(found["key"]) == keys
    assert found["why"].null_count() == 0


def test_only_demands_change_what_is_prepared():
    assert not changed("name", title="T", synonyms=("S",)).demands_more
    assert changed("name", max_length=3).demands_more
    assert changed("name", title="T").said() == "title: Name -> T"
