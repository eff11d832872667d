"""What is said of a delivery beside the last ones."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

DriftKind = Literal[
    "column_gone", "column_new", "column_renamed", "kind_changed", "decimal_style_changed",
    "scale_shifted", "currency_changed", "unit_changed", "fill_dropped", "constant_column",
    "rows_dropped", "rows_grew", "wrong_file", "keys_reformatted", "duplicates_up", "new_words",
    "new_categories", "prices_moved", "outliers", "stock_emptied", "language_changed",
    "encoding_damaged", "stale", "dates_shifted", "shuffled_columns", "truncated", "html_instead",
]  # fmt: skip
#: A note is worth knowing, a warning worth a look, and what holds is not applied by itself.
Severity = Literal["note", "warn", "hold"]
RANK: dict[Severity, int] = {"note": 0, "warn": 1, "hold": 2}


class DriftFinding(BaseModel):
    """One thing that is strange, in one sentence. ``column`` is as the earlier deliveries call it,
    "" where the finding is about the whole file; ``to`` is what it became (a column's new name, a
    currency, a unit), ``factor`` what its numbers were multiplied by, ``rows`` how many are
    touched. ``fields`` are the store's fields that the column feeds."""

    model_config = ConfigDict(frozen=True)

    kind: DriftKind
    severity: Severity
    column: str = ""
    to: str = ""
    factor: float | None = None
    rows: int = 0
    said: str
    fields: tuple[str, ...] = ()

    @property
    def rank(self) -> int:
        """0 for a note, 2 for what holds."""
        return RANK[self.severity]


#: What each kind is called.
NAMES: dict[DriftKind, str] = {
    "column_gone": "Column gone", "column_new": "New column", "column_renamed": "Column renamed",
    "kind_changed": "Another kind of value", "decimal_style_changed": "Numbers written otherwise",
    "scale_shifted": "Other scale", "currency_changed": "Other currency",
    "unit_changed": "Other unit", "fill_dropped": "Empty cells", "constant_column": "All the same",
    "rows_dropped": "Fewer rows", "rows_grew": "More rows", "wrong_file": "Another file",
    "keys_reformatted": "Codes written otherwise", "duplicates_up": "Repeated articles",
    "new_words": "New words", "new_categories": "New categories", "prices_moved": "Prices moved",
    "outliers": "Amounts far off", "stock_emptied": "Stock emptied",
    "language_changed": "Other language", "encoding_damaged": "Damaged texts",
    "stale": "Nothing new", "dates_shifted": "Dates shifted",
    "shuffled_columns": "Columns swapped", "truncated": "Broken off",
    "html_instead": "A web page",
}  # fmt: skip


def percent(part: float, whole: float) -> str:
    """A share in plain words: ``12 %``, ``under 1 %``."""
    share = 100 * part / whole if whole else 0.0
    if 0 < share < 1:
        return "under 1 %"
    return f"{share:.0f} %"


def times(factor: float) -> str:
    """A factor as it is said: ``times 1.17``, ``times 0.001``."""
    return f"times {factor:.3g}"
