"""Conditions, and questions about values."""

from __future__ import annotations

import polars as pl

from nomotax.core.formula.registry import Outcome, function
from nomotax.core.formula.terms import Sheet, Term, Trouble, gathered, of_constant, united
from nomotax.core.numbers import NUMBER


def _choose(sheet: Sheet, conditions: list[Term], values: list[Term], other: Term) -> Term:
    """The first value whose condition is true, with the troubles of just what was needed."""
    *made, last = united(sheet, [*values, other])
    left = pl.lit(True)
    troubles: list[Trouble] = []
    chain = last.value
    picked: list[tuple[pl.Expr, pl.Expr]] = []
    for condition, value in zip(conditions, made, strict=True):
        true = sheet.keep(condition.value.fill_null(False))
        troubles += condition.where(left)
        troubles += value.where(left & true)
        picked.append((true, value.value))
        left = sheet.keep(left & ~true)
    troubles += last.where(left)
    for true, value_of in reversed(picked):
        chain = pl.when(true).then(value_of).otherwise(chain)
    return Term(last.kind, chain, tuple(troubles))


@function(
    "logic",
    "IF(condition; then; else)",
    "One value where a condition is true, another where it is not (or is empty).",
    'IF(3 > 2; "more"; "less")',
    "more",
    takes="aaa?",
)
def if_(sheet: Sheet, condition: Term, then: Term, other: Term | None = None) -> Outcome:
    return _choose(sheet, [sheet.logical(condition)], [then], other or of_constant(""))


@function(
    "logic",
    "IFS(condition; value; ...)",
    "The value behind the first condition that is true; empty where none is.",
    'IFS(5 < 1; "a"; 5 < 9; "b")',
    "b",
    takes="aaa*",
    standard=False,
)
def ifs(sheet: Sheet, *pairs: Term) -> Outcome:
    even = list(pairs[: len(pairs) // 2 * 2])
    conditions = [sheet.logical(c) for c in even[::2]]
    other = pairs[-1] if len(pairs) % 2 else of_constant("")
    return _choose(sheet, conditions, even[1::2], other)


@function(
    "logic",
    "SWITCH(value; is; then; ...; else)",
    "The value behind the first that equals it; the last one, or nothing, where none does.",
    'SWITCH("B"; "A"; "one"; "B"; "two"; "none")',
    "two",
    takes="aaaa*",
    standard=False,
)
def switch(sheet: Sheet, value: Term, *rest: Term) -> Outcome:
    pairs = list(rest[: len(rest) // 2 * 2])
    other = rest[-1] if len(rest) % 2 else of_constant("")
    conditions = [equal(sheet, value, one) for one in pairs[::2]]
    return _choose(sheet, conditions, pairs[1::2], other)


@function(
    "logic",
    "CHOOSE(number; value; ...)",
    "The first, second ... of several values.",
    'CHOOSE(2; "S"; "M"; "L")',
    "M",
    takes="aaa*",
)
def choose(sheet: Sheet, number: Term, *values: Term) -> Outcome:
    which = sheet.whole(number)
    at = sheet.keep(which.value)
    conditions = [Term("logical", at == n, which.troubles) for n in range(1, len(values) + 1)]
    none = Trouble(f"is not 1 to {len(values)}", ~at.is_between(1, len(values)), at.cast(pl.String))
    chosen = _choose(sheet, conditions, list(values), of_constant(""))
    return Term(chosen.kind, chosen.value, (*chosen.troubles, none))


def equal(sheet: Sheet, one: Term, other: Term) -> Term:
    """Whether two values are the same: numbers by their worth, all else by their text."""
    if "number" in (one.kind, other.kind):
        texts = [t for t in (one, other) if t.kind == "text"]
        if any(t.constant == "" for t in texts):
            filled = next(t for t in (one, other) if t.constant != "")
            return Term("logical", filled.value.is_null(), filled.troubles)
        a, b = sheet.number(one), sheet.number(other)
        value = (a.value == b.value).fill_null(False)
        return Term("logical", value, gathered([a, b]))
    if one.kind == other.kind != "text":
        return Term("logical", (one.value == other.value).fill_null(False), gathered([one, other]))
    a, b = sheet.text(one), sheet.text(other)
    return Term("logical", a.value.fill_null("") == b.value.fill_null(""), gathered([a, b]))


@function(
    "logic",
    "AND(condition; ...)",
    "True where all conditions are.",
    "AND(1 < 2; 2 < 3)",
    "true",
    takes="l*",
    gives="l",
)
def and_(sheet: Sheet, *conditions: pl.Expr) -> Outcome:
    return pl.all_horizontal(c.fill_null(False) for c in conditions)


@function(
    "logic",
    "OR(condition; ...)",
    "True where one condition is.",
    "OR(1 > 2; 2 < 3)",
    "true",
    takes="l*",
    gives="l",
)
def or_(sheet: Sheet, *conditions: pl.Expr) -> Outcome:
    return pl.any_horizontal(c.fill_null(False) for c in conditions)


@function(
    "logic",
    "XOR(condition; ...)",
    "True where an odd number of conditions is.",
    "XOR(TRUE(); TRUE(); TRUE())",
    "true",
    takes="l*",
    gives="l",
)
def xor(sheet: Sheet, *conditions: pl.Expr) -> Outcome:
    count = pl.sum_horizontal(c.fill_null(False).cast(pl.UInt32) for c in conditions)
    return count % 2 == 1


@function(
    "logic",
    "NOT(condition)",
    "True where the condition is not.",
    "NOT(1 > 2)",
    "true",
    takes="l",
    gives="l",
)
def not_(sheet: Sheet, condition: pl.Expr) -> Outcome:
    return ~condition.fill_null(False)


@function("logic", "TRUE()", "True. `TRUE` alone is the same.", "TRUE()", "true", gives="l")
def true(sheet: Sheet) -> Outcome:
    return of_constant(True)


@function("logic", "FALSE()", "False. `FALSE` alone is the same.", "FALSE()", "false", gives="l")
def false(sheet: Sheet) -> Outcome:
    return of_constant(False)


@function(
    "logic",
    "NA()",
    "A value that is not available: an error, unless IFNA or IFERROR stands around it.",
    'IFNA(NA(); "none")',
    "none",
)
def not_available(sheet: Sheet) -> Outcome:
    trouble = Trouble("is not available", pl.lit(True), pl.lit(""))
    return Term("text", pl.lit(None, dtype=pl.String), (trouble,), not_available=True)


def _instead(sheet: Sheet, value: Term, other: Term, failed: pl.Expr) -> Term:
    first, second = united(sheet, [value, other])
    failed = sheet.keep(failed)
    chosen = pl.when(failed).then(second.value).otherwise(first.value)
    return Term(first.kind, chosen, second.where(failed))


@function(
    "logic",
    "IFERROR(value; other)",
    "Another value where the first has an error.",
    'IFERROR(1 / 0; "none")',
    "none",
    takes="aa",
)
def if_error(sheet: Sheet, value: Term, other: Term) -> Outcome:
    return _instead(sheet, value, other, value.failed)


@function(
    "logic",
    "IFNA(value; other)",
    "Another value where the first is not available.",
    'IFNA(NA(); "none")',
    "none",
    takes="aa",
)
def if_na(sheet: Sheet, value: Term, other: Term) -> Outcome:
    if not value.not_available:
        return value
    return _instead(sheet, value, other, value.failed)


@function(
    "logic",
    "ISBLANK(value)",
    "True where there is no value.",
    'ISBLANK("")',
    "true",
    takes="a",
)
def is_blank(sheet: Sheet, value: Term) -> Outcome:
    blank = value.value.is_null()
    if value.kind == "text":
        blank = value.value.fill_null("") == ""
    return Term("logical", blank, value.troubles)


@function(
    "logic",
    "ISNUMBER(value)",
    "True for a number, and for a text that this file would write for one.",
    'ISNUMBER("12 pcs")',
    "false",
    takes="a",
)
def is_number(sheet: Sheet, value: Term) -> Outcome:
    if value.kind != "text":
        return Term("logical", value.value.is_not_null() & (value.kind == "number"))
    number = sheet.number(Term("text", value.value, constant=value.constant))
    return Term("logical", number.value.is_not_null())


@function(
    "logic", "ISTEXT(value)", "True for a text that is no number.", "ISTEXT(7)", "false", takes="a"
)
def is_text(sheet: Sheet, value: Term) -> Outcome:
    if value.kind != "text":
        return Term("logical", pl.lit(False))
    number = sheet.number(Term("text", value.value, constant=value.constant))
    return Term("logical", (value.value.fill_null("") != "") & number.value.is_null())


@function(
    "logic",
    "ISNONTEXT(value)",
    "True for anything that is no text.",
    "ISNONTEXT(7)",
    "true",
    takes="a",
)
def is_nontext(sheet: Sheet, value: Term) -> Outcome:
    found = is_text(sheet, value)
    return Term("logical", ~found.value) if isinstance(found, Term) else found


@function(
    "logic",
    "ISLOGICAL(value)",
    "True for true and false.",
    "ISLOGICAL(1 < 2)",
    "true",
    takes="a",
)
def is_logical(sheet: Sheet, value: Term) -> Outcome:
    return Term("logical", pl.lit(value.kind == "logical"))


@function(
    "logic",
    "ISERROR(value)",
    "True where a value has an error.",
    "ISERROR(1 / 0)",
    "true",
    takes="a",
)
def is_error(sheet: Sheet, value: Term) -> Outcome:
    return Term("logical", value.failed)


@function(
    "logic",
    "ISERR(value)",
    "True where a value has an error other than not being available.",
    "ISERR(NA())",
    "false",
    takes="a",
)
def is_err(sheet: Sheet, value: Term) -> Outcome:
    return Term("logical", pl.lit(False) if value.not_available else value.failed)


@function(
    "logic", "ISNA(value)", "True where a value is not available.", "ISNA(NA())", "true", takes="a"
)
def is_na(sheet: Sheet, value: Term) -> Outcome:
    return Term("logical", value.failed if value.not_available else pl.lit(False))


@function(
    "logic", "ISEVEN(number)", "True for an even number.", "ISEVEN(4)", "true", takes="n", gives="l"
)
def is_even(sheet: Sheet, number: pl.Expr) -> Outcome:
    return number.abs().truncate(0) % pl.lit(2).cast(NUMBER) == 0


@function(
    "logic", "ISODD(number)", "True for an odd number.", "ISODD(4)", "false", takes="n", gives="l"
)
def is_odd(sheet: Sheet, number: pl.Expr) -> Outcome:
    return number.abs().truncate(0) % pl.lit(2).cast(NUMBER) != 0
