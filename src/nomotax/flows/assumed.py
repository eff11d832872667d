"""What fills take for granted: what can be chosen instead, and the rows that wait."""

from __future__ import annotations

import polars as pl

from nomotax.core.crosswalk.assumptions import About
from nomotax.core.schema.model import StoreField
from nomotax.core.units.table import UNITS
from nomotax.flows.levels import signs
from nomotax.flows.workbench import Workbench

#: Currencies that are offered whatever rates there are; any other can be written.
_TRADED = ("EUR", "USD", "GBP", "CHF", "SEK", "NOK", "DKK", "PLN", "CZK", "HUF", "JPY", "CNY")
#: What can be chosen, most likely first; units and currencies hang on the field.
_CHOICES: dict[About, list[str]] = {
    "numbers": ["comma", "point"],
    "date": ["dmy", "mdy", "ymd"],
    "since": ["dmy", "mdy", "ymd"],
}


def choices(bench: Workbench, field: StoreField, about: About, likely: str) -> list[str]:
    """What a person can choose, what was assumed first."""
    if about == "unit":
        found = [u.code for u in UNITS.values() if u.dimension == field.dimension]
    elif about == "currency":
        rates = [r.source for r in bench.lookups.rates.values() if r.target == field.currency]
        found = [field.currency or "", *rates, *_TRADED]
    elif about == "path":
        return signs(bench, field)
    elif about == "prefix":
        found = [likely, ""]
    else:
        found = _CHOICES.get(about, [])
    return list(dict.fromkeys([*([likely] if likely in found else []), *found]))


def open_assumptions(bench: Workbench) -> pl.DataFrame:
    """The rows that wait for one, counted: field, kind, rows."""
    waiting = bench.problems.filter(pl.col("kind").str.starts_with("assumed_"))
    return waiting.group_by("field", "kind").agg(pl.col("row").n_unique().alias("rows"))
