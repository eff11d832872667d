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
from nomotax.core.suggest.values import says_one_thing, tells_apart
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
    found = _one_price(schema, found, facts, evidence)
    found += _firsts_of_lists(schema, found, facts, evidence)
    return sorted(found, key=lambda s: -s.score)


def _one_price(
    schema: StoreSchema, found: list[Suggestion], facts: Facts, evidence: Evidence
) -> list[Suggestion]:
    """A column is what the store pays or what it asks, whichever is likelier; one that says no more
    than that it is a price may be both."""
    cost, price = _cost_and_price(schema) or ("", "")
    best = {s.field: s for s in reversed(found) if s.field in (cost, price)}
    mine, theirs = best.get(price), best.get(cost)
    if mine and theirs and mine.column == theirs.column:
        less = min(mine, theirs, key=lambda s: s.score)
        both = _says_no_more(mine.column, facts, evidence)
        return found if both else [s for s in found if s is not less]
    if mine is None or theirs is not None or not _says_no_more(mine.column, facts, evidence):
        return found
    return [*found, _as_cost(schema, cost, mine, facts, evidence)]


def _as_cost(
    schema: StoreSchema, cost: str, best: Suggestion, facts: Facts, evidence: Evidence
) -> Suggestion:
    said = f"'{best.column}' says no more than that it is a price: it may be what the store pays"
    return _suggestion(schema, Fit(cost, best.column, best.score / 100, said), facts, evidence)


def _firsts_of_lists(
    schema: StoreSchema, found: Sequence[Suggestion], facts: Facts, evidence: Evidence
) -> Iterator[Suggestion]:
    """A column of lists that is likely for all but the first is for the first too, where nothing
    else is."""
    for first, rest in _first_and_rest(schema):
        best = next((s for s in found if s.field == rest), None)
        if best is None or any(s.field == first for s in found):
            continue
        said = f"the first in a cell of '{best.column}'"
        one = _suggestion(schema, Fit(first, best.column, best.score / 100, said), facts, evidence)
        if _FIRST in one.fill.steps:
            yield one


def _suggestion(schema: StoreSchema, fit: Fit, facts: Facts, evidence: Evidence) -> Suggestion:
    fill = make_fill(schema[fit.field], facts[fit.column].profile, evidence)
    a_price = fit.field in _cost_and_price(schema)
    same = tells_apart(schema[fit.field]) and says_one_thing(facts[fit.column])
    doubtful = (
        same or shapes_by_itself(fill) or (a_price and _says_no_more(fit.column, facts, evidence))
    )
    return Suggestion(
        field=fit.field,
        column=fit.column,
        score=min(99, round(100 * fit.likely)),
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
        # price, a list of pictures the first and the others.
        shared = one.field == schema.key or _shares(schema, one, chosen, taken)
        if one.field in chosen or (one.column in used and not shared):
            continue
        chosen[one.field] = one
        if not shared:
            used.add(one.column)
    chosen |= {s.field: s for s in _rest_of_lists(schema, chosen, taken, refused)}
    return sorted(chosen.values(), key=lambda s: -s.score)


def _shares(
    schema: StoreSchema, one: Suggestion, chosen: Mapping[str, Suggestion], taken: Crosswalk
) -> bool:
    """Whether its column goes to the other field of a pair that may have one together."""
    pairs = [p for p in (_cost_and_price(schema), *_first_and_rest(schema)) if one.field in p]
    names = {name for pair in pairs for name in pair}
    fed = [s.column for name, s in chosen.items() if name in names]
    fed += [c for name, fill in taken.fills.items() if name in names for c in fill.columns]
    return one.column in fed


def _rest_of_lists(
    schema: StoreSchema,
    chosen: Mapping[str, Suggestion],
    taken: Crosswalk,
    refused: Set[tuple[str, str]],
) -> Iterator[Suggestion]:
    """Where one field takes the first of a column's entries, the rest for the field of more."""
    for first, rest in _first_and_rest(schema):
        one = chosen.get(first)
        fill = one.fill if one else taken.fills.get(first)
        if fill is None or _FIRST not in fill.steps or rest in taken.fills:
            continue
        column = fill.columns[0]
        if (rest, column) in refused or (rest in chosen and chosen[rest].column != column):
            continue
        steps = tuple(TakeEntries(start=2, count=0) if s == _FIRST else s for s in fill.steps)
        yield Suggestion(
            field=rest,
            column=column,
            score=one.score if one else 90,
            sure=False,
            reasons=[f"all but the first in a cell of '{column}'"],
            fill=Fill(parts=(Part(column=column),), steps=steps),
        )


def _first_and_rest(schema: StoreSchema) -> Iterator[tuple[str, str]]:
    """A field that takes one of a list, and the one that takes the others."""
    pairs = ((Role.PICTURE, Role.PICTURES), (Role.PICTURE_TEXT, Role.PICTURE_TEXTS))
    for of_first, of_rest in pairs:
        first, rest = schema.with_role(of_first), schema.with_role(of_rest)
        if first and rest:
            yield first.name, rest.name


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
