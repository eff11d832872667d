"""One formula over one row or a few: what the editor shows and the command line prints."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from nomotax.core.errors import CrosswalkError
from nomotax.core.formula.compile import compile_formula
from nomotax.core.formula.terms import Sheet, Term
from nomotax.core.numbers import DecimalMark


def evaluate(
    text: str, row: Mapping[str, str | None], mark: DecimalMark = "."
) -> tuple[str | None, str | None]:
    """The value as text and what is wrong with it, if anything.

    Raises ``FormulaError`` for a formula that cannot run.
    """

    def column(name: str) -> pl.Expr:
        if name not in row:
            listed = ", ".join(map(repr, row)) or "none"
            raise CrosswalkError(f"There is no column {name!r}.", remedy=f"There are: {listed}.")
        return pl.lit(row[name], dtype=pl.String)

    sheet = Sheet(column, lambda name: Term("text", column(name)), column, mark)
    term = compile_formula(text, sheet)
    troubles = [
        pl.when(t.mask.fill_null(False)).then(
            pl.concat_str(t.seen.fill_null(""), pl.lit("\t" + t.message))
        )
        for t in term.troubles
    ]
    trouble = pl.coalesce(troubles) if troubles else pl.lit(None, dtype=pl.String)
    found = pl.select(sheet.text(term).value.alias("value"), trouble.alias("trouble"))
    value, wrong = found.row(0)
    if wrong is None:
        return value, None
    seen, said = wrong.split("\t", 1)
    return None, f"'{seen}' {said}" if seen else said
