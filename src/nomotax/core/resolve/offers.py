"""Offers set beside each other, and which of them holds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import polars as pl

from nomotax.core.changes.marks import NEW
from nomotax.core.numbers import NUMBER
from nomotax.core.places import Places
from nomotax.core.resolve.sources import Sources
from nomotax.core.schema.model import Role, StoreSchema

#: Whether a feed offers the product of a row.
HAS = "__has"
#: The feed by whose offer a product goes; null where none that competes offers it.
TAKEN = "__taken"
#: The offer that is taken so far.
_BEST = pl.Schema({TAKEN: pl.Int64(), "out": pl.Boolean(), "by": NUMBER})


@dataclass(frozen=True)
class Offers:
    """What one feed offers: ``frame`` has key and ``new:<field>`` as text, each product once;
    ``day``, in seconds of an epoch, tells which of two offers is newer. Where ``__has`` is in the
    frame it is false of products of which the feed has said something, and never the whole."""

    feed: int
    day: int
    frame: pl.DataFrame

    @cached_property
    def _places(self) -> Places:
        return Places(self.frame["key"])

    def beside(self, keys: pl.Series) -> pl.DataFrame:
        """``__has`` and the values of the product of each key, in their order."""
        at = self._places.of(keys)
        values = [s.gather(at) for s in self.frame.drop("key", HAS, strict=False).get_columns()]
        there = at.is_not_null()
        if HAS in self.frame.columns:
            there &= self.frame[HAS].gather(at).fill_null(False)
        return pl.DataFrame([there.alias(HAS), *values])


@dataclass(frozen=True)
class Resolver:
    """Tells whose values hold. What it tells of a product hangs on what the feeds offer, and not on
    which of them asks."""

    sources: Sources
    schema: StoreSchema

    def resolve(
        self, own: int | None, sides: Mapping[int, pl.DataFrame], days: Mapping[int, int]
    ) -> pl.DataFrame:
        """``__taken``, and ``new:<field>`` of every field that a side has, for rows about products.

        ``sides`` are the feeds' offers beside the rows, as ``Offers.beside`` gives them; ``days``
        tells the newer. ``own`` is the feed that asks: what no order says is as it has it.
        """
        order = [f for f in self.sources.order if f in sides]
        taken = self._taken(order, sides, days)
        names = dict.fromkeys(c for s in sides.values() for c in s.columns if c.startswith(NEW))
        values = [self._value(name.removeprefix(NEW), own, order, sides, taken) for name in names]
        return pl.DataFrame([taken, *values])

    def _taken(
        self, order: Sequence[int], sides: Mapping[int, pl.DataFrame], days: Mapping[int, int]
    ) -> pl.Series:
        """The feed by whose offer each product goes."""
        best = pl.DataFrame(schema=_BEST).clear(next(iter(sides.values())).height)
        for place, feed in enumerate(order):
            offer = self._weighed(sides[feed], place, days.get(feed, 0))
            both = pl.concat([best, offer], how="horizontal")
            less = pl.col("its by") < pl.col("by")
            # Nobody knows what it costs: it comes behind those of which it is known.
            less = less.fill_null(pl.col("by").is_null() & pl.col("its by").is_not_null())
            nearer = pl.col("its out") < pl.col("out")
            better = nearer | ((pl.col("its out") == pl.col("out")) & less)
            takes = pl.col("has") & (pl.col(TAKEN).is_null() | better.fill_null(False))
            best = both.select(
                pl.when(takes).then(pl.lit(feed, pl.Int64)).otherwise(TAKEN).alias(TAKEN),
                pl.when(takes).then("its out").otherwise("out").alias("out"),
                pl.when(takes).then("its by").otherwise("by").alias("by"),
            )
        return best[TAKEN]

    def _weighed(self, side: pl.DataFrame, place: int, day: int) -> pl.DataFrame:
        """Whether an offer is there and without stock, and what it is taken by: less is better."""
        stock, cost = (self._said(side, role) for role in (Role.STOCK, Role.COST))
        # What is said of stock, and is no number, is not that there is none.
        out = pl.lit(False) if stock is None else (_number(stock) <= 0).fill_null(stock.is_null())
        by = {
            "order": pl.lit(place, NUMBER),
            "newest": pl.lit(-day, NUMBER),
            "cheapest": pl.lit(None, NUMBER) if cost is None else _number(cost),
        }[self.sources.choose]
        out = out if self.sources.in_stock else pl.lit(False)
        return side.select(pl.col(HAS).alias("has"), out.alias("its out"), by.alias("its by"))

    def _said(self, side: pl.DataFrame, role: Role) -> pl.Expr | None:
        field = self.schema.with_role(role)
        there = field is not None and NEW + field.name in side.columns
        return pl.col(NEW + field.name) if field and there else None

    def _value(
        self,
        field: str,
        own: int | None,
        order: Sequence[int],
        sides: Mapping[int, pl.DataFrame],
        taken: pl.Series,
    ) -> pl.Series:
        """What holds of a field: by its own order first, then of the offer that is taken, then of
        the others, then what the feed that asks says."""
        name = NEW + field
        said = {f: s[name] for f, s in sides.items() if name in s.columns}
        height = taken.len()
        frame = pl.DataFrame({str(f): value for f, value in said.items()}).with_columns(taken)
        first = [str(f) for f in self.sources.fields.get(field, ()) if f in said]
        ranked = [f for f in order if f in said]
        chosen = [pl.when(pl.col(TAKEN) == f).then(str(f)) for f in ranked]
        if own is not None and own not in order:
            # It stands against nobody: its values are as before, but for fields of an order.
            rest = [pl.col(str(own))] if own in said else []
        else:
            rest = [*chosen, *(pl.col(str(f)) for f in ranked)]
        values = [*first, *rest]
        if not values:
            return pl.Series(name, [None], pl.String).new_from_index(0, height)
        return frame.select(pl.coalesce(values).alias(name)).to_series()


def _number(text: pl.Expr) -> pl.Expr:
    return text.cast(NUMBER, strict=False)


@dataclass(frozen=True)
class Aside:
    """What a run of some ``fields`` leaves aside: of the others, what the feed ``said`` before."""

    fields: frozenset[str]
    said: Offers

    def whole(self, rows: pl.DataFrame) -> pl.DataFrame:
        """The offers of rows of ``key`` and ``new:<field>``, with what was said before; where the
        feed never offered a product as a whole, it does not do so now."""
        before = self.said.beside(rows["key"])
        fresh = [NEW + f for f in self.fields if NEW + f in rows.columns]
        return before.with_columns(rows[name] for name in fresh)

    def kept_to(self, found: pl.DataFrame, before: pl.Series) -> pl.DataFrame:
        """What holds of rows, of the other fields only where their product goes over to another
        offer than ``before``: half of one offer and half of another is none."""
        over = found[TAKEN].ne_missing(before)
        others = (c for c in found.columns if c.startswith(NEW))
        return found.with_columns(
            pl.when(over).then(c).alias(c) for c in others if c.removeprefix(NEW) not in self.fields
        )


@dataclass(frozen=True)
class Standing:
    """The offers of one feed, ``own``, as it arrives on a ``day``, among those that others made
    before; ``names`` are what the feeds are called, ``owners`` the suppliers of those that
    compete: they may change each other's products. ``aside`` is there for a run of some fields."""

    resolver: Resolver
    own: int
    day: int
    others: Sequence[Offers]
    names: Mapping[int, str]
    owners: frozenset[str] = frozenset()
    aside: Aside | None = None

    @property
    def competes(self) -> bool:
        return self.resolver.sources.competes(self.own)

    @property
    def _days(self) -> dict[int, int]:
        return {self.own: self.day} | {one.feed: one.day for one in self.others}

    def over(self, rows: pl.DataFrame) -> pl.DataFrame:
        """Rows of ``key`` and ``new:<field>`` with the values that hold, and ``__taken``: the other
        feed by whose offer a product goes, null where it is this one's or nobody competes."""
        said = rows.select(pl.col(c) for c in rows.columns if c.startswith(NEW))
        others = {one.feed: one.beside(rows["key"]) for one in self.others}
        found = self._held(rows, said.with_columns(pl.lit(True).alias(HAS)), others)
        another = (pl.col(TAKEN) != self.own) & self.competes
        there = [c for c in said.columns if c in found.columns]
        return rows.with_columns(*found.select(*there, pl.when(another).then(TAKEN).alias(TAKEN)))

    def _held(
        self, rows: pl.DataFrame, said: pl.DataFrame, others: dict[int, pl.DataFrame]
    ) -> pl.DataFrame:
        """What holds of rows beside the offers of ``others``."""
        own, days = self.own, self._days
        if self.aside is None:
            return self.resolver.resolve(own, {own: said, **others}, days)
        whole = self.aside.whole(rows)
        found = self.resolver.resolve(own, {own: whole, **others}, days)
        before = {own: self.aside.said.beside(rows["key"]), **others}
        return self.aside.kept_to(found, self.resolver.resolve(own, before, days)[TAKEN])

    def without(self, keys: pl.Series) -> pl.DataFrame:
        """The same of products that this feed does not bring: what the others have of them."""
        sides = {one.feed: one.beside(keys) for one in self.others}
        if not sides or not self.competes:
            nothing = pl.Series(TAKEN, [None], pl.Int64).new_from_index(0, keys.len())
            return nothing.to_frame()
        return self.resolver.resolve(None, sides, self._days)

    def said(self) -> pl.Expr:
        """Whose offer holds, in words; null where it is this feed's."""
        named = {feed: f"the offer of {name} holds" for feed, name in self.names.items()}
        return pl.col(TAKEN).replace_strict(named, default=None, return_dtype=pl.String)
