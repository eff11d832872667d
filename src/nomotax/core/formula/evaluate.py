"""One formula over one row or a few: what the editor shows and the command line prints."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from nomotax.core.errors import CrosswalkError
from nomotax.core.formula.compile import compile_formula
from nomotax.core.formula.terms import Sheet, Term
from nomotax.core.kinds import NUMERIC_KINDS, FieldKind
from nomotax.core.layers import Layers
from nomotax.core.numbers import NUMBER, DecimalMark


def evaluate(
    text: str,
    row: Mapping[str, str | None],
    mark: DecimalMark = ".",
    fields: Mapping[str, tuple[str, str | None]] | None = None,
    facts: Mapping[str, str | None] | None = None,
) -> tuple[str | None, str | None]:
    """The value as text and what is wrong with it, if anything.

    ``fields`` has the kind and the text of store fields. Raises ``FormulaError`` for a formula
    that cannot run.
    """
    known_fields, known_facts = fields or {}, facts or {}

    def field(name: str) -> Term:
        kind, value = known_fields[_among(name, known_fields, "store field")]
        if FieldKind(kind) in NUMERIC_KINDS:
            return Term("number", pl.lit(value, dtype=pl.String).cast(NUMBER, strict=False))
        if kind == FieldKind.YES_NO:
            return Term("logical", pl.lit(None if value is None else value == "true", pl.Boolean))
        if kind == FieldKind.DATE:
            return Term("date", pl.lit(value, dtype=pl.String).str.to_date("%Y-%m-%d"))
        return Term("text", pl.lit(value, dtype=pl.String))

    # What is used more than once is worked out once, as in the plan of a whole delivery.
    layers = Layers()
    sheet = Sheet(
        lambda name: pl.lit(row[_among(name, row, "column")], dtype=pl.String),
        field,
        lambda name: pl.lit(known_facts[_among(name, known_facts, "fact")], dtype=pl.String),
        mark,
        layers.keep,
    )
    term = compile_formula(text, sheet)
    troubles = [
        pl.when(t.mask.fill_null(False)).then(
            pl.concat_str(t.seen.cast(pl.String).fill_null(""), pl.lit("\t" + t.message))
        )
        for t in term.troubles
    ]
    trouble = pl.coalesce(troubles) if troubles else pl.lit(None, dtype=pl.String)
    worked = layers.apply(pl.DataFrame({"row": [1]}).lazy())
    asked = worked.select(sheet.text(term).value.alias("value"), trouble.alias("trouble"))
    value, wrong = asked.collect(engine="in-memory").row(0)
    if wrong is None:
        return value, None
    seen, said = wrong.split("\t", 1)
    return None, f"'{seen}' {said}" if seen else said


def _among(name: str, known: Mapping[str, object], what: str) -> str:
    if name not in known:
        listed = ", ".join(map(repr, list(known)[:12])) or "none"
        raise CrosswalkError(f"There is no {what} {name!r}.", remedy=f"There are: {listed}.")
    return name
