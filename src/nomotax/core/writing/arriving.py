"""An arriving table as it is given out."""

from __future__ import annotations

import polars as pl

from nomotax.core.table import FAULT, HIDDEN

#: The column that says why a row is held.
HELD = "Held because"


def with_held_rows(frame: pl.DataFrame) -> pl.DataFrame:
    """The table without its hidden columns; rows that something is wrong with say what it is, in
    a column behind the others."""
    rest = frame.drop(HIDDEN)
    if frame[FAULT].null_count() == frame.height:
        return rest
    title = HELD if HELD not in rest.columns else f"{HELD} (of the reading)"
    return rest.with_columns(frame[FAULT].alias(title))
