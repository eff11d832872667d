"""How the rows of a crosswalk find the products that they are about."""

from __future__ import annotations

from typing import Literal

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


class Identity(BaseModel):
    """``ways`` are tried in order, the first that finds a product decides; without any, a row is
    about the product with its key. ``article`` is the arriving column with the supplier's own
    number: what it is paired with comes before all ways.

    ``several`` says what happens to a row that finds several products: it waits, or changes each;
    ``rows`` which of the rows for one product counts, if any: with *sum* the first, with the stock
    of all; ``unmatched`` whether a row that
    finds none makes a product, or waits until somebody decides.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    ways: tuple[Way, ...] = Field(default=(), max_length=6)
    article: str | None = None
    several: Literal["wait", "each"] = "wait"
    rows: Literal["refuse", "first", "last", "cheapest", "sum"] = "refuse"
    unmatched: Literal["new", "wait"] = "new"

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
        return said + ["lets rows without a product wait"] * (self.unmatched == "wait")

    @property
    def fields(self) -> list[str]:
        """Store fields in use, each once."""
        return list(dict.fromkeys(f for way in self.ways for f in way.fields))

    @property
    def by_key(self) -> bool:
        """Whether rows are about the product with their key, and nothing else is asked."""
        return not self.ways and self.article is None and self.unmatched == "new"
