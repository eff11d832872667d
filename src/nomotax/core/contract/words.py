"""A contract in plain words, as its page tells it to the supplier."""

from __future__ import annotations

import re
from collections.abc import Iterator

from nomotax.core.contract.model import ColumnTerms, Contract

_FORMATS = {"delimited": "text in lines", "workbook": "a workbook", "xml": "XML", "json": "JSON"}
_TYPES = {"string": "text", "integer": "a whole number", "any": "anything", "boolean": "yes or no"}
_MARKS = {".": "a decimal point, as 1234.50", ",": "a decimal comma, as 1234,50"}
_DELIMITERS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "vertical bars"}
_DATES = {"default": "2026-11-30", "any": "2026-11-30 or 30.11.2026"}
#: So many words of a list are told, and so many lengths of a number.
_TOLD, _FEW = 20, 5
_DIGITS = re.compile(r"\[0-9\]\{(\d+)(?:,(\d+))?\}")


def about_file(contract: Contract) -> list[str]:
    """What it says of the file as a whole, a sentence each."""
    file, rows, told = contract.file, contract.rows, []
    if file.format:
        written = [_FORMATS[file.format]]
        if file.delimiter:
            between = _DELIMITERS.get(file.delimiter, repr(file.delimiter))
            written.append(f"its columns separated by {between}")
        if file.encoding:
            written.append(f"its letters encoded as {file.encoding}")
        told.append(f"It is {', '.join(written)}.")
    bounds = [] if rows.least is None else [f"at least {rows.least:,}"]
    bounds += [] if rows.most is None else [f"at most {rows.most:,}"]
    if bounds:
        told.append(f"It has {' and '.join(bounds)} rows.")
    if contract.primary_key:
        told.append(f"{' and '.join(contract.primary_key)}: no two rows have the same.")
    words = [word for word in contract.missing_values if word]
    if words:
        told.append(f"{' and '.join(repr(w) for w in words)} mean that there is nothing.")
    told.append("Further columns may follow." if contract.others else "It has no other columns.")
    return told


def about_column(one: ColumnTerms) -> str:
    """What it says of a column, in one sentence."""
    rule = one.constraints
    told = [_typed(one), *(_bounds(one))]
    if rule.enum is not None:
        few = ", ".join(rule.enum[:_TOLD]) + (" …" if len(rule.enum) > _TOLD else "")
        told.append(f"one of: {few}")
    told += [] if rule.pattern is None else [_form(rule.pattern)]
    if rule.required:
        told.append("never empty")
    elif one.filled is not None:
        told.append(f"filled in at least {one.filled.normalize():f} % of the rows")
    told += ["in no two rows the same"] * rule.unique
    told += ["may be missing"] * one.optional
    return "; ".join(told)


def _form(pattern: str) -> str:
    """A pattern in words, where it only counts digits."""
    counts = [_DIGITS.fullmatch(part) for part in pattern.split("|")]
    lengths = [n for one in counts if one for n in _lengths(one)]
    if not all(counts) or len(lengths) > _FEW:
        return f"of the form {pattern}"
    *others, last = (str(n) for n in lengths)
    return f"{', '.join(others)} or {last} digits" if others else f"{last} digits"


def _lengths(one: re.Match[str]) -> range:
    return range(int(one[1]), int(one[2] or one[1]) + 1)


def _typed(one: ColumnTerms) -> str:
    if one.type == "number":
        return f"a number with {_MARKS[one.decimal_char]}"
    if one.type == "date":
        return f"a date as {_DATES.get(one.format, one.format)}"
    return _TYPES[one.type]


def _bounds(one: ColumnTerms) -> Iterator[str]:
    rule = one.constraints
    if rule.minimum is not None:
        yield f"{rule.minimum} or more" if one.type != "date" else f"from {rule.minimum} on"
    if rule.maximum is not None:
        yield f"{rule.maximum} or less" if one.type != "date" else f"up to {rule.maximum}"
    if rule.min_length is not None:
        yield f"{rule.min_length} characters or more"
    if rule.max_length is not None:
        yield f"{rule.max_length} characters or less"
