"""A corrected price that becomes a rule of its ladder: for all products of the same maker, line or
branch, seen at once in the other lines of the run."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

import polars as pl
from pydantic import BaseModel

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.by_hand import as_written
from nomotax.core.changes.marks import NEW
from nomotax.core.crosswalk.trace import TraceStep
from nomotax.core.errors import Conflict, UnfitValue
from nomotax.core.kinds import FieldKind
from nomotax.core.pricing.ladder import BELOW, Ladder, Match, Rule
from nomotax.core.pricing.rule_from import rules_for, with_rule
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.flows.changesets import changeset_name
from nomotax.flows.lines import prepared_run
from nomotax.flows.runs import prepare_anew
from nomotax.flows.trace import RowInRun, row_in_run
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Stores
from nomotax.records.tables import Run

#: Kinds of fields whose values several products share.
_SHARED = (FieldKind.TEXT, FieldKind.CHOICE, FieldKind.CATEGORY)
#: A longer text is none that products are sorted by.
_SHORT = 60


class Like(BaseModel):
    """Products that have the same ``word`` in a field, ``count`` of them in the run."""

    field: str
    label: str
    word: str
    count: int


class LikeProducts(BaseModel):
    """What a product shares with others of its run, by which a rule of its ladder may go; none
    where no ladder makes the price."""

    ladder: str
    likes: list[Like]


class PriceRuleAsked(BaseModel):
    """The price that a product is to have, and the products that are priced as it is: those with
    the same ``word`` in the field ``by``."""

    key: str
    field: str
    value: str
    by: str
    word: str


class PriceRuleMade(BaseModel):
    """The rule that was written, in words, and the ladder as it was ``before``."""

    said: str
    before: Ladder


def like_products(run_id: int, key: str, field: str) -> LikeProducts:
    """What products of a run may be priced together with one. Raises ``NotFound``."""
    run, row = prepared_run(run_id), row_in_run(run_id, key)
    found = row.traced(field).trace.behind
    if found is None or found.kind != "ladder":
        return LikeProducts(ladder="", likes=[])
    lines = artifacts().scan(changeset_name(run)).filter(pl.col("status") != "gone")
    names = lines.collect_schema().names()
    asked = [f for f in row.schema.fields if _is_shared(f) and NEW + f.name in names]
    values = row.values([f.name for f in asked])
    wanted = [(f, word) for f in asked for word in _words(f, values.get(f.name))]
    if not wanted:
        return LikeProducts(ladder=found.table, likes=[])
    counts = lines.select(
        _has(pl.col(NEW + f.name), word).sum().alias(str(n)) for n, (f, word) in enumerate(wanted)
    ).collect()
    likes = [
        Like(field=f.name, label=f.label, word=word, count=n)
        for (f, word), n in zip(wanted, counts.row(0), strict=True)
        if n > 1
    ]
    return LikeProducts(ladder=found.table, likes=sorted(likes, key=lambda one: one.count))


def _is_shared(one: StoreField) -> bool:
    return one.kind in _SHARED and not one.unique and one.role is None


def _words(one: StoreField, value: str | None) -> Iterator[str]:
    """A value as products are sorted by it; of a category every branch above it, too."""
    if not value or (len(value) > _SHORT and one.kind is not FieldKind.CATEGORY):
        return
    parts = value.split(BELOW) if one.kind is FieldKind.CATEGORY else [value]
    for end in range(len(parts), 0, -1):
        yield BELOW.join(parts[:end])


def _has(value: pl.Expr, word: str) -> pl.Expr:
    """Whether a value is matched as a ladder's rule matches it."""
    low = value.str.to_lowercase()
    return (low == word.lower()) | low.str.starts_with(f"{word.lower()}{BELOW}")


def make_price_rule(run_id: int, asked: PriceRuleAsked) -> PriceRuleMade:
    """Write a rule into the ladder behind a price, by which this product has the price that is
    asked, and prepare the run again. Raises ``UnfitValue`` for a price that the field does not
    take, ``Conflict`` where no rule of the ladder makes it."""
    run = prepared_run(run_id)
    if run.status != "prepared" or run.kind != "delivery" or run.feed_id is None:
        raise Conflict(f"This run is {run.status}.", remedy="Make rules before it is applied.")
    row = row_in_run(run_id, asked.key)
    with session() as db:
        stores = Stores(db)
        categories = frozenset(stores.category_paths(run.store_id))
        ladders = LookupsRepository(db, run.store_id).all().ladders
    traced = row.traced(asked.field).trace
    if traced.behind is None or traced.behind.kind != "ladder":
        raise Conflict(f"No price ladder makes {traced.title} of {asked.key}.")
    ladder = ladders.get(traced.behind.table)
    if ladder is None:
        raise Conflict(f"There is no price ladder '{traced.behind.table}' any more.")
    price = as_written(row.schema, asked.key, {asked.field: asked.value}, categories)[asked.field]
    if price is None:
        raise UnfitValue(f"{traced.title}: no price makes a rule.")
    rule = _rule(row, ladder, traced.steps, asked, price)
    _save(run, with_rule(ladder, rule))
    prepare_anew(run_id, f"the ladder '{ladder.name}' has the rule '{rule.name}'")
    return PriceRuleMade(said=_said(rule), before=ladder)


def _rule(
    row: RowInRun, ladder: Ladder, steps: list[TraceStep], asked: PriceRuleAsked, price: str
) -> Rule:
    """The plainest rule by which the product of the row has its price."""
    label = _label(row.schema, asked.by)
    numbers = {n.column: n.value for n in next(s for s in steps if s.kind == "ladder").numbers}
    landed = Decimal(numbers.get("landed cost") or numbers.get("cost") or 0)
    match = Match(field=asked.by, words=(asked.word,))
    name = f"{label} {asked.word}"
    for rule in rules_for(ladder, name, match, landed, Decimal(price)):
        made = row.traced(asked.field, ladder=with_rule(ladder, rule)).trace
        if made.value == price:
            return rule
    raise Conflict(
        f"No rule of the ladder '{ladder.name}' makes {price} of a cost of {landed:f}.",
        where=name,
        remedy="Its limits, or a rule with more conditions, stand against it: open the ladder, or "
        "correct the price for this product.",
    )


def _label(schema: StoreSchema, field: str) -> str:
    if field not in schema or not _is_shared(schema[field]):
        raise UnfitValue(f"'{field}' is no field that products are priced by.")
    return schema[field].label


def _said(rule: Rule) -> str:
    amount = f"{rule.rungs[0].amount.normalize():f}"
    return f"{rule.name}: {amount} % on the landed cost"


def _save(run: Run, ladder: Ladder) -> None:
    with session() as db:
        LookupsRepository(db, run.store_id).save(ladder)
