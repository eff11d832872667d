"""A contract drafted from the last files of a feed: what all of them have kept."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import ROUND_FLOOR, Decimal
from typing import Any

import polars as pl

from nomotax.core.contract.checking import Breach, check
from nomotax.core.contract.model import (
    ColumnTerms,
    ColumnType,
    Constraints,
    Contract,
    FileTerms,
    RowTerms,
)
from nomotax.core.reading.model import Reading
from nomotax.core.reading.profile import ColumnProfile

#: Columns of so few words, in files of so many rows, are of those words alone.
_WORDS, _ROWS = 12, 40
#: A file may have so much less than the smallest of the last ones, of rows and of filled cells.
_FEWER, _LESS_FILLED = Decimal("0.7"), Decimal(5)
#: Columns filled in less than this share, in percent, are promised nothing.
_RARELY = Decimal(50)

_TYPES: Mapping[str, tuple[ColumnType, dict[str, str]]] = {
    "whole number": ("integer", {}),
    "decimal with point": ("number", {"decimal_char": ".", "group_char": ","}),
    "decimal with comma": ("number", {"decimal_char": ",", "group_char": "."}),
    "date (year-month-day)": ("date", {}),
    "date (day.month.year)": ("date", {"format": "%d.%m.%Y"}),
    "date (day/month/year)": ("date", {"format": "%d/%m/%Y"}),
    "date (month/day/year)": ("date", {"format": "%m/%d/%Y"}),
    "date (year month day, no marks)": ("date", {"format": "%Y%m%d"}),
}
_DIGITS = ("digits with leading zeros",)
_GTIN = "[0-9]{8}|[0-9]{12,14}"


def draft(
    tables: Sequence[pl.LazyFrame],
    profiles: Sequence[Sequence[ColumnProfile]],
    reading: Reading,
    title: str = "",
) -> Contract:
    """What the last files of a feed have all kept, so that none of them breaks it. ``tables`` and
    their ``profiles`` are at least one each, the newest last, whose order of columns it has."""
    by_file = [{one.name: one for one in own} for own in profiles]
    names = [one.name for one in profiles[-1]]
    made = Contract(
        title=title,
        fields=tuple(_terms(name, tables, by_file) for name in names),
        file=FileTerms.model_validate(_file(reading)),
        rows=RowTerms(least=_least([own[0].rows for own in profiles if own])),
    )
    # What is told of most cells need not be so of all: a promise that a file has broken goes.
    for _ in made.fields:
        broken = [one for table in tables for one in check(table, made)]
        if not broken:
            return made
        made = _without(made, broken)
    return made


def _file(reading: Reading) -> dict[str, str]:
    told: dict[str, str] = {"format": reading.format}
    if reading.format == "delimited":
        told |= {"encoding": reading.encoding, "delimiter": reading.delimiter}
    return told


def _least(rows: Sequence[int]) -> int | None:
    """So many rows at least, in two figures."""
    least = int(min(rows, default=0) * _FEWER)
    step = 10 ** max(0, len(str(least)) - 2)
    return least // step * step or None


def _terms(
    name: str, tables: Sequence[pl.LazyFrame], by_file: Sequence[Mapping[str, ColumnProfile]]
) -> ColumnTerms:
    own = [profile[name] for profile in by_file if name in profile]
    looks = {one.looks_like for one in own if one.filled}
    if looks == {"whole number", "decimal with point"}:
        looks = {"decimal with point"}
    if looks == {"whole number", "decimal with comma"}:
        looks = {"decimal with comma"}
    kind, how = _TYPES.get(next(iter(looks)), ("string", {})) if len(looks) == 1 else ("any", {})
    shares = [Decimal(one.filled) * 100 / one.rows for one in own if one.rows]
    least = min(shares, default=Decimal(0))
    limits = _limits(name, own, looks, kind, tables)
    told: dict[str, Any] = {"optional": len(own) < len(by_file), **how}
    if least == 100:
        limits["required"] = True
    elif least >= _RARELY:
        told["filled"] = (least - _LESS_FILLED).quantize(Decimal(1), ROUND_FLOOR)
    return ColumnTerms(name=name, type=kind, constraints=Constraints(**limits), **told)


def _limits(
    name: str,
    own: Sequence[ColumnProfile],
    looks: set[str],
    kind: ColumnType,
    tables: Sequence[pl.LazyFrame],
) -> dict[str, Any]:
    limits: dict[str, Any] = {}
    exact = all(one.sampled is None for one in own)
    once = all(one.distinct == one.filled == one.rows and one.rows >= _ROWS for one in own)
    if exact and once and _is_code(own, kind):
        limits["unique"] = True
    if kind in ("integer", "number") and not any((one.least or "").startswith("-") for one in own):
        limits["minimum"] = "0"
    if looks == {"GTIN"}:
        limits["pattern"] = _GTIN
    lengths = {length for one in own for length in (one.shortest, one.longest)}
    if looks <= set(_DIGITS) and looks and len(lengths) == 1:
        limits["pattern"] = f"[0-9]{{{lengths.pop()}}}"
    few = all(0 < one.distinct <= _WORDS and one.filled >= _ROWS for one in own)
    if kind in ("string", "any") and few and not limits.keys() & {"unique", "pattern"}:
        limits["enum"] = _words(name, tables)
    return limits


def _is_code(own: Sequence[ColumnProfile], kind: ColumnType) -> bool:
    """Whether values are numbers of things, which are no two the same; prices and names may be."""
    words = [value.value for one in own for value in one.frequent]
    return kind in ("string", "integer") and not any(" " in word for word in words)


def _words(name: str, tables: Sequence[pl.LazyFrame]) -> tuple[str, ...]:
    parts = [table.select(pl.col(name).drop_nulls().unique()) for table in tables
             if name in table.collect_schema()]  # fmt: skip
    return tuple(pl.concat(parts).unique().sort(name).collect()[name].to_list())


def _without(contract: Contract, broken: Sequence[Breach]) -> Contract:
    """The contract without the promises that have been broken."""
    gone: dict[str, set[str]] = {}
    for one in broken:
        gone.setdefault(one.column, set()).add(one.kind)
    fields = tuple(_loosened(one, gone.get(one.name, set())) for one in contract.fields)
    return contract.model_copy(update={"fields": fields})


def _loosened(one: ColumnTerms, gone: set[str]) -> ColumnTerms:
    if not gone:
        return one
    told = one.constraints.model_dump(exclude_defaults=True)
    kept: dict[str, Any] = {n: rule for n, rule in told.items() if n not in gone}
    named: dict[str, Any] = {"name": one.name, "optional": one.optional}
    if "empty" in gone:
        kept.pop("required", None)
    if "type" in gone:
        kept = {n: rule for n, rule in kept.items() if n not in ("minimum", "maximum")}
    else:
        named |= one.model_dump(include={"type", "format", "decimal_char", "group_char"})
    if "filled_low" not in gone:
        named["filled"] = one.filled
    return ColumnTerms(**named, constraints=Constraints(**kept))
