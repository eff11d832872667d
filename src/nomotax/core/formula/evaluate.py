"""One formula over one row or a few: what the editor shows and the command line prints."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import polars as pl

from nomotax.core.errors import CrosswalkError
from nomotax.core.formula.compile import compile_formula
from nomotax.core.formula.terms import Sheet, Term
from nomotax.core.kinds import NUMERIC_KINDS, FieldKind
from nomotax.core.layers import Layers
from nomotax.core.numbers import NUMBER, DecimalMark

#: How the text of a value is written: a number, a text with a decimal point, one as it arrived, or
#: one in which a step has put other signs.
Written = Literal["number", "plain", "arriving", "changed"]


@dataclass(frozen=True)
class Given:
    """What a step gets as ``[=:value]``."""

    text: str | None
    written: Written = "arriving"

    @property
    def term(self) -> Term:
        """As the chain of steps has it at this place."""
        text = pl.lit(self.text, dtype=pl.String)
        if self.written == "number":
            return Term("number", text.cast(NUMBER, strict=False))
        mark: DecimalMark | None = "." if self.written == "plain" else None
        return Term("text", text, mark=mark, either=self.written == "changed")


def evaluate(
    text: str,
    row: Mapping[str, str | None],
    mark: DecimalMark = ".",
    fields: Mapping[str, tuple[str, str | None]] | None = None,
    facts: Mapping[str, str | None] | None = None,
    value: Given | None = None,
    marks: Mapping[str, DecimalMark] | None = None,
) -> tuple[str | None, str | None]:
    """The value as text and what is wrong with it, if anything.

    ``fields`` has the kind and the text of store fields, ``value`` what a step gets, ``marks`` the
    decimal mark of columns that have another one. Raises ``FormulaError`` for a formula that
    cannot run.
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

    def fact(name: str) -> Term:
        if name == "value" and value is not None:
            return value.term
        return Term(
            "text", pl.lit(known_facts[_among(name, known_facts, "fact")], pl.String), mark="."
        )

    # What is used more than once is worked out once, as in the plan of a whole delivery.
    layers = Layers()
    sheet = Sheet(
        lambda name: pl.lit(row[_among(name, row, "column")], dtype=pl.String),
        field,
        fact,
        mark,
        layers.keep,
        (marks or {}).get,
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
    made, wrong = asked.collect(engine="in-memory").row(0)
    if wrong is None:
        return made, None
    seen, said = wrong.split("\t", 1)
    return None, f"'{seen}' {said}" if seen else said


def _among(name: str, known: Mapping[str, object], what: str) -> str:
    if name not in known:
        listed = ", ".join(map(repr, list(known)[:12])) or "none"
        raise CrosswalkError(f"There is no {what} {name!r}.", remedy=f"There are: {listed}.")
    return name
