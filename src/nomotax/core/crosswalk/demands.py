"""What a crosswalk asks of a delivery and of the store's schema."""

from __future__ import annotations

from collections.abc import Set

from nomotax.core.crosswalk.model import Crosswalk, Fill
from nomotax.core.errors import CrosswalkError
from nomotax.core.schema.model import StoreField, StoreSchema


def asked_fields(schema: StoreSchema, crosswalk: Crosswalk) -> list[StoreField]:
    """The fields with what they ask of a delivery: a feed that only completes products needs none
    but the key, since what it leaves empty stays as the catalog has it."""
    if crosswalk.policy.products != "change":
        return list(schema.fields)
    return [
        f if f.name == schema.key else f.model_copy(update={"required": False})
        for f in schema.fields
    ]


def check_names(fills: dict[str, Fill], schema: StoreSchema, columns: Set[str]) -> None:
    """Raises ``CrosswalkError`` for fields and columns that are not there."""
    unknown = [name for name in fills if name not in schema]
    if unknown:
        raise CrosswalkError(
            f"The store schema has no field {', '.join(map(repr, unknown))}.",
            remedy="Remove the fill, or choose the schema it was made for.",
        )
    missing = missing_columns(fills, columns)
    if missing:
        listed = "; ".join(f"{c!r} (fills {', '.join(f)})" for c, f in missing.items())
        raise CrosswalkError(
            f"This delivery has no column {listed}.",
            where=f"{len(missing)} of the crosswalk's columns",
            remedy="Ask the supplier for it, or fill those fields from another column.",
        )


def missing_columns(fills: dict[str, Fill], columns: Set[str]) -> dict[str, list[str]]:
    """Columns the fills ask for that did not arrive, each with the fields it should feed."""
    missing: dict[str, list[str]] = {}
    for name, fill in fills.items():
        for column in fill.columns:
            if column not in columns and name not in missing.setdefault(column, []):
                missing[column].append(name)
    return {column: names for column, names in missing.items() if names}
