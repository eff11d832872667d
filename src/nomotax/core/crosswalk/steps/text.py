"""Steps on text."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import Field

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Flow


class Trim(BaseStep):
    """Takes blanks off both ends; ``collapse`` also makes one blank of several inside."""

    do: Literal["trim"] = "trim"
    collapse: bool = True

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        text = flow.text
        if self.collapse:
            # Single blanks stay as they are, which leaves most cells untouched.
            text = text.str.replace_all(r"\s{2,}|[^\S ]", " ")
        return flow.to(text.str.strip_chars(), numeric=False)

    def describe(self) -> str:
        return "trim"


class Case(BaseStep):
    """Changes letters to lower, UPPER, Title or Sentence case. ``small`` words stay small in a
    title, but for its first."""

    do: Literal["case"] = "case"
    to: Literal["lower", "upper", "title", "sentence"] = "lower"
    small: tuple[str, ...] = ()

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        text = flow.text
        if self.to == "lower":
            made = text.str.to_lowercase()
        elif self.to == "upper":
            made = text.str.to_uppercase()
        elif self.to == "title":
            made = text.str.to_titlecase()
            for word in self.small:
                made = made.str.replace_all(f" {word.title()} ", f" {word.lower()} ", literal=True)
        else:
            made = text.str.head(1).str.to_uppercase() + text.str.slice(1).str.to_lowercase()
        return flow.to(made, numeric=False)

    def describe(self) -> str:
        return f"{self.to} case"


class Replace(BaseStep):
    """Puts ``put`` wherever ``find`` stands, as plain text."""

    do: Literal["replace"] = "replace"
    find: str = Field(min_length=1)
    put: str = ""

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        made = flow.text.str.replace_all(self.find, self.put, literal=True)
        return flow.to(made, numeric=False, style="changed")

    def describe(self) -> str:
        return f"replace '{self.find}' by '{self.put}'"


class Pick(BaseStep):
    """Splits at ``at`` and picks one part: 1 is the first, -1 the last."""

    do: Literal["pick"] = "pick"
    at: str = Field(default=",", min_length=1)
    part: int = 1

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        index = self.part - 1 if self.part > 0 else self.part
        parts = flow.text.str.split(self.at)
        return flow.to(parts.list.get(index, null_on_oob=True).str.strip_chars(), numeric=False)

    def describe(self) -> str:
        return f"part {self.part} at '{self.at}'"


class Pad(BaseStep):
    """Fills up to ``length`` characters with ``fill`` in front (or behind)."""

    do: Literal["pad"] = "pad"
    length: int = Field(default=8, ge=1, le=200)
    fill: str = Field(default="0", min_length=1, max_length=1)
    side: Literal["front", "behind"] = "front"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        text = flow.text
        if self.side == "front":
            return flow.to(text.str.pad_start(self.length, self.fill), numeric=False)
        return flow.to(text.str.pad_end(self.length, self.fill), numeric=False)

    def describe(self) -> str:
        return f"pad to {self.length} with '{self.fill}'"


class Affix(BaseStep):
    """Writes own text in front and behind, where there is a value."""

    do: Literal["affix"] = "affix"
    before: str = ""
    after: str = ""

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        made = pl.lit(self.before) + flow.text + pl.lit(self.after)
        return flow.to(pl.when(flow.text != "").then(made), numeric=False)

    def describe(self) -> str:
        parts = [f"'{self.before}' in front"] if self.before else []
        if self.after:
            parts.append(f"'{self.after}' behind")
        return ", ".join(parts) or "own text"


class Cut(BaseStep):
    """Cuts to ``length`` characters, at the last whole word where ``whole_words``."""

    do: Literal["cut"] = "cut"
    length: int = Field(default=80, ge=1)
    whole_words: bool = True

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        text = flow.keep(flow.text)
        hard = text.str.head(self.length)
        if self.whole_words:
            # One character more than fits shows whether the cut falls on the end of a word.
            soft = text.str.head(self.length + 1).str.replace(r"\s+\S*$", "")
            cut = pl.when(soft.str.len_chars() <= self.length).then(soft).otherwise(hard)
        else:
            cut = hard
        made = pl.when(text.str.len_chars() > self.length).then(cut).otherwise(text)
        return flow.to(made, numeric=False)

    def describe(self) -> str:
        return f"cut to {self.length}"


class OneLine(BaseStep):
    """Puts a blank for every line break and tab."""

    do: Literal["one_line"] = "one_line"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        made = flow.text.str.replace_all(r"\s*[\r\n\t]+\s*", " ").str.strip_chars()
        return flow.to(made, numeric=False)

    def describe(self) -> str:
        return "one line"


#: Letters that do not fall apart into a plain one and an accent.
_LETTERS = {"ß": "ss", "æ": "ae", "œ": "oe", "ø": "o", "đ": "d", "ł": "l", "þ": "th", "ı": "i"}


class Slug(BaseStep):
    """Makes a name for a web address: small plain letters and digits with hyphens between."""

    do: Literal["slug"] = "slug"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        small = flow.text.str.to_lowercase().str.replace_many(_LETTERS)
        plain = small.str.normalize("NFKD").str.replace_all(r"\p{M}", "")
        made = plain.str.replace_all(r"[^\p{L}\p{N}]+", "-").str.strip_chars("-")
        return flow.to(pl.when(made != "").then(made), numeric=False)

    def describe(self) -> str:
        return "slug"


class Default(BaseStep):
    """Stands in where the value is empty. A value that a step refused stays refused."""

    do: Literal["default"] = "default"
    text: str = ""

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        text = flow.keep(flow.text)
        empty = (text.is_null() | (text == "")) & flow.sound
        return flow.to(pl.when(empty).then(pl.lit(self.text)).otherwise(text), numeric=False)

    def describe(self) -> str:
        return f"'{self.text}' when empty"
