"""The store schema: its document, templates, and what it demands of values."""

from __future__ import annotations

import polars as pl
import pytest
from stdnum import ean

from nomotax.core.errors import SchemaError
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Flow, Severity
from nomotax.core.gtin import check_digit
from nomotax.core.kinds import FieldKind
from nomotax.core.schema.checks import conform
from nomotax.core.schema.model import Role, StoreField
from nomotax.core.schema.table_schema import from_descriptor, from_template, to_descriptor


def is_value(field, text, ctx):
    """The first fault a single text would have in this field, or None."""
    frame = pl.DataFrame({"v": [text]}, schema={"v": pl.String})
    for fault in conform(field, Flow(pl.col("v")), ctx).faults:
        if frame.select(fault.mask.fill_null(False)).item():
            return fault
    return None


def test_the_document_round_trips(schema):
    assert from_descriptor(to_descriptor(schema)) == schema
    assert {f.kind for f in schema.fields} >= set(FieldKind) - {FieldKind.DECIMAL}


def test_a_plain_table_schema_is_understood():
    found = from_descriptor(
        {
            "fields": [
                {"name": "id", "type": "string", "constraints": {"required": True}},
                {"name": "n", "type": "integer", "constraints": {"minimum": 1}},
                {"name": "c", "type": "string", "constraints": {"enum": ["a", "b"]}},
                {"name": "u", "type": "string", "format": "uri"},
            ],
            "primaryKey": "id",
        }
    )
    assert [f.kind.value for f in found.fields] == ["text", "integer", "choice", "link"]
    assert found.key == "id" and found["n"].minimum == 1


@pytest.mark.parametrize(
    ("document", "says"),
    [
        ([], "no Table Schema"),
        ({"fields": [{"type": "string"}]}, "no name"),
        ({"fields": [{"name": "a"}, {"name": "a"}], "primaryKey": "a"}, "twice"),
        ({"fields": [{"name": "a"}], "primaryKey": "b"}, "key 'b'"),
        ({"fields": [{"name": "w", "nomotax": {"kind": "measure", "unit": "parsec"}}]}, "unit"),
        ({"fields": [{"name": "p", "nomotax": {"kind": "money"}}]}, "currency"),
        ({"fields": [{"name": "n", "nomotax": {"language": "fr", "of": "x"}}]}, "no field"),
    ],
)
def test_bad_schemas_say_where(document, says):
    with pytest.raises(SchemaError, match=says) as refused:
        from_descriptor(document)
    assert refused.value.where


def test_a_blank_template_makes_a_schema():
    found = from_template("Item code;Product name;EAN;Price;Weight;Image URL;Price\n", "New")
    kinds = {f.name: f.kind.value for f in found.fields}
    assert kinds == {
        "item_code": "identifier", "product_name": "text", "ean": "gtin", "price": "money",
        "weight": "measure", "image_url": "link", "price_2": "money",
    }  # fmt: skip
    assert found.key == "item_code" and found.with_role(Role.TITLE).name == "product_name"
    with pytest.raises(SchemaError, match="no column names"):
        from_template("\n", "New")


@pytest.mark.parametrize("body", ["952004421000", "9520044", "95200442100", "1952004421000"])
def test_check_digits_agree_with_an_independent_library(body):
    digits = body + str(check_digit(body))
    wrong = body + str((int(digits[-1]) + 1) % 10)
    field = StoreField(name="g", kind=FieldKind.GTIN)
    assert ean.is_valid(digits.zfill(14)) and is_value(field, digits, Context()) is None
    assert is_value(field, wrong, Context()).kind == "wrong_check_digit"


@pytest.mark.parametrize(
    ("limits", "text", "kind"),
    [
        ({"kind": "gtin"}, "12345", "not_a_gtin"),
        ({"kind": "integer"}, "1.5", "not_whole"),
        ({"kind": "integer", "minimum": 1}, "0", "too_small"),
        ({"kind": "money", "currency": "EUR"}, "-0.01", "too_small"),
        ({"kind": "decimal", "maximum": 5}, "5.01", "too_large"),
        ({"kind": "choice", "allowed": ["a"]}, "b", "not_allowed"),
        ({"kind": "link"}, "ftp//x", "not_a_link"),
        ({"kind": "links"}, "http://a.example/x nonsense", "not_a_link"),
        ({"kind": "options"}, "Size 3", "not_options"),
        ({"kind": "options"}, "Size: 3 | Size: 4", "option_twice"),
        ({"kind": "date"}, "2026-13-01", "not_a_date"),
        ({"kind": "yes_no"}, "perhaps", "not_yes_or_no"),
        ({"kind": "text", "max_length": 3}, "abcd", "too_long"),
        ({"kind": "identifier", "pattern": "[A-Z]+"}, "AB1", "wrong_pattern"),
        ({"kind": "text", "required": True}, "", "missing"),
    ],
)
def test_every_limit_is_checked(limits, text, kind):
    fault = is_value(StoreField.model_validate({"name": "f", **limits}), text, Context())
    assert fault.kind == kind and fault.severity is Severity.REFUSE


def test_a_category_the_store_does_not_have_is_a_question():
    field = StoreField(name="c", kind=FieldKind.CATEGORY)
    fault = is_value(field, "B", Context(categories=frozenset({"A"})))
    assert (fault.kind, fault.severity) == ("unknown_category", Severity.QUESTION)
