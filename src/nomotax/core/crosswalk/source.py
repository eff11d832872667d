"""Where a fill's value begins: columns, own text, other fields and facts, one after the other."""

from __future__ import annotations

import polars as pl

from nomotax.core.crosswalk.model import Part
from nomotax.core.flow.context import Names
from nomotax.core.flow.flow import Flow
from nomotax.core.formula.terms import Sheet
from nomotax.core.reading.lists import in_words


def source(parts: tuple[Part, ...], names: Names) -> Flow:
    """The text that the parts give, null where none but own text has any; a single part keeps
    being the number it is."""
    if not parts:
        return Flow(pl.lit(None, dtype=pl.String))
    if len(parts) == 1:
        return _alone(parts[0], names)
    values = [None if p.text is not None else in_words(_alone(p, names).text) for p in parts]
    moving = [v for v in values if v is not None]
    if not moving:
        return Flow(pl.lit("".join(p.text or "" for p in parts)))
    written = [
        value if value is not None else _own_text(parts, values, index)
        for index, value in enumerate(values)
    ]
    joined = pl.concat_str(written, ignore_nulls=True)
    columns = [p.column for p in parts if p.column is not None]
    return Flow(
        pl.when(pl.any_horizontal(v.is_not_null() for v in moving)).then(joined),
        style="arriving" if columns else "plain",
        mark=names.mark(columns[0]) if columns else None,
    )


def _alone(part: Part, names: Names) -> Flow:
    if part.column is not None:
        mark = names.mark(part.column)
        return Flow(names.column(part.column), style="arriving", mark=mark)
    if part.fact is not None:
        return Flow(names.fact(part.fact).value)
    if part.field is not None:
        term = names.field(part.field)
        if term.kind == "number":
            return Flow(term.value, numeric=True)
        return Flow(Sheet(names.column, names.field, names.fact).text(term).value)
    return Flow(pl.lit(part.text))


def _own_text(parts: tuple[Part, ...], values: list[pl.Expr | None], index: int) -> pl.Expr:
    """Own text, written only where the values on both sides of it are there."""
    before = next((v for v in reversed(values[:index]) if v is not None), None)
    after = next((v for v in values[index + 1 :] if v is not None), None)
    neighbours = [v.is_not_null() for v in (before, after) if v is not None]
    return pl.when(pl.all_horizontal(neighbours)).then(pl.lit(parts[index].text or ""))
