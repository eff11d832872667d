"""Which products of a catalog are shown: a branch, a state, a text, and conditions that hold."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from nomotax.core.numbers import NUMBER

Test = Literal["empty", "filled", "is", "is not", "contains", "least", "most", "any of"]
#: What is asked of a product beside its fields: who supplies it, which fields are kept by hand,
#: how many of those are missing that it needs, the margin in percent of its price, the day of its
#: last change, the run that has written it, its key, and in which field something is wrong.
SUPPLIER, KEPT, MISSING = "$supplier", "$kept", "$missing"
MARGIN, CHANGED, RUN, KEY = "$margin", "$changed", "$run", "$key"
PROBLEM = "$problem"
BESIDE = (SUPPLIER, KEPT, MISSING, MARGIN, CHANGED, RUN, KEY, PROBLEM)


class Condition(BaseModel):
    """What a field, or one of ``BESIDE``, is to be. *any of* has a list with a value a line."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    field: str
    test: Test
    value: str = Field(default="", max_length=400_000)


class Selection(BaseModel):
    """Products of a branch, in a state, with a text in key or title ("" for all), of which every
    condition holds."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    category: str = ""
    search: str = ""
    state: str = ""
    where: tuple[Condition, ...] = Field(default=(), max_length=30)


def holds(one: Condition, values: pl.Series, numeric: bool) -> pl.Series:
    """Of which values a condition holds. ``values`` are texts, or where they are ``numeric`` exact
    numbers; null where there is none."""
    if one.test in ("empty", "filled"):
        return values.is_null() if one.test == "empty" else values.is_not_null()
    if one.test == "any of":
        wanted = {line.strip() for line in one.value.splitlines()} - {""}
        listed = _numbers(wanted) if numeric else pl.Series([*wanted], dtype=pl.String)
        return values.is_in(listed.implode()).fill_null(False)
    said = one.value.strip()
    if one.test == "contains":
        lower = values.cast(pl.String).str.to_lowercase()
        return lower.str.contains(said.lower(), literal=True).fill_null(False)
    bound = _numbers({said})[0] if numeric else said
    # What is no number is no bound: nothing is as it says.
    return _BESIDE_BOUND[one.test](values, bound) if bound is not None else values.is_null() & False


_BESIDE_BOUND: Mapping[str, Callable[[pl.Series, Any], pl.Series]] = {
    "is": lambda values, bound: values.eq_missing(bound),
    "is not": lambda values, bound: ~values.eq_missing(bound),
    "least": lambda values, bound: (values >= bound).fill_null(False),
    "most": lambda values, bound: (values <= bound).fill_null(False),
}


def _numbers(said: set[str]) -> pl.Series:
    """Numbers as people write them, null for what is none."""
    plain = [text.replace(",", ".") if "." not in text else text for text in sorted(said)]
    return pl.Series(plain, dtype=pl.String).cast(NUMBER, strict=False)
