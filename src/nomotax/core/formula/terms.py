"""What a part of a formula has come to: a typed expression and the rows it cannot serve."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Literal

import polars as pl

from nomotax.core.numbers import (
    NUMBER,
    DecimalMark,
    Keep,
    Worked,
    literal,
    number_text,
    read_number,
)

Kind = Literal["text", "number", "logical", "date"]
#: Characters of a text that a formula makes.
LONGEST_TEXT = 32_767
#: Day 0 of dates counted as numbers (ODF 1.3 part 4, section 4.3.3).
_DAY_ZERO = pl.date(1899, 12, 30)


@dataclass(frozen=True)
class Trouble:
    """Rows where ``mask`` is true have no value, because of ``message``; ``seen`` stood there."""

    message: str
    mask: pl.Expr
    seen: pl.Expr


@dataclass(frozen=True)
class Term:
    """``value`` is null where a row has none; ``constant`` is set for a written value."""

    kind: Kind
    value: pl.Expr
    troubles: tuple[Trouble, ...] = ()
    constant: Decimal | str | bool | None = None
    not_available: bool = False
    #: The decimal mark of a cell that has another one than the sheet's.
    mark: DecimalMark | None = None
    #: Whether a step has changed the signs of the text: then it may have either mark.
    either: bool = False
    #: Of how many cells a text is made, at most.
    size: int = 1

    @property
    def failed(self) -> pl.Expr:
        """True where some trouble holds."""
        if not self.troubles:
            return pl.lit(False)
        return pl.any_horizontal(t.mask.fill_null(False) for t in self.troubles)

    def where(self, mask: pl.Expr) -> tuple[Trouble, ...]:
        """The troubles as far as they lie where ``mask`` is true."""
        return tuple(replace(t, mask=t.mask & mask) for t in self.troubles)


@dataclass(frozen=True)
class Sheet:
    """What a formula may ask for. ``column``, ``field`` and ``fact`` raise ``CrosswalkError`` for
    a name that is not there."""

    column: Callable[[str], pl.Expr]
    field: Callable[[str], Term]
    fact: Callable[[str], Term]
    mark: DecimalMark = "."
    keep: Keep = lambda expr: expr
    #: The decimal mark of a column, where it is not the sheet's.
    mark_of: Callable[[str], DecimalMark | None] = lambda name: None

    def text(self, term: Term) -> Term:
        """As text: numbers in full, dates as year-month-day, logicals as true and false."""
        if term.kind == "text":
            return term
        if term.kind == "number":
            return replace(term, kind="text", value=number_text(term.value))
        if term.kind == "date":
            return replace(term, kind="text", value=term.value.dt.to_string("%Y-%m-%d"))
        return replace(term, kind="text", value=term.value.cast(pl.String))

    def number(self, term: Term) -> Term:
        """As a number: text in the style of the file, true as 1, a date as its day."""
        if term.kind == "number":
            return term
        if term.kind == "logical":
            return replace(term, kind="number", value=term.value.cast(pl.Int64).cast(NUMBER))
        if term.kind == "date":
            days = (term.value - _DAY_ZERO).dt.total_days().cast(NUMBER)
            return replace(term, kind="number", value=days)
        # What a formula writes itself has a point, as all its numbers have.
        text = self.keep(term.value)
        if term.either and self.mark == ",":
            return self._in_either_mark(term, text)
        mark = "." if term.constant is not None else term.mark or self.mark
        made, wrong = read_number(text, mark, self.keep)
        trouble = Trouble("is no number", wrong, text)
        return Term("number", made, (*term.troubles, trouble))

    def _in_either_mark(self, term: Term, text: pl.Expr) -> Term:
        """A number that both marks can be read in, as another one each time, is none."""
        comma, point = (read_number(text, mark, self.keep) for mark in (",", "."))
        differ = self.keep((comma.value != point.value).fill_null(False))
        both = Trouble(
            "can be read with a decimal comma or point; say which in a step 'number'", differ, text
        )
        neither = Trouble("is no number", comma.wrong & point.wrong, text)
        value = pl.when(~differ).then(pl.coalesce(point.value, comma.value))
        return Term("number", value, (*term.troubles, both, neither))

    def whole(self, term: Term) -> Term:
        """As a count or a position: a number without its places, as Int64."""
        number = self.number(term)
        return replace(number, value=number.value.truncate(0).cast(pl.Int64, strict=False))

    def logical(self, term: Term) -> Term:
        """As true or false: a number other than 0 is true; empty is neither."""
        if term.kind == "logical":
            return term
        if term.kind == "text":
            text = self.keep(term.value)
            word = text.str.strip_chars().str.to_lowercase()
            value = pl.when(word == "true").then(True).when(word == "false").then(False)
            wrong = ~word.is_in(["true", "false", ""])
            trouble = Trouble("is neither true nor false", wrong, text)
            return Term("logical", value, (*term.troubles, trouble))
        return replace(term, kind="logical", value=self.number(term).value != 0)

    def date(self, term: Term) -> Term:
        """As a date: text as year-month-day, a number as the day it counts."""
        if term.kind == "date":
            return term
        if term.kind == "text":
            text = self.keep(term.value)
            value = self.keep(text.str.strip_chars().str.to_date("%Y-%m-%d", strict=False))
            wrong = value.is_null() & (text != "")
            trouble = Trouble("is no date as year-month-day", wrong, text)
            return Term("date", value, (*term.troubles, trouble))
        days = self.whole(term)
        span = pl.when(days.value.abs() < 3_000_000).then(days.value).cast(pl.String) + "d"
        return replace(days, kind="date", value=_DAY_ZERO.dt.offset_by(span))

    def worked(self, found: Worked, message: str = "makes too large a number") -> Term:
        """The outcome of an operation that some rows cannot have."""
        return Term("number", found.value, (Trouble(message, found.wrong, pl.lit("")),))


def gathered(terms: Iterable[Term]) -> tuple[Trouble, ...]:
    """The troubles of all, each once."""
    found: dict[int, Trouble] = {}
    for term in terms:
        for trouble in term.troubles:
            found.setdefault(id(trouble), trouble)
    return tuple(found.values())


def of_constant(value: Decimal | str | bool) -> Term:
    """A written value."""
    if isinstance(value, bool):
        return Term("logical", pl.lit(value), constant=value)
    if isinstance(value, Decimal):
        return Term("number", literal(value), constant=value)
    return Term("text", pl.lit(value), constant=value)


def united(sheet: Sheet, terms: list[Term]) -> list[Term]:
    """The terms as one kind, text where they differ; an empty text joins any kind."""
    kinds = {t.kind for t in terms if t.constant != ""}
    if len(kinds) == 1:
        kind = kinds.pop()
        return [_nothing(kind) if t.constant == "" and kind != "text" else t for t in terms]
    return [sheet.text(t) for t in terms]


_TYPES: dict[Kind, pl.DataType] = {
    "text": pl.String(),
    "number": NUMBER,
    "logical": pl.Boolean(),
    "date": pl.Date(),
}


def _nothing(kind: Kind) -> Term:
    return Term(kind, pl.lit(None, dtype=_TYPES[kind]), constant="")


def shortened(sheet: Sheet, term: Term, length: pl.Expr) -> Term:
    """The term where what is made with it is no longer than a text may be; elsewhere it is empty,
    so that nothing longer is ever made."""
    long = sheet.keep((length > LONGEST_TEXT).fill_null(False))
    trouble = Trouble(f"makes a text of more than {LONGEST_TEXT:,} characters", long, pl.lit(""))
    return replace(term, value=pl.when(~long).then(term.value), troubles=(*term.troubles, trouble))
