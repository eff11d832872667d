"""Steps on lists: made by a split, kept as entries along the chain, written out at its end."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, model_validator

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.errors import CrosswalkError
from nomotax.core.flow.context import Context
from nomotax.core.flow.entries import as_list
from nomotax.core.flow.flow import LIST_SIGN, Flow
from nomotax.core.formula.terms import Sheet


class Split(BaseStep):
    """Makes a list: of text, cut at ``at``, or of a list as it arrives. Empty entries go, unless
    ``blanks`` keeps them: alternative texts stay with their pictures by their place."""

    do: Literal["split"] = "split"
    at: str = Field(default=",", min_length=1)
    blanks: bool = False

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        return flow.to(as_list(flow, self.at, self.blanks), numeric=False, listed=True)

    def describe(self) -> str:
        return f"split at '{self.at}'" + (", blank ones too" if self.blanks else "")


class Join(BaseStep):
    """Writes a list as one text."""

    do: Literal["join"] = "join"
    between: str = ", "

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        joined = as_list(flow, LIST_SIGN.strip()).list.join(self.between)
        return flow.to(pl.when(joined != "").then(joined), numeric=False)

    def describe(self) -> str:
        return f"join with '{self.between}'"


class TakeEntries(BaseStep):
    """Keeps ``count`` entries from the one at ``start`` on; a start of -1 is the last. A count of
    0 keeps all that follow."""

    do: Literal["take"] = "take"
    start: int = 1
    count: int = Field(default=1, ge=0)

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        begin = self.start - 1 if self.start > 0 else self.start
        taken = as_list(flow, LIST_SIGN.strip()).list.slice(begin, self.count or None)
        return flow.to(taken, numeric=False, listed=True)

    def describe(self) -> str:
        return f"entries from {self.start}" + (f", {self.count}" if self.count else " on")


class DropEntries(BaseStep):
    """Leaves out entries that are one of ``words``, ignoring case."""

    do: Literal["drop"] = "drop"
    words: tuple[str, ...] = ()

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        unwanted = [w.strip().lower() for w in self.words]
        keep = ~pl.element().str.to_lowercase().is_in(unwanted)
        kept = as_list(flow, LIST_SIGN.strip()).list.eval(pl.element().filter(keep))
        return flow.to(kept, numeric=False, listed=True)

    def describe(self) -> str:
        return f"without {', '.join(self.words)}"


class UniqueEntries(BaseStep):
    """Keeps the first of entries that are the same."""

    do: Literal["unique"] = "unique"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        once = as_list(flow, LIST_SIGN.strip()).list.unique(maintain_order=True)
        return flow.to(once, numeric=False, listed=True)

    def describe(self) -> str:
        return "each entry once"


class OrderEntries(BaseStep):
    """Puts the entries in the order of the alphabet, or turns them round."""

    do: Literal["order"] = "order"
    by: Literal["rising", "falling", "reversed"] = "rising"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        entries = as_list(flow, LIST_SIGN.strip())
        if self.by == "reversed":
            made = entries.list.reverse()
        else:
            made = entries.list.sort(descending=self.by == "falling")
        return flow.to(made, numeric=False, listed=True)

    def describe(self) -> str:
        return f"order {self.by}"


class Option(BaseModel):
    """One option of a variant: its ``name``, or the column that holds it, and the arriving column
    or the store field that holds its value."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = ""
    name_column: str = ""
    column: str = ""
    field: str = ""

    @model_validator(mode="after")
    def _one_of_each(self) -> Option:
        if bool(self.name) == bool(self.name_column):
            raise ValueError("an option has a name, or a column with its name")
        if self.column and self.field:
            raise ValueError("an option's value is in a column or in a field, not both")
        return self


class Options(BaseStep):
    """Writes the options of a variant: ``Size: 3 | Colour: Blue``. Those without a name or a
    value are left out. The value that enters is not used."""

    do: Literal["options"] = "options"
    options: tuple[Option, ...] = ()

    def begins(self) -> bool:
        return bool(self.options)

    def columns(self) -> list[str]:
        return [c for o in self.options for c in (o.name_column, o.column) if c]

    def fields(self) -> list[str]:
        return [o.field for o in self.options if o.field]

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        pairs = [_pair(o, ctx) for o in self.options if o.column or o.field]
        if not pairs:
            return flow.to(pl.lit(None, dtype=pl.String), numeric=False)
        made = flow.keep(pl.concat_str(pairs, separator=LIST_SIGN, ignore_nulls=True))
        return flow.to(pl.when(made != "").then(made), numeric=False)

    def describe(self) -> str:
        names = [o.name or f"[{o.name_column}]" for o in self.options]
        return f"options {', '.join(names)}"


def _pair(option: Option, ctx: Context) -> pl.Expr:
    """``name: value``, null where either is missing. Neither holds a sign of the list."""
    if ctx.names is None:
        raise CrosswalkError("Options need the row that they are of.")
    names = ctx.names
    name = names.column(option.name_column) if option.name_column else pl.lit(option.name)
    if option.field:
        sheet = Sheet(names.column, names.field, names.fact)
        value = sheet.text(names.field(option.field)).value
    else:
        value = names.column(option.column)
    name = _bare(name, r"[|:\s]+")
    return pl.when((name != "") & (value != "")).then(
        pl.concat_str(name, pl.lit(": "), _bare(value, r"\s*\|\s*|\s{2,}"))
    )


def _bare(text: pl.Expr, signs: str) -> pl.Expr:
    """A text without the signs that stand between options."""
    return text.str.replace_all(signs, " ").str.strip_chars()
