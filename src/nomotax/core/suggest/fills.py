"""Suggestions for a crosswalk: the likeliest column of each field, with the fill to it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence, Set

from pydantic import BaseModel, computed_field

from nomotax.core.crosswalk.evidence import Evidence
from nomotax.core.crosswalk.making import make_fill, shapes_by_itself
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.steps.lists import TakeEntries
from nomotax.core.crosswalk.steps.lookups import UseLadder
from nomotax.core.schema.model import Role, StoreSchema
from nomotax.core.suggest.columns import Fit, fits, weigh
from nomotax.core.suggest.facts import Facts
from nomotax.core.suggest.lexicon import lexicon
from nomotax.core.suggest.weighing import LEAST, SURE

_FIRST = TakeEntries(start=1, count=1)


class Suggestion(BaseModel):
    """A column for a field. ``score`` runs from 0 to 100; ``reasons`` say why. Only a ``sure`` one
    is taken unseen; none is that ``shapes``: shortens, prefixes or prices by itself."""

    field: str
    column: str
    score: int
    sure: bool
    reasons: list[str]
    fill: Fill

    @computed_field  # type: ignore[prop-decorator]  # pydantic's way, which mypy does not follow
    @property
    def shapes(self) -> bool:
        """Whether the fill makes other values of those that arrive."""
        return shapes_by_itself(self.fill)


def ranking(schema: StoreSchema, facts: Facts, evidence: Evidence) -> list[Suggestion]:
    """Every column that is likely for a field, best first, whatever is filled already."""
    return with_fills(schema, fits(weigh(schema, facts)), facts, evidence)


def with_fills(
    schema: StoreSchema, fitting: Mapping[str, list[Fit]], facts: Facts, evidence: Evidence
) -> list[Suggestion]:
    """The same of columns that are weighed already: evidence for a fill changes more often."""
    found = [
        _suggestion(schema, fit, facts, evidence)
        for one in fitting.values()
        for fit in one
        if fit.likely >= LEAST
    ]
    found += _perhaps_costs(schema, found, facts, evidence)
    return sorted(found, key=lambda s: -s.score)


def _perhaps_costs(
    schema: StoreSchema, found: Sequence[Suggestion], facts: Facts, evidence: Evidence
) -> list[Suggestion]:
    """A price that may be what the store pays, for the cost as well, where nothing else is."""
    cost, price = _cost_and_price(schema) or ("", "")
    best = next((s for s in found if s.field == price), None)
    if any(s.field == cost for s in found):
        return []
    if best is None or not _says_no_more(best.column, facts, evidence):
        return []
    said = f"'{best.column}' says no more than that it is a price: it may be what the store pays"
    return [_suggestion(schema, Fit(cost, best.column, best.score / 100, said), facts, evidence)]


def _suggestion(schema: StoreSchema, fit: Fit, facts: Facts, evidence: Evidence) -> Suggestion:
    fill = make_fill(schema[fit.field], facts[fit.column].profile, evidence)
    a_price = fit.field in _cost_and_price(schema)
    doubtful = shapes_by_itself(fill) or (a_price and _says_no_more(fit.column, facts, evidence))
    return Suggestion(
        field=fit.field,
        column=fit.column,
        score=round(100 * fit.likely),
        sure=fit.likely >= SURE and not doubtful,
        reasons=[*([fit.reason] if fit.reason else []), *(a.says for a in fill.assumptions)],
        fill=fill,
    )


def _cost_and_price(schema: StoreSchema) -> tuple[str, ...]:
    """The fields of what the store pays and of what it asks, where it has both."""
    both = (schema.with_role(Role.COST), schema.with_role(Role.PRICE))
    return tuple(f.name for f in both if f) if all(both) else ()


def _says_no_more(name: str, facts: Facts, evidence: Evidence) -> bool:
    """Whether a column says no more than that it is a price, with no other beneath it: what a
    supplier calls so is as likely what the store pays as what it asks."""
    column, groups = facts[name], lexicon("terms").groups
    kinds = [c for bag in (column.says, column.last) for c in bag.concepts]
    lies_over = facts.ordered.get(name, ("", ""))[1]
    told = lies_over or any(groups.get(c) in ("pricekind", "netgross") for c in kinds)
    return not told and not evidence.own_export


def suggest(
    schema: StoreSchema,
    ranked: Sequence[Suggestion],
    taken: Crosswalk,
    refused: Set[tuple[str, str]] = frozenset(),
) -> list[Suggestion]:
    """Out of a ``ranking``, the best column for each unfilled field, best first; each column is
    proposed once, but for the key, which may share its column. Pairs of field and column that
    were ``refused`` are not proposed again."""
    chosen: dict[str, Suggestion] = {}
    used = set(taken.used_columns())
    for one in ranked:
        if one.field in taken.fills or (one.field, one.column) in refused:
            continue
        # The supplier's number feeds the store's key and its own field, a lone price cost and
        # price.
        shared = one.field == schema.key or _same_price(schema, one, chosen)
        if one.field in chosen or (one.column in used and not shared):
            continue
        chosen[one.field] = one
        if not shared:
            used.add(one.column)
    found = [*chosen.values(), *_rest_of_lists(schema, chosen, taken, refused)]
    return sorted(found, key=lambda s: -s.score)


def _same_price(schema: StoreSchema, one: Suggestion, chosen: Mapping[str, Suggestion]) -> bool:
    prices = _cost_and_price(schema)
    others = [chosen[name] for name in prices if name in chosen and name != one.field]
    return one.field in prices and any(o.column == one.column for o in others)


#: A field that takes one of a list, and the one that takes the rest.
_FIRST_AND_REST = (
    (Role.PICTURE, Role.PICTURES),
    (Role.PICTURE_TEXT, Role.PICTURE_TEXTS),
)


def _rest_of_lists(
    schema: StoreSchema,
    chosen: Mapping[str, Suggestion],
    taken: Crosswalk,
    refused: Set[tuple[str, str]],
) -> Iterator[Suggestion]:
    """Where one field takes the first of a column's entries, the rest for the field of more."""
    for of_first, of_rest in _FIRST_AND_REST:
        first, rest = schema.with_role(of_first), schema.with_role(of_rest)
        if not first or not rest or rest.name in chosen or rest.name in taken.fills:
            continue
        one = chosen.get(first.name)
        fill = one.fill if one else taken.fills.get(first.name)
        taking = _FIRST in fill.steps if fill else False
        if fill is None or not taking or (rest.name, fill.columns[0]) in refused:
            continue
        column = fill.columns[0]
        steps = tuple(TakeEntries(start=2, count=0) if s == _FIRST else s for s in fill.steps)
        yield Suggestion(
            field=rest.name,
            column=column,
            score=one.score if one else 90,
            sure=False,
            reasons=[f"all but the first in a cell of '{column}', which {first.label} takes"],
            fill=Fill(parts=(Part(column=column),), steps=steps),
        )


def price_from_cost(
    schema: StoreSchema, ranked: Sequence[Suggestion], ladders: Sequence[str]
) -> Suggestion | None:
    """A price where only a cost arrives and a ladder exists: out of a ``ranking``, the best column
    for the cost, to go through the ladder. None where a column may be the price itself."""
    cost, price = schema.with_role(Role.COST), schema.with_role(Role.PRICE)
    best = next((s for s in ranked if cost and s.field == cost.name), None)
    if price is None or best is None or not ladders:
        return None
    if any(s.field == price.name and s.column != best.column for s in ranked):
        return None
    ladder = UseLadder(ladder=ladders[0])
    return Suggestion(
        field=price.name,
        column=best.column,
        score=min(best.score, 70),
        sure=False,
        reasons=[f"{price.label} is worked out from '{best.column}' with '{ladders[0]}'"],
        fill=best.fill.model_copy(update={"steps": (*best.fill.steps, ladder)}),
    )
