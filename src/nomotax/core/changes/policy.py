"""When a value may be written, and what becomes of products that a feed no longer brings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import polars as pl

from nomotax.core.changes.marks import NEW, OLD, OWNER
from nomotax.core.changes.states import ARCHIVED, HIDDEN, STATE, TAKEN_OUT
from nomotax.core.crosswalk.compiler import FilledField, Plan
from nomotax.core.kinds import DECIMAL_KINDS
from nomotax.core.schema.model import Role

_NONE = pl.lit(None, dtype=pl.String)
_STATES = {"hide": HIDDEN, "archive": ARCHIVED, "take_out": TAKEN_OUT}
_DONE = {
    "stock_0": "its stock becomes 0",
    "hide": "it is hidden",
    "archive": "it is archived",
    "take_out": "it is taken out of the catalog",
}


def may_be_written(one: FilledField, value: pl.Expr, old: pl.Expr, known: pl.Expr) -> pl.Expr:
    """``value`` where the fill may write it, and the store lets feeds do so, else what the product
    holds; ``known`` says whether there is one."""
    keeps = {"new": known, "never": known, "empty": known & old.is_not_null()}
    stays = [keeps[rule] for rule in one.writes if rule in keeps]
    return pl.when(pl.any_horizontal(stays)).then(old).otherwise(value) if stays else value


def ruled(one: FilledField, value: pl.Expr, kept: Sequence[str]) -> pl.Expr:
    """A value where it is not kept by hand, and the policy of the field writes it."""
    old = pl.col(OLD + one.field.name)
    if kept:
        value = (
            pl.when(pl.col("key").is_in(list(kept)) & old.is_not_null()).then(old).otherwise(value)
        )
    known = pl.col(OWNER).is_not_null()
    return may_be_written(one, value, old, known).alias(NEW + one.field.name)


def stock_of(plan: Plan) -> list[str]:
    """The field that a missing product's stock is set in, if the policy does so."""
    stock = plan.schema.with_role(Role.STOCK)
    return [stock.name] if stock and plan.policy.missing == "stock_0" else []


@dataclass(frozen=True)
class Gone:
    """What becomes of products that a feed of the supplier ``owner`` brought and does not bring any
    more. ``kept`` has the keys of products by the field that is kept by hand. Where ``whole``, the
    delivery has none of what the feed brought, nothing does: it is another file, or an empty
    one."""

    plan: Plan
    owner: str
    kept: Mapping[str, Sequence[str]]
    whole: bool

    @cached_property
    def _moved(self) -> tuple[str, str] | None:
        """The field that the policy writes, and its value; None where it leaves all as it is."""
        missing = self.plan.policy.missing
        if self.whole:
            return None
        if missing in _STATES:
            return STATE, _STATES[missing]
        for name in stock_of(self.plan):
            stock = self.plan.schema[name]
            places = stock.decimals or 0 if stock.kind in DECIMAL_KINDS else 0
            return name, f"{0:.{places}f}"
        return None

    def lines(self, there: pl.DataFrame) -> pl.DataFrame:
        """Lines of a changeset, out of key, ``__owner``, state, ``old:<field>`` and ``times``: how
        many deliveries in a row a product is missing in."""
        title = self.plan.schema.with_role(Role.TITLE)
        named = title is not None and OLD + title.name in there.columns
        moved = [self._moved[0]] if self._moved else []
        return there.with_columns(__moves=self._moves()).select(
            pl.lit(None, dtype=pl.UInt32).alias("row"),
            "key",
            (pl.col(OLD + title.name) if named and title else _NONE).alias("title"),
            pl.lit("gone").alias("status"),
            self._reason().alias("reason"),
            pl.when("__moves")
            .then(pl.lit(moved, dtype=pl.List(pl.String)))
            .otherwise(pl.lit([], dtype=pl.List(pl.String)))
            .alias("fields"),
            *(c for f in dict.fromkeys([*self.plan.fields, *moved]) for c in self._sides(f)),
        )

    def _moves(self) -> pl.Expr:
        if self._moved is None:
            return pl.lit(False)
        (field, after), policy = self._moved, self.plan.policy
        moves = pl.col("times") >= policy.after
        moves &= ~pl.col("key").is_in(list(self.kept.get(field, ())))
        if policy.others == "refuse":
            moves &= pl.col(OWNER) == self.owner
        if field != STATE:
            return moves & pl.col(OLD + field).ne_missing(after)
        # What is archived is not hidden as well: that would bring it nearer to the shop again.
        further = [after, ARCHIVED] if policy.missing == "hide" else [after]
        return moves & ~pl.col(STATE).fill_null("").is_in(further)

    def _sides(self, name: str) -> list[pl.Expr]:
        old = pl.col(STATE) if name == STATE else pl.col(OLD + name)
        new = _NONE
        if self._moved and name == self._moved[0]:
            new = pl.when("__moves").then(pl.lit(self._moved[1]))
        return [new.alias(NEW + name), old.alias(OLD + name)]

    def _reason(self) -> pl.Expr:
        policy = self.plan.policy
        if self.whole and policy.missing != "leave":
            return pl.lit("nothing that this feed brought is in this delivery; all stays as it is")
        stays = pl.lit("not in this delivery; the product stays as it is")
        if self._moved is None:
            return stays
        waits = pl.format("not in {} of {} deliveries; until then it stays", "times", policy.after)
        return (
            pl.when("__moves")
            .then(pl.lit(f"not in this delivery; {_DONE[policy.missing]}"))
            .when(pl.col("times") < policy.after)
            .then(waits)
            .otherwise(stays)
        )
