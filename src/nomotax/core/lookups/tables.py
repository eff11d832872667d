"""Saved look-ups from arriving words and category paths to the store's."""

from __future__ import annotations

from functools import cached_property
from typing import Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from nomotax.core.lookups.tree import SIGN, as_name

Otherwise = Literal["ask", "as_is", "empty", "word"]


class ValueTable(BaseModel):
    """Arriving word -> the store's word.

    ``match`` "fold" ignores case and blanks at the ends, "loose" accents, blanks and hyphens
    anywhere as well. ``otherwise`` says what becomes of a
    word that is not listed: ask a person, keep it as it is, leave empty, or use ``word``.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str
    match: Literal["exact", "fold", "loose"] = "fold"
    otherwise: Otherwise = "ask"
    word: str = ""
    entries: dict[str, str] = Field(default_factory=dict)

    def key(self, value: pl.Expr) -> pl.Expr:
        """The form of an arriving word that is looked up."""
        if self.match == "exact":
            return value
        folded = value.str.strip_chars().str.to_lowercase()
        if self.match == "fold":
            return folded
        return folded.str.normalize("NFKD").str.replace_all(r"[\p{M}\s\-_]", "")

    def keys_of(self, words: list[str]) -> list[str]:
        """The forms under which words are known."""
        # By the same expression as the arriving words, so that both are folded alike.
        frame = pl.DataFrame({"word": words}, schema={"word": pl.String})
        return frame.select(self.key(pl.col("word"))).to_series().to_list()

    @cached_property
    def _keyed(self) -> dict[str, str]:
        keys = self.keys_of(list(self.entries))
        return dict(zip(keys, self.entries.values(), strict=True))

    def listed(self, word: str) -> str:
        """The arriving word of the entry that answers ``word``, "" where none does."""
        asked = self.keys_of([word])[0]
        keys = dict(zip(self.keys_of(list(self.entries)), self.entries, strict=True))
        return keys.get(asked, "")

    def doubled(self) -> list[list[str]]:
        """Arriving words that are looked up as one but have different store words."""
        groups: dict[str, list[str]] = {}
        for key, word in zip(self.keys_of(list(self.entries)), self.entries, strict=True):
            groups.setdefault(key, []).append(word)
        return [g for g in groups.values() if len({self.entries[w] for w in g}) > 1]

    def look_up(self, value: pl.Expr) -> pl.Expr:
        """The store's word, null where the arriving word is not listed."""
        if not self._keyed:
            return pl.lit(None, dtype=pl.String)
        return self.key(value).replace_strict(
            list(self._keyed), list(self._keyed.values()), default=None, return_dtype=pl.String
        )


class CategoryTable(BaseModel):
    """Arriving category path -> the store's path.

    A placement on a branch covers everything below it unless a lower one says otherwise. An
    empty store path means "this branch is not sold here". ``fallback`` is the category of paths
    that nothing covers; while it is empty they are asked about.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str
    separator: str = "/"
    fallback: str = ""
    placements: dict[str, str] = Field(default_factory=dict)

    def split(self, path: str) -> tuple[str, ...]:
        parts = path.split(self.separator) if self.separator else [path]
        return tuple(p.strip() for p in parts if p.strip())

    def own_name(self, path: str) -> str:
        """The store path that has the names of an arriving path, level by level."""
        return SIGN.join(as_name(part) for part in self.split(path))

    @cached_property
    def _by_parts(self) -> dict[tuple[str, ...], str]:
        return {self.split(path): place for path, place in self.placements.items()}

    def listed(self, path: str) -> str:
        """The placement of this very path as it was written, "" where there is none."""
        parts = self.split(path)
        return next((own for own in self.placements if self.split(own) == parts), "")

    def resolve(self, path: str) -> tuple[str | None, str | None]:
        """The store path for an arriving path and the placement that decided it; None, None
        where nothing covers it. The store path is "" for a branch that is not sold."""
        parts = self.split(path)
        for depth in range(len(parts), 0, -1):
            place = self._by_parts.get(parts[:depth])
            if place is not None:
                return place, self.separator.join(parts[:depth])
        return self.fallback or None, None

    def place(self, value: pl.Expr) -> pl.Expr:
        """The store path of each arriving path, null where nothing covers it."""
        return value.map_batches(self._place_series, return_dtype=pl.String, is_elementwise=True)

    def _place_series(self, paths: pl.Series) -> pl.Series:
        # Paths repeat by the thousand, so the walk up the branch is done once a distinct path.
        distinct = paths.drop_nulls().unique()
        if distinct.len() == 0:
            return pl.Series(paths.name, [None] * paths.len(), dtype=pl.String)
        places = pl.Series([self.resolve(p)[0] for p in distinct], dtype=pl.String)
        return paths.replace_strict(distinct, places, default=None, return_dtype=pl.String)
