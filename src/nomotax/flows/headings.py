"""The columns that products are listed by."""

from __future__ import annotations

from nomotax.core.changes.staging import Heading
from nomotax.core.schema.model import Role, StoreSchema


def headings_of(schema: StoreSchema) -> Heading:
    """Each column, and the field that fills it; "" where there is none."""
    found = {
        "title": schema.with_role(Role.TITLE),
        "category": schema.category_field,
        "variant_group": schema.with_role(Role.GROUP),
    }
    return {name: field.name if field else "" for name, field in found.items()}
