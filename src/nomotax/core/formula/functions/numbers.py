"""Functions on exact numbers, and the operators."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from math import isqrt

import polars as pl

from nomotax.core.errors import CrosswalkError
from nomotax.core.formula.registry import Outcome, function
from nomotax.core.formula.terms import Sheet, Term, Trouble, gathered
from nomotax.core.numbers import NUMBER, SCALE, Worked, literal, over, plus, times
from nomotax.core.units.table import convert, find_unit

_ONE = literal(1)
_NO_ROOM = "makes too large a number"
_BY_ZERO = "divides by zero"


def _folded(sheet: Sheet, numbers: list[pl.Expr], by: Callable[[pl.Expr, pl.Expr], Worked]) -> Term:
    """Numbers worked together from the left."""
    value, troubles = numbers[0], list[Trouble]()
    for number in numbers[1:]:
        made = by(value, number)
        troubles.append(Trouble(_NO_ROOM, sheet.keep(made.wrong), pl.lit("")))
        value = sheet.keep(made.value)
    return Term("number", value, tuple(troubles))


def _filled(numbers: tuple[pl.Expr, ...], empty: int) -> list[pl.Expr]:
    return [n.fill_null(literal(empty)) for n in numbers]


def _any(numbers: tuple[pl.Expr, ...]) -> pl.Expr:
    return pl.any_horizontal(n.is_not_null() for n in numbers)


def add(sheet: Sheet, a: pl.Expr, b: pl.Expr) -> Term:
    """a + b"""
    return sheet.worked(plus(a, b))


def divide(sheet: Sheet, a: pl.Expr, b: pl.Expr) -> Term:
    """a / b"""
    return sheet.worked(over(a, b), _BY_ZERO)


def multiply(sheet: Sheet, a: pl.Expr, b: pl.Expr) -> Term:
    """a * b"""
    return sheet.worked(times(a, b))


def raised(sheet: Sheet, base: pl.Expr, exponent: Term) -> Term:
    """A number to a whole power that is written out, by multiplication."""
    power = exponent.constant
    if not isinstance(power, Decimal) or power != int(power) or not -20 <= power <= 20:
        raise CrosswalkError("A power must be written as a whole number from -20 to 20.")
    made = _folded(sheet, [_ONE, *[base] * abs(int(power))], times)
    if power >= 0:
        return made
    turned = over(_ONE, made.value)
    return Term("number", turned.value, (*made.troubles, Trouble(_BY_ZERO, turned.wrong, base)))


@function(
    "number",
    "POWER(number; power)",
    "A number to a whole power from -20 to 20, which must be written out. `a ^ b` is the same.",
    "POWER(1.1; 2)",
    "1.21",
    takes="na",
    gives="n",
)
def power(sheet: Sheet, base: pl.Expr, exponent: Term) -> Outcome:
    return raised(sheet, base, exponent)


@function(
    "number",
    "SUM(number; ...)",
    "All numbers together; empty ones do not count.",
    "SUM(1; 2.5; 3)",
    "6.5",
    takes="n*",
    gives="n",
)
def total(sheet: Sheet, *numbers: pl.Expr) -> Outcome:
    made = _folded(sheet, _filled(numbers, 0), plus)
    return Term("number", pl.when(_any(numbers)).then(made.value), made.troubles)


@function(
    "number",
    "SUMSQ(number; ...)",
    "The squares of all numbers together.",
    "SUMSQ(3; 4)",
    "25",
    takes="n*",
    gives="n",
)
def sum_of_squares(sheet: Sheet, *numbers: pl.Expr) -> Outcome:
    squares = [_folded(sheet, [n, n], times) for n in _filled(numbers, 0)]
    made = _folded(sheet, [s.value for s in squares], plus)
    return Term("number", made.value, (*gathered(squares), *made.troubles))


@function(
    "number",
    "PRODUCT(number; ...)",
    "All numbers multiplied; empty ones do not count.",
    "PRODUCT(2; 3; 4)",
    "24",
    takes="n*",
    gives="n",
)
def product(sheet: Sheet, *numbers: pl.Expr) -> Outcome:
    made = _folded(sheet, _filled(numbers, 1), times)
    return Term("number", pl.when(_any(numbers)).then(made.value), made.troubles)


@function(
    "number",
    "AVERAGE(number; ...)",
    "The mean of the numbers that are there.",
    "AVERAGE(1; 2; 6)",
    "3",
    takes="n*",
    gives="n",
)
def average(sheet: Sheet, *numbers: pl.Expr) -> Outcome:
    made = _folded(sheet, _filled(numbers, 0), plus)
    mean = over(made.value, _how_many(numbers))
    return Term("number", pl.when(_any(numbers)).then(mean.value), made.troubles)


def _how_many(values: tuple[pl.Expr, ...]) -> pl.Expr:
    there = pl.sum_horizontal(v.is_not_null().cast(pl.Int64) for v in values)
    return there.cast(NUMBER)


@function(
    "number",
    "COUNT(value; ...)",
    "How many of the values are numbers.",
    'COUNT(1; "two"; 3)',
    "2",
    takes="a*",
)
def count(sheet: Sheet, *values: Term) -> Outcome:
    bare = [Term(v.kind, v.value, constant=v.constant) for v in values]
    return Term("number", _how_many(tuple(sheet.number(v).value for v in bare)))


@function(
    "number",
    "COUNTA(value; ...)",
    "How many of the values are not empty.",
    'COUNTA(1; ""; "x")',
    "2",
    takes="t*",
    gives="n",
)
def count_all(sheet: Sheet, *values: pl.Expr) -> Outcome:
    return _how_many(tuple(pl.when(v != "").then(v) for v in values))


@function(
    "number",
    "COUNTBLANK(value; ...)",
    "How many of the values are empty.",
    'COUNTBLANK(1; ""; "x")',
    "1",
    takes="t*",
    gives="n",
)
def count_blank(sheet: Sheet, *values: pl.Expr) -> Outcome:
    return literal(len(values)) - _how_many(tuple(pl.when(v != "").then(v) for v in values))


@function(
    "number",
    "MIN(number; ...)",
    "The least of the numbers that are there.",
    "MIN(3; 1; 2)",
    "1",
    takes="n*",
    gives="n",
)
def least(sheet: Sheet, *numbers: pl.Expr) -> Outcome:
    return pl.min_horizontal(*numbers)


@function(
    "number",
    "MAX(number; ...)",
    "The greatest of the numbers that are there.",
    "MAX(3; 1; 2)",
    "3",
    takes="n*",
    gives="n",
)
def greatest(sheet: Sheet, *numbers: pl.Expr) -> Outcome:
    return pl.max_horizontal(*numbers)


@function(
    "number",
    "MEDIAN(number; ...)",
    "The number in the middle of those that are there.",
    "MEDIAN(9; 1; 4)",
    "4",
    takes="n*",
    gives="n",
)
def median(sheet: Sheet, *numbers: pl.Expr) -> Outcome:
    ranked = sheet.keep(pl.concat_list(numbers).list.drop_nulls().list.sort())
    size = ranked.list.len().cast(pl.Int64)
    low = ranked.list.get((size - 1) // 2, null_on_oob=True)
    high = ranked.list.get(size // 2, null_on_oob=True)
    return (low + high) / literal(2)


@function(
    "number",
    "ABS(number)",
    "Without its sign.",
    "ABS(-7)",
    "7",
    takes="n",
    gives="n",
)
def absolute(sheet: Sheet, number: pl.Expr) -> Outcome:
    return number.abs()


@function("number", "SIGN(number)", "1, 0 or -1.", "SIGN(-7)", "-1", takes="n", gives="n")
def sign(sheet: Sheet, number: pl.Expr) -> Outcome:
    return pl.when(number > 0).then(_ONE).when(number < 0).then(-_ONE).otherwise(number)


@function(
    "number", "INT(number)", "The whole number below.", "INT(-1.5)", "-2", takes="n", gives="n"
)
def whole_below(sheet: Sheet, number: pl.Expr) -> Outcome:
    return number.floor()


def _toward_zero(number: pl.Expr, places: int) -> pl.Expr:
    if places >= 0:
        return number.truncate(min(places, SCALE))
    unit = literal(Decimal(10) ** min(-places, 20))
    # The plan's % takes the sign of the divisor, so the size is cut and not the number.
    return pl.when(number < 0).then(number + number.abs() % unit).otherwise(number - number % unit)


def _away(number: pl.Expr, places: int) -> pl.Expr:
    cut = _toward_zero(number, places)
    unit = literal(Decimal(1).scaleb(-max(min(places, SCALE), -20)))
    more = pl.when(number < 0).then(-unit).otherwise(unit)
    return pl.when(cut == number).then(number).otherwise(cut + more)


@function(
    "number",
    "ROUND(number; places)",
    "Rounded, half away from zero. Places may be below 0: ROUND(1250; -2) is 1300.",
    "ROUND(2.345; 2)",
    "2.35",
    takes="nk?",
    gives="n",
)
def rounded(sheet: Sheet, number: pl.Expr, places: int | None = None) -> Outcome:
    return half_away(number, places or 0)


def half_away(number: pl.Expr, places: int) -> pl.Expr:
    """Rounded half away from zero; ``places`` may be below 0."""
    if places >= 0:
        return number.round(min(places, SCALE), mode="half_away_from_zero")
    unit = Decimal(10) ** min(-places, 20)
    half = literal(unit / 2)
    return _toward_zero(pl.when(number < 0).then(number - half).otherwise(number + half), places)


@function(
    "number",
    "ROUNDUP(number; places)",
    "Rounded away from zero.",
    "ROUNDUP(2.341; 2)",
    "2.35",
    takes="nk?",
    gives="n",
)
def rounded_up(sheet: Sheet, number: pl.Expr, places: int | None = None) -> Outcome:
    return _away(number, places or 0)


@function(
    "number",
    "ROUNDDOWN(number; places)",
    "Rounded towards zero.",
    "ROUNDDOWN(2.349; 2)",
    "2.34",
    takes="nk?",
    gives="n",
)
def rounded_down(sheet: Sheet, number: pl.Expr, places: int | None = None) -> Outcome:
    return _toward_zero(number, places or 0)


@function(
    "number",
    "TRUNC(number; places)",
    "Cut to so many places.",
    "TRUNC(-2.99)",
    "-2",
    takes="nk?",
    gives="n",
)
def cut(sheet: Sheet, number: pl.Expr, places: int | None = None) -> Outcome:
    return _toward_zero(number, places or 0)


def _stepped(number: pl.Expr, step: pl.Expr, up: bool) -> pl.Expr:
    """The multiple of ``step`` at or above (below) the number."""
    size = pl.when(step != 0).then(step.abs())
    rest = number % size
    lower = number - rest
    made = pl.when(rest == 0).then(number).otherwise(lower + size if up else lower)
    return pl.when(step == 0).then(literal(0)).otherwise(made)


@function(
    "number",
    "CEILING(number; step; mode)",
    "The next multiple of a step, upwards; whole numbers when no step is given. With a mode "
    "other than 0, numbers below 0 go away from 0.",
    "CEILING(2.31; 0.05)",
    "2.35",
    takes="nn?k?",
    gives="n",
)
def ceiling(
    sheet: Sheet, number: pl.Expr, step: pl.Expr | None = None, mode: int | None = None
) -> Outcome:
    return _to_step(sheet, number, step, mode, up=True)


@function(
    "number",
    "FLOOR(number; step; mode)",
    "The next multiple of a step, downwards; whole numbers when no step is given. With a mode "
    "other than 0, numbers below 0 go towards 0.",
    "FLOOR(2.39; 0.05)",
    "2.35",
    takes="nn?k?",
    gives="n",
)
def floor(
    sheet: Sheet, number: pl.Expr, step: pl.Expr | None = None, mode: int | None = None
) -> Outcome:
    return _to_step(sheet, number, step, mode, up=False)


@function(
    "number",
    "SQRT(number)",
    "The square root, to 12 places.",
    "SQRT(2.25)",
    "1.5",
    takes="n",
    gives="n",
)
def root(sheet: Sheet, number: pl.Expr) -> Outcome:
    made = number.map_batches(_roots, return_dtype=NUMBER, is_elementwise=True)
    return Term("number", made, (Trouble("has no square root", number < 0, pl.lit("")),))


def _roots(numbers: pl.Series) -> pl.Series:
    """By whole numbers, so that every place is right; cut, not rounded."""
    units = [n if n is None or n < 0 else int(n.scaleb(2 * SCALE)) for n in numbers]
    found = [None if u is None or u < 0 else Decimal(isqrt(int(u))).scaleb(-SCALE) for u in units]
    return pl.Series(numbers.name, found, dtype=NUMBER)


def _to_step(
    sheet: Sheet, number: pl.Expr, step: pl.Expr | None, mode: int | None, *, up: bool
) -> Outcome:
    """A number above 0 with a step below it is refused, as the standard has it. One below 0 goes up
    or down to a step above 0 as any other does: what is 0 less an ending is no mistake."""
    if step is None:
        return _by_mode(number, _ONE, mode, up=up)
    crossed = ((number > 0) & (step < 0)).fill_null(False)
    trouble = Trouble("has another sign than its step", sheet.keep(crossed), pl.lit(""))
    return Term("number", pl.when(~crossed).then(_by_mode(number, step, mode, up=up)), (trouble,))


def _by_mode(number: pl.Expr, step: pl.Expr, mode: int | None, *, up: bool) -> pl.Expr:
    made = _stepped(number, step, up=up)
    if not mode:
        return made
    return pl.when(number < 0).then(-_stepped(-number, step, up=up)).otherwise(made)


@function(
    "number",
    "MROUND(number; step)",
    "The nearest multiple of a step, half away from zero.",
    "MROUND(2.38; 0.05)",
    "2.4",
    takes="nn",
    gives="n",
)
def to_multiple(sheet: Sheet, number: pl.Expr, step: pl.Expr) -> Outcome:
    half = step.abs() / literal(2)
    above = _stepped(number + half, step, up=False)
    below = _stepped(number - half, step, up=True)
    return pl.when(number < 0).then(below).otherwise(above)


@function(
    "number",
    "EVEN(number)",
    "The next even number, away from zero.",
    "EVEN(3.2)",
    "4",
    takes="n",
    gives="n",
)
def even(sheet: Sheet, number: pl.Expr) -> Outcome:
    up = _stepped(number.abs(), literal(2), up=True)
    return pl.when(number < 0).then(-up).otherwise(up)


@function(
    "number",
    "ODD(number)",
    "The next odd number, away from zero.",
    "ODD(3.2)",
    "5",
    takes="n",
    gives="n",
)
def odd(sheet: Sheet, number: pl.Expr) -> Outcome:
    size = number.abs()
    up = pl.when(size <= 1).then(_ONE).otherwise(_stepped(size - 1, literal(2), up=True) + 1)
    return pl.when(number < 0).then(-up).otherwise(up)


@function(
    "number",
    "MOD(number; by)",
    "What is left of a division, with the sign of the divisor.",
    "MOD(-7; 3)",
    "2",
    takes="nn",
    gives="n",
)
def modulo(sheet: Sheet, number: pl.Expr, by: pl.Expr) -> Outcome:
    made = number % pl.when(by != 0).then(by)
    return Term("number", made, (Trouble(_BY_ZERO, by == 0, pl.lit("")),))


@function(
    "number",
    "QUOTIENT(number; by)",
    "How many whole times a number fits.",
    "QUOTIENT(7; 2)",
    "3",
    takes="nn",
    gives="n",
)
def quotient(sheet: Sheet, number: pl.Expr, by: pl.Expr) -> Outcome:
    size, step = number.abs(), pl.when(by != 0).then(by.abs())
    whole = over(size - size % step, step).value
    made = pl.when((number < 0) != (by < 0)).then(-whole).otherwise(whole)
    return Term("number", made, (Trouble(_BY_ZERO, by == 0, pl.lit("")),))


@function(
    "number",
    "CONVERT(number; from; to)",
    'A measure in another unit. Units are written: "g", "kg", "lb", "in", "cm", "floz" ...',
    'CONVERT(12; "in"; "cm")',
    "30.48",
    takes="ncc",
    gives="n",
)
def converted(sheet: Sheet, number: pl.Expr, source: str, target: str) -> Outcome:
    units = [find_unit(name) for name in (source, target)]
    for name, unit in zip((source, target), units, strict=True):
        if unit is None:
            raise CrosswalkError(f"There is no unit {name!r}.", remedy="Choose a listed one.")
    one, other = units
    if one is None or other is None or one.dimension != other.dimension:
        raise CrosswalkError(f"{source} and {target} do not measure the same.")
    return sheet.worked(convert(number, one.code, other.code))
