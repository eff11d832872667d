"""How the rows of a crosswalk find the products that they are about."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, model_validator

#: What of two values need not agree for them to be the same.
Ignored = Literal["case", "blanks", "punctuation", "leading_zeros"]

_IGNORED: dict[Ignored, str] = {
    "case": "case",
    "blanks": "blanks",
    "punctuation": "punctuation",
    "leading_zeros": "leading zeros",
}


_TAKEN = {
    "first": "the first",
    "last": "the last",
    "cheapest": "the cheapest",
    "sum": "the first, with the stock of all,",
}


class Way(BaseModel):
    """Store fields that, taken together, tell a product: a row is about the products that hold
    what the row would write in all of them. ``ignore`` is what need not agree."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    fields: tuple[str, ...] = Field(min_length=1, max_length=4)
    ignore: tuple[Ignored, ...] = ()

    @model_validator(mode="after")
    def _once(self) -> Way:
        if len(set(self.fields)) < len(self.fields):
            raise ValueError("a way names a field twice")
        return self

    def in_words(self) -> str:
        """The way as it is read: "name and sku, whatever the case"."""
        named = " and ".join(self.fields)
        ignored = " and ".join(_IGNORED[one] for one in self.ignore)
        return f"{named}, whatever the {ignored}" if ignored else named


class KeyRule(BaseModel):
    """The key of a product that a row makes and has none for: ``prefix`` and what follows it. That
    is the supplier's own number (*article*), or the next number that no product has (*number*),
    from ``first`` on and up to ``last``, in so many ``digits`` at least."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    by: Literal["article", "number"] = "article"
    prefix: str = Field(default="", max_length=40, pattern=r"^(\S.*)?$")
    first: int = Field(default=1, ge=0, lt=10**15)
    last: int | None = Field(default=None, ge=0, lt=10**15)
    digits: int = Field(default=1, ge=1, le=15)

    @model_validator(mode="after")
    def _rising(self) -> KeyRule:
        if self.last is not None and self.last < self.first:
            raise ValueError("a range of numbers ends before it begins")
        return self

    def written(self, number: pl.Expr) -> pl.Expr:
        """A number of the range as a key."""
        return pl.lit(self.prefix) + number.cast(pl.String).str.zfill(self.digits)

    def keys(self, first: int, last: int) -> pl.Series:
        """The keys of numbers in a row, both ends among them."""
        return pl.select(self.written(pl.int_range(first, last + 1))).to_series()

    def in_words(self) -> str:
        """The key as it is read: "'N-' + a number from 100 on"."""
        before = f"'{self.prefix}' + " if self.prefix else ""
        if self.by == "article":
            return f"{before}the supplier's number"
        ending = "on" if self.last is None else f"to {self.last}"
        return f"{before}a number from {self.first} {ending}"


class Identity(BaseModel):
    """``ways`` are tried in order, the first that finds a product decides; without any, a row is
    about the product with its key. ``article`` is the arriving column with the supplier's own
    number: what it is paired with comes before all ways.

    ``several`` says what happens to a row that finds several products: it waits, or changes each;
    ``rows`` which of the rows for one product counts, if any: with *sum* the first, with the stock
    of all; ``unmatched`` whether a row that
    finds none makes a product, or waits until somebody decides; ``new_key`` gives a product that it
    makes a key where it has none, which is refused without.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    ways: tuple[Way, ...] = Field(default=(), max_length=6)
    article: str | None = None
    several: Literal["wait", "each"] = "wait"
    rows: Literal["refuse", "first", "last", "cheapest", "sum"] = "refuse"
    unmatched: Literal["new", "wait"] = "new"
    new_key: KeyRule | None = None

    @model_validator(mode="after")
    def _known_by(self) -> Identity:
        by_article = self.new_key is not None and self.new_key.by == "article"
        if by_article and self.article is None:
            raise ValueError("keys out of the supplier's number need the column that has it")
        return self

    def within(self, key: str) -> Identity:
        """With the way that it stands for where it has none: by the store's ``key``."""
        return self if self.ways else self.model_copy(update={"ways": (Way(fields=(key,)),)})

    def in_words(self) -> list[str]:
        """What it says, a sentence's end each; in the order of the ways."""
        ways = ", then ".join(way.in_words() for way in self.ways) or "the store's key"
        said = [f"finds products by {ways}"]
        said += [f"knows articles by '{self.article}'"] * (self.article is not None)
        said += ["changes each product that a row finds"] * (self.several == "each")
        if self.rows in _TAKEN:
            said.append(f"takes {_TAKEN[self.rows]} of several rows")
        said += ["lets rows without a product wait"] * (self.unmatched == "wait")
        key = self.new_key.in_words() if self.new_key else ""
        return said + [f"gives new products without a key {key}"] * bool(key)

    @property
    def fields(self) -> list[str]:
        """Store fields in use, each once."""
        return list(dict.fromkeys(f for way in self.ways for f in way.fields))

    @property
    def by_key(self) -> bool:
        """Whether rows are about the product with their key, and nothing else is asked."""
        plain = not self.ways and self.article is None
        return plain and self.unmatched == "new" and self.new_key is None
