"""The checks beside a plain model of each rule, cell by cell, as Table Schema tells them."""

from __future__ import annotations

import re
from datetime import datetime
from decimal import Decimal, InvalidOperation

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.contract.checking import check
from nomotax.core.contract.model import Contract, parse_contract
from nomotax.core.table import FAULT, ROW

CELLS = st.none() | st.sampled_from(
    ["0", "1", "12", "-3", "2.50", "2,50", "1,234.50", "1.234,50", "1e3", "x", "ja", "nein",
     "2026-02-28", "2026-02-30", "28.02.2026", "28.2.2026", "n/a", "ABC", "AB-1", "ü"]
)  # fmt: skip
CONSTRAINTS = st.fixed_dictionaries(
    {},
    optional={
        "required": st.booleans(),
        "unique": st.booleans(),
        "pattern": st.sampled_from(["[A-Z]+(-[0-9])?", "[0-9]+", ".{1,2}"]),
        "enum": st.lists(st.sampled_from(["0", "1", "ja", "x"]), min_size=1, unique=True),
        "minLength": st.integers(0, 4),
        "maxLength": st.integers(4, 10),
    },
)
BOUNDS = st.fixed_dictionaries({}, optional={"minimum": st.integers(-5, 5),
                                             "maximum": st.integers(5, 2000)})  # fmt: skip
KINDS = st.sampled_from(
    [{"type": "any"}, {"type": "string"}, {"type": "integer"},
     {"type": "number", "decimalChar": "."}, {"type": "number", "decimalChar": ","},
     {"type": "date"}, {"type": "date", "format": "%d.%m.%Y"},
     {"type": "boolean", "trueValues": ["ja"], "falseValues": ["nein", "0"]}]
)  # fmt: skip
GROUPED = {".": r"[+-]?(\d+|\d{1,3}(,\d{3})+)(\.\d+)?", ",": r"[+-]?(\d+|\d{1,3}(\.\d{3})+)(,\d+)?"}


def number(cell, mark):
    """None for what is no number with that decimal mark."""
    if not re.fullmatch(GROUPED[mark], cell):
        return None
    group = "," if mark == "." else "."
    try:
        return Decimal(cell.replace(group, "").replace(mark, "."))
    except InvalidOperation:
        return None


def value(field, cell):
    """What a cell says as its type; None where it does not fit."""
    if field["type"] in ("number", "integer"):
        found = number(cell, field.get("decimalChar", "."))
        whole = found is not None and found == found.to_integral_value()
        return found if field["type"] == "number" or whole else None
    if field["type"] == "date":
        shape = field.get("format", "%Y-%m-%d")
        try:
            return datetime.strptime(cell, shape).date()
        except ValueError:
            return None
    if field["type"] == "boolean":
        return cell if cell in (*field["trueValues"], *field["falseValues"]) else None
    return cell


def broken(field, cells):
    """Kind and number of the cells that break it, by the model."""
    rules, there = field.get("constraints", {}), [c for c in cells if c is not None]
    values = [(c, value(field, c)) for c in there]
    known = [v for _, v in values if v is not None]
    counts = {
        "empty": len(cells) - len(there) if rules.get("required") else 0,
        "type": sum(v is None for _, v in values),
        "minimum": sum(v < rules["minimum"] for v in known) if "minimum" in rules else 0,
        "maximum": sum(v > rules["maximum"] for v in known) if "maximum" in rules else 0,
        "pattern": sum(not re.fullmatch(rules["pattern"], c) for c in there)
        if "pattern" in rules
        else 0,
        "enum": sum(c not in rules["enum"] for c in there) if "enum" in rules else 0,
        "min_length": sum(len(c) < rules["minLength"] for c in there)
        if "minLength" in rules
        else 0,
        "max_length": sum(len(c) > rules["maxLength"] for c in there)
        if "maxLength" in rules
        else 0,
        "unique": len(there) - len(set(there)) if rules.get("unique") else 0,
    }
    return {kind: n for kind, n in counts.items() if n}


def table(cells):
    frame = pl.DataFrame({"a": cells}, schema={"a": pl.String})
    rows = pl.Series(ROW, range(1, len(cells) + 1), dtype=pl.UInt32)
    return frame.with_columns(rows, pl.lit(None, pl.String).alias(FAULT)).lazy()


@given(KINDS, CONSTRAINTS, BOUNDS, st.lists(CELLS, max_size=12))
def test_as_many_cells_break_each_rule_as_the_model_says(kind, rules, bounds, cells):
    ordered = kind["type"] in ("number", "integer")
    field = kind | {"name": "a", "constraints": rules | (bounds if ordered else {})}
    found = check(table(cells), Contract.model_validate({"fields": [field]}))
    assert {one.kind: one.rows for one in found} == broken(field, cells)
    for one in found:
        if one.row is not None and one.kind != "unique":
            # The first that breaks it, by itself, breaks it.
            cell = cells[one.row - 1]
            assert one.kind in broken(field, [cell]) and one.value == (cell or "")
            earlier = broken(field, cells[: one.row - 1])
            assert one.kind not in earlier


@given(KINDS, CONSTRAINTS, st.booleans(), st.sets(st.sampled_from(["", "-", "n/a"])))
def test_what_is_written_is_read_back_as_it_was(kind, rules, optional, missing):
    field = kind | {"name": "ä b", "constraints": rules, "optional": optional}
    document = {"fields": [field], "missingValues": sorted(missing), "primaryKey": "ä b"}
    made = Contract.model_validate(document)
    assert parse_contract(made.descriptor().encode()) == made


@given(st.lists(st.tuples(CELLS, CELLS), max_size=12))
def test_a_key_of_two_columns_is_told_as_the_model_says(rows):
    frame = pl.DataFrame(rows, schema={"a": pl.String, "b": pl.String}, orient="row")
    numbers = pl.Series(ROW, range(1, len(rows) + 1), dtype=pl.UInt32)
    lazy = frame.with_columns(numbers, pl.lit(None, pl.String).alias(FAULT)).lazy()
    fields = [{"name": "a"}, {"name": "b"}]
    made = Contract.model_validate({"fields": fields, "primaryKey": ["a", "b"]})
    whole = [row for row in rows if None not in row]
    wanted = [n for n in (len(rows) - len(whole), len(whole) - len(set(whole))) if n]
    assert [one.rows for one in check(lazy, made)] == wanted
