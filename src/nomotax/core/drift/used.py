"""What is unusual for a crosswalk: a column that feeds nothing worries nobody."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.drift.model import DriftFinding, Severity
from nomotax.core.schema.model import Role, StoreField, StoreSchema

#: Fields without which a product is not right.
_GRAVE = frozenset((Role.KEY, Role.COST, Role.PRICE, Role.STOCK))


def in_use(
    found: Iterable[DriftFinding], crosswalk: Crosswalk, schema: StoreSchema, rows: int
) -> list[DriftFinding]:
    """The findings of a delivery of so many ``rows`` with the store's fields that they touch:
    about a column that feeds none they are but notes; where a column is gone or unreadable that
    feeds a key, a price, a stock or what every product must have, they hold it. A crosswalk
    without fills says nothing of this."""
    used = crosswalk.used_columns()
    if not used:
        return list(found)
    article = crosswalk.identity.article
    made = []
    for one in found:
        fields = tuple(f for f in used.get(one.column, []) if f in schema)
        own = one.model_copy(update={"fields": fields})
        matters = not one.column or bool(fields) or one.column == article
        made.append(_weighed(own, matters, [schema[f] for f in fields], rows))
    return sorted(made, key=lambda one: (-one.rank, -one.rows))


def _weighed(
    one: DriftFinding, matters: bool, fields: Sequence[StoreField], rows: int
) -> DriftFinding:
    severity: Severity = one.severity
    if not matters:
        severity = "note"
    elif severity == "warn" and any(f.required or f.role in _GRAVE for f in fields):
        lost = one.kind in ("kind_changed", "fill_dropped") and 2 * one.rows >= rows
        severity = "hold" if one.kind == "column_gone" or lost else "warn"
    return one.model_copy(update={"severity": severity})
