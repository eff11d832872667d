"""The columns that products are listed by, and what their fields are called."""

from __future__ import annotations

from nomotax.core.changes.staging import Heading
from nomotax.core.changes.states import STATE, STATE_LABEL
from nomotax.core.schema.model import Role, StoreSchema


def headings_of(schema: StoreSchema) -> Heading:
    """Each column, and the field that fills it; "" where there is none."""
    found = {
        "title": schema.with_role(Role.TITLE),
        "category": schema.category_field,
        "variant_group": schema.with_role(Role.GROUP),
    }
    return {name: field.name if field else "" for name, field in found.items()}


def label_of(schema: StoreSchema, name: str) -> str:
    """What people call a field, or the state; the name itself where the schema has it no more."""
    if name == STATE:
        return STATE_LABEL
    return schema[name].label if name in schema else name
