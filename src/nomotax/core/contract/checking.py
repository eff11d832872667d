"""A table held against a contract."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

import polars as pl
from pydantic import BaseModel

from nomotax.core.contract.model import ColumnTerms, Contract
from nomotax.core.numbers import NUMBER, read_number
from nomotax.core.table import HIDDEN, ROW

BreachKind = Literal[
    "file_format", "file_encoding", "file_delimiter", "rows_few", "rows_many",
    "column_missing", "column_more", "empty", "filled_low", "type", "pattern", "enum", "minimum",
    "maximum", "min_length", "max_length", "unique", "primary_key",
]  # fmt: skip
#: Columns that are looked at in one pass.
_AT_ONCE = 8
_DATES = {
    "default": ("%Y-%m-%d",),
    "any": ("%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%Y%m%d", "%Y/%m/%d", "%d-%m-%Y"),
}
#: Years of fewer digits are none that a date could be told by.
_FIRST_YEAR = 1000


class Breach(BaseModel):
    """One thing in which a file breaks its contract: in how many ``rows``, 0 where it is about the
    file as a whole; ``row`` is the number of the first of them, and ``value`` what stands there."""

    kind: BreachKind
    column: str = ""
    rows: int = 0
    row: int | None = None
    value: str = ""
    said: str


@dataclass(frozen=True)
class Written:
    """How a file was found to be written; "" where that is not known, or does not apply."""

    format: str = ""
    encoding: str = ""
    delimiter: str = ""


def check(table: pl.LazyFrame, contract: Contract, written: Written | None = None) -> list[Breach]:
    """In what a table, all text with the numbers of its rows, breaks a contract: the file first,
    then column by column in the order of the contract."""
    columns = [c for c in table.collect_schema().names() if c not in HIDDEN]
    rows = int(table.select(pl.len()).collect(engine="streaming").item())
    there = [one for one in contract.fields if one.name in columns]
    cells = table.with_columns(_without(contract.missing_values, one.name) for one in there)
    found = [*_file(contract, written or Written()), *_size(contract, rows)]
    found += _names(contract, columns)
    for at in range(0, len(there), _AT_ONCE):
        found += _columns(cells, there[at : at + _AT_ONCE], rows)
    return [*found, *_key(cells, contract, columns)]


def _without(missing: tuple[str, ...], name: str) -> pl.Expr:
    words = [word for word in missing if word]
    return pl.when(~pl.col(name).is_in(words)).then(pl.col(name)) if words else pl.col(name)


def _file(contract: Contract, written: Written) -> Iterator[Breach]:
    file = contract.file
    if file.format and written.format and file.format != written.format:
        said = f"The file is {written.format}, and not {file.format}."
        yield Breach(kind="file_format", value=written.format, said=said)
        return
    if file.encoding and written.encoding and not _same_encoding(file.encoding, written.encoding):
        said = f"Its letters are encoded as {written.encoding}, and not as {file.encoding}."
        yield Breach(kind="file_encoding", value=written.encoding, said=said)
    if file.delimiter and written.delimiter and file.delimiter != written.delimiter:
        said = f"Its columns are separated by {written.delimiter!r}, and not by {file.delimiter!r}."
        yield Breach(kind="file_delimiter", value=written.delimiter, said=said)


def _same_encoding(one: str, other: str) -> bool:
    plain = [name.lower().replace("_", "-").removesuffix("-sig") for name in (one, other)]
    return plain[0] == plain[1]


def _size(contract: Contract, rows: int) -> Iterator[Breach]:
    least, most = contract.rows.least, contract.rows.most
    if least is not None and rows < least:
        yield Breach(kind="rows_few", said=f"It has {rows:,} rows; {least:,} is the least.")
    if most is not None and rows > most:
        yield Breach(kind="rows_many", said=f"It has {rows:,} rows; {most:,} is the most.")


def _names(contract: Contract, columns: list[str]) -> Iterator[Breach]:
    alike = {c.strip().casefold(): c for c in columns}
    known = {one.name for one in contract.fields}
    for one in contract.fields:
        if one.name in columns or one.optional:
            continue
        other = alike.get(one.name.strip().casefold(), "")
        more = f"; {other!r} is there, written otherwise" if other and other not in known else ""
        said = f"The column {one.name!r} is missing{more}."
        yield Breach(kind="column_missing", column=one.name, value=other, said=said)
    if not contract.others:
        for name in columns:
            if name not in known:
                yield Breach(
                    kind="column_more", column=name, said=f"The column {name!r} is one too many."
                )


@dataclass(frozen=True)
class _Rule:
    """A rule that cells of a column may break; ``says`` follows their number, ``says_one`` that
    of a single one."""

    kind: BreachKind
    broken: pl.Expr
    says: str
    says_one: str


def _columns(cells: pl.LazyFrame, terms: list[ColumnTerms], rows: int) -> list[Breach]:
    rules = {one.name: list(_rules(one)) for one in terms}
    asked: list[pl.Expr] = []
    masks: list[pl.Expr] = []
    for n, one in enumerate(terms):
        cell = pl.col(one.name)
        asked += [cell.count().alias(f"{n} filled")]
        if one.constraints.unique:
            asked.append(cell.drop_nulls().n_unique().alias(f"{n} distinct"))
        for at, rule in enumerate(rules[one.name]):
            masks.append(rule.broken.fill_null(False).alias(f"{n}.{at}"))
            place = pl.when(f"{n}.{at}").then(ROW)
            # The first that breaks it: row numbers grow.
            asked += [pl.col(f"{n}.{at}").sum(), place.min().alias(f"{n}.{at} row")]
    # What a cell says is worked out once, whatever is asked of it.
    values = [_value(one)[0].alias(_VALUE + one.name) for one in terms if one.type in _READ]
    narrow = cells.select(ROW, *(one.name for one in terms)).with_columns(values)
    told = narrow.with_columns(masks).select(asked).collect(engine="streaming").row(0, named=True)
    first = _values(cells, [told[c] for c in told if c.endswith(" row")], [t.name for t in terms])
    found: list[Breach] = []
    for n, one in enumerate(terms):
        found += _fill(one, told[f"{n} filled"], rows)
        for at, rule in enumerate(rules[one.name]):
            count, row = told[f"{n}.{at}"], told[f"{n}.{at} row"]
            if count:
                value = first[row][one.name] or ""
                found.append(_broken(rule, one.name, count, row, value))
        if one.constraints.unique and told[f"{n} distinct"] < told[f"{n} filled"]:
            found.append(_repeated(cells, [one.name], "unique"))
    return found


def _values(
    cells: pl.LazyFrame, rows: list[int | None], names: list[str]
) -> Mapping[int, Mapping[str, str | None]]:
    """What stands in some rows."""
    wanted = sorted({row for row in rows if row is not None})
    if not wanted:
        return {}
    found = cells.filter(pl.col(ROW).is_in(wanted)).select(ROW, *names)
    return {row[ROW]: row for row in found.collect(engine="streaming").iter_rows(named=True)}


def _broken(rule: _Rule, column: str, count: int, row: int, value: str) -> Breach:
    shown = value if len(value) <= 60 else f"{value[:59]}…"
    told = f"1 cell {rule.says_one}" if count == 1 else f"{count:,} cells {rule.says}"
    said = f"In {column!r} {told}, as “{shown}” in row {row:,}."
    return Breach(kind=rule.kind, column=column, rows=count, row=row, value=value[:300], said=said)


def _fill(one: ColumnTerms, filled: int, rows: int) -> Iterator[Breach]:
    empty = rows - filled
    if one.constraints.required and empty:
        said = f"{one.name!r} is empty in {empty:,} of {rows:,} rows; it has to be filled."
        yield Breach(kind="empty", column=one.name, rows=empty, said=said)
    elif one.filled is not None and rows and Decimal(filled) * 100 < one.filled * rows:
        share = Decimal(filled) * 100 / rows
        said = f"{one.name!r} is filled in {share:.1f} % of the rows; {one.filled} % is the least."
        yield Breach(kind="filled_low", column=one.name, rows=empty, said=said)


def _rules(one: ColumnTerms) -> Iterator[_Rule]:
    """What the filled cells of a column may break, each with cells that break nothing before."""
    cell, rule = pl.col(one.name), one.constraints
    there = cell.is_not_null()
    if one.type in _READ:
        value, says = pl.col(_VALUE + one.name), _value(one)[1]
        yield _Rule("type", there & value.is_null(), *says)
        bounds = {"minimum": rule.minimum, "maximum": rule.maximum}
        for kind, bound in bounds.items():
            if bound is not None:
                yield _bound(one, kind == "minimum", value, bound)
    if rule.pattern is not None:
        whole = cell.str.contains(f"^(?:{rule.pattern})$", strict=False)
        yield _Rule("pattern", there & ~whole, *_are(f"not of the form {rule.pattern}"))
    if rule.enum is not None:
        few = ", ".join(rule.enum[:6]) + (" …" if len(rule.enum) > 6 else "")
        yield _Rule("enum", there & ~cell.is_in(list(rule.enum)), *_are(f"none of {few}"))
    if rule.min_length is not None:
        short = cell.str.len_chars() < rule.min_length
        yield _Rule("min_length", short, *_have(f"fewer than {rule.min_length} characters"))
    if rule.max_length is not None:
        long = cell.str.len_chars() > rule.max_length
        yield _Rule("max_length", long, *_have(f"more than {rule.max_length} characters"))


def _bound(one: ColumnTerms, least: bool, value: pl.Expr, bound: str) -> _Rule:
    if one.type == "date":
        limit = pl.lit(bound).str.to_date("%Y-%m-%d")
        says = f"before {bound}" if least else f"after {bound}"
    else:
        limit = pl.lit(bound).cast(NUMBER)
        says = f"less than {bound}" if least else f"more than {bound}"
    kind: BreachKind = "minimum" if least else "maximum"
    return _Rule(kind, value < limit if least else value > limit, *_are(says))


def _are(what: str) -> tuple[str, str]:
    """What is said of several cells, and of one."""
    return f"are {what}", f"is {what}"


def _have(what: str) -> tuple[str, str]:
    return f"have {what}", f"has {what}"


#: Types whose cells are read; what they say stands in a column of its own.
_READ, _VALUE = ("number", "integer", "boolean", "date"), "__value:"


def _value(one: ColumnTerms) -> tuple[pl.Expr, tuple[str, str]]:
    """What the cells of a column say as its type reads them, null where they do not fit; and what
    is said of those."""
    text = pl.col(one.name).str.strip_chars()
    if one.type in ("number", "integer"):
        bare = text if one.bare_number else text.str.extract(r"([+-]?[\d.,]*\d)", 1)
        number = read_number(bare, one.decimal_char, lambda expr: expr).value
        if one.type == "integer":
            part = bare.str.contains(rf"\{one.decimal_char}\d*[1-9]")
            return pl.when(~part).then(number), (
                "are no whole numbers",
                "is no whole number",
            )
        mark = f"with a decimal {_MARKS[one.decimal_char]}"
        return number, (f"are no numbers {mark}", f"is no number {mark}")
    if one.type == "boolean":
        words = [*one.true_values, *one.false_values]
        few = ", ".join(dict.fromkeys(words))
        return pl.when(text.is_in(words)).then(pl.lit(1)), _are(f"none of {few}")
    patterns = _DATES.get(one.format, (one.format,))
    read = [text.str.to_date(pattern, strict=False) for pattern in patterns]
    known = pl.coalesce(read)
    sound = pl.when(known.dt.year() >= _FIRST_YEAR).then(known)
    shown = _SHOWN.get(one.format, one.format)
    return sound, (f"are no dates as {shown}", f"is no date as {shown}")


_MARKS = {".": "point", ",": "comma"}
_SHOWN = {"default": "2026-11-30", "any": "2026-11-30, or 30.11.2026"}


def _repeated(
    cells: pl.LazyFrame, names: list[str], kind: Literal["unique", "primary_key"]
) -> Breach:
    """Values that stand in several rows, of which each but the first is one too many."""
    counted = cells.filter(pl.all_horizontal(pl.col(n).is_not_null() for n in names))
    groups = counted.group_by(names).agg(pl.len().alias("n"), pl.col(ROW).sort().slice(1, 1))
    many = groups.filter(pl.col("n") > 1).with_columns(pl.col(ROW).list.first())
    sums = many.select(
        (pl.col("n") - 1).sum().alias("rows"), pl.col(ROW).min(),
        *(pl.col(n).sort_by(ROW).first() for n in names),
    )  # fmt: skip
    told = sums.collect(engine="streaming").row(0, named=True)
    value = ", ".join(str(told[n]) for n in names)
    what = " and ".join(repr(n) for n in names)
    repeat = "1 row repeats" if told["rows"] == 1 else f"{told['rows']:,} rows repeat"
    said = f"{what}: {repeat} another, as “{value}” in row {told[ROW]:,}."
    column = names[0] if len(names) == 1 else ""
    return Breach(
        kind=kind, column=column, rows=told["rows"], row=told[ROW], value=value[:300], said=said
    )


def _key(cells: pl.LazyFrame, contract: Contract, columns: list[str]) -> Iterator[Breach]:
    names = list(contract.primary_key)
    if not names or any(name not in columns for name in names):
        return
    whole = pl.all_horizontal(pl.col(n).is_not_null() for n in names)
    counts = cells.select(
        (~whole).sum().alias("empty"),
        pl.when(~whole).then(ROW).min().alias("row"),
        whole.sum().alias("filled"),
        pl.struct(names).filter(whole).n_unique().alias("distinct"),
    ).collect(engine="streaming")
    empty, row, filled, distinct = counts.row(0)
    if empty:
        what = " and ".join(repr(n) for n in names)
        said = f"{what}: empty in {empty:,} rows, as row {row:,}; it tells rows apart."
        yield Breach(kind="primary_key", rows=empty, row=row, said=said)
    if distinct < filled:
        yield _repeated(cells, names, "primary_key")
