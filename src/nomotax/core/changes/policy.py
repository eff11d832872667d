"""When a value may be written, and what becomes of products that a feed no longer brings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

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


def may_be_written(one: FilledField, value: pl.Expr, old: pl.Expr) -> pl.Expr:
    """``value`` where the fill may write it, else what the product holds."""
    known = pl.col(OWNER).is_not_null()
    stays = {"new": known, "never": known, "empty": known & old.is_not_null()}.get(one.fill.writes)
    return value if stays is None else pl.when(stays).then(old).otherwise(value)


def stock_of(plan: Plan) -> list[str]:
    """The field that a missing product's stock is set in, if the policy does so."""
    stock = plan.schema.with_role(Role.STOCK)
    return [stock.name] if stock and plan.policy.missing == "stock_0" else []


def gone_lines(
    there: pl.DataFrame, plan: Plan, kept: Mapping[str, Sequence[str]], whole: bool
) -> pl.DataFrame:
    """Lines of missing products, out of key, state, ``old:<field>`` and ``times``. Where ``whole``,
    the delivery has none of what the feed brought, nothing happens to them: it is another file, or
    an empty one."""
    policy, title = plan.policy, plan.schema.with_role(Role.TITLE)
    field, after = _moved(plan)
    acts = policy.missing != "leave" and field is not None and not whole
    moves = pl.lit(False)
    if acts and field is not None:
        moves = (pl.col("times") >= policy.after) & _differs(field, after, policy.missing)
        moves &= ~pl.col("key").is_in(list(kept.get(field, ())))
    marked = there.with_columns(moves.fill_null(False).alias("__moves"))
    named = title is not None and OLD + title.name in there.columns
    sides = [c for f in plan.fields for c in _sides(f, field, after)]
    sides += [c for f in [field] if f and f not in plan.fields for c in _sides(f, field, after)]
    return marked.select(
        pl.lit(None, dtype=pl.UInt32).alias("row"),
        "key",
        (pl.col(OLD + title.name) if named and title else _NONE).alias("title"),
        pl.lit("gone").alias("status"),
        _reason(plan, acts, whole).alias("reason"),
        pl.when("__moves")
        .then(pl.lit([field or ""], dtype=pl.List(pl.String)))
        .otherwise(pl.lit([], dtype=pl.List(pl.String)))
        .alias("fields"),
        *sides,
    )


def _moved(plan: Plan) -> tuple[str | None, str]:
    """The field of a missing product that the policy writes, and its value."""
    if plan.policy.missing in _STATES:
        return STATE, _STATES[plan.policy.missing]
    for name in stock_of(plan):
        stock = plan.schema[name]
        places = stock.decimals or 0 if stock.kind in DECIMAL_KINDS else 0
        return name, f"{0:.{places}f}"
    return None, ""


def _differs(field: str, after: str, missing: str) -> pl.Expr:
    if field != STATE:
        return pl.col(OLD + field).ne_missing(after)
    # What is archived is not hidden as well: that would bring it nearer to the shop again.
    further = [after, ARCHIVED] if missing == "hide" else [after]
    return ~pl.col(STATE).fill_null("").is_in(further)


def _sides(name: str, field: str | None, after: str) -> list[pl.Expr]:
    old = pl.col(STATE) if name == STATE else pl.col(OLD + name)
    if name != field:
        return [_NONE.alias(NEW + name), old.alias(OLD + name)]
    return [pl.when("__moves").then(pl.lit(after)).alias(NEW + name), old.alias(OLD + name)]


def _reason(plan: Plan, acts: bool, whole: bool) -> pl.Expr:
    stays = "not in this delivery; the product stays as it is"
    if whole and plan.policy.missing != "leave":
        return pl.lit("nothing that this feed brought is in this delivery; all stays as it is")
    if not acts:
        return pl.lit(stays)
    waits = pl.format("not in {} of {} deliveries; until then it stays", "times", plan.policy.after)
    return (
        pl.when("__moves")
        .then(pl.lit(f"not in this delivery; {_DONE[plan.policy.missing]}"))
        .when(pl.col("times") < plan.policy.after)
        .then(waits)
        .otherwise(pl.lit(stays))
    )
