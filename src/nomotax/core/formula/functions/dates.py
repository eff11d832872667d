"""Functions on dates. A date written as text is year-month-day."""

from __future__ import annotations

import polars as pl

from nomotax.core.errors import CrosswalkError
from nomotax.core.formula.registry import Outcome, function
from nomotax.core.formula.terms import Sheet, Term, Trouble
from nomotax.core.numbers import NUMBER

_MOST_MONTHS = 24_000


def _as_number(value: pl.Expr) -> pl.Expr:
    return value.cast(pl.Int64).cast(NUMBER)


def _months_on(date: pl.Expr, months: pl.Expr) -> pl.Expr:
    span = pl.when(months.abs() < _MOST_MONTHS).then(months)
    return date.dt.offset_by(span.cast(pl.String) + "mo")


@function(
    "date",
    "DATE(year; month; day)",
    "A date of its parts; months and days beyond the end run on.",
    "DATE(2026; 13; 1)",
    "2027-01-01",
    takes="www",
    gives="d",
)
def date_of(sheet: Sheet, year: pl.Expr, month: pl.Expr, day: pl.Expr) -> Outcome:
    known = year.is_between(1, 9990)
    first = pl.date(pl.when(known).then(year), 1, 1)
    months = _months_on(first, month - 1)
    days = pl.when(day.abs() < 100_000).then(day - 1).cast(pl.String) + "d"
    return Term("date", months.dt.offset_by(days), (Trouble("is no year", ~known, pl.lit("")),))


@function(
    "date",
    "DATEVALUE(text)",
    "The date that a text as year-month-day means.",
    'DATEVALUE("2026-11-23")',
    "2026-11-23",
    takes="d",
    gives="d",
)
def date_value(sheet: Sheet, date: pl.Expr) -> Outcome:
    return date


@function("date", "YEAR(date)", "The year.", 'YEAR("2026-11-23")', "2026", takes="d", gives="n")
def year_of(sheet: Sheet, date: pl.Expr) -> Outcome:
    return _as_number(date.dt.year())


@function(
    "date", "MONTH(date)", "The month, 1 to 12.", 'MONTH("2026-11-23")', "11", takes="d", gives="n"
)
def month_of(sheet: Sheet, date: pl.Expr) -> Outcome:
    return _as_number(date.dt.month())


@function(
    "date", "DAY(date)", "The day of the month.", 'DAY("2026-11-23")', "23", takes="d", gives="n"
)
def day_of(sheet: Sheet, date: pl.Expr) -> Outcome:
    return _as_number(date.dt.day())


@function(
    "date",
    "WEEKDAY(date; kind)",
    "The day of the week: from Sunday as 1, or with kind 2 from Monday as 1, with 3 as 0; kinds 11 "
    "to 17 count from 1 on Monday, Tuesday ... Sunday.",
    'WEEKDAY("2026-11-23"; 2)',
    "1",
    takes="dk?",
    gives="n",
)
def weekday(sheet: Sheet, date: pl.Expr, kind: int | None = None) -> Outcome:
    monday_is_1 = date.dt.weekday().cast(pl.Int64)
    kinds = {1: monday_is_1 % 7 + 1, 2: monday_is_1, 3: monday_is_1 - 1}
    kinds |= {11 + day: (monday_is_1 - 1 - day + 7) % 7 + 1 for day in range(7)}
    if (1 if kind is None else kind) not in kinds:
        raise CrosswalkError("The kind of a week is 1, 2, 3 or 11 to 17.")
    return _as_number(kinds[kind or 1])


@function(
    "date",
    "ISOWEEKNUM(date)",
    "The number of the week by ISO 8601.",
    'ISOWEEKNUM("2026-11-23")',
    "48",
    takes="d",
    gives="n",
)
def week(sheet: Sheet, date: pl.Expr) -> Outcome:
    return _as_number(date.dt.week())


@function(
    "date",
    "EDATE(date; months)",
    "The same day so many months on.",
    'EDATE("2026-01-31"; 1)',
    "2026-02-28",
    takes="dw",
    gives="d",
)
def months_on(sheet: Sheet, date: pl.Expr, months: pl.Expr) -> Outcome:
    return _months_on(date, months)


@function(
    "date",
    "EOMONTH(date; months)",
    "The last day of the month so many months on.",
    'EOMONTH("2026-01-15"; 1)',
    "2026-02-28",
    takes="dw",
    gives="d",
)
def month_end(sheet: Sheet, date: pl.Expr, months: pl.Expr) -> Outcome:
    return _months_on(date, months).dt.month_end()


@function(
    "date",
    "DAYS(end; start)",
    "How many days lie between two dates.",
    'DAYS("2026-12-24"; "2026-11-23")',
    "31",
    takes="dd",
    gives="n",
)
def days_between(sheet: Sheet, end: pl.Expr, start: pl.Expr) -> Outcome:
    return _as_number((end - start).dt.total_days())


@function(
    "date",
    "DATEDIF(start; end; unit)",
    'How many whole days, months or years lie between two dates: "d", "m" or "y".',
    'DATEDIF("2025-11-24"; "2026-11-23"; "m")',
    "11",
    takes="ddc",
    gives="n",
)
def difference(sheet: Sheet, start: pl.Expr, end: pl.Expr, unit: str) -> Outcome:
    months = (end.dt.year() - start.dt.year()) * 12 + end.dt.month().cast(pl.Int32)
    months = months - start.dt.month().cast(pl.Int32)
    whole = months - (end.dt.day() < start.dt.day()).cast(pl.Int32)
    units = {"d": (end - start).dt.total_days(), "m": whole, "y": whole // 12}
    if unit.lower() not in units:
        raise CrosswalkError('The unit is "d", "m" or "y".')
    return _as_number(units[unit.lower()])
