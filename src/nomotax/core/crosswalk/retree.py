"""What names the store's categories, after the store's tree has been edited."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from nomotax.core.crosswalk.model import Crosswalk, Fill, Step
from nomotax.core.kinds import FieldKind
from nomotax.core.lookups.tables import CategoryTable
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.schema.model import StoreSchema

#: Paths that were taken away, each with the path that stands for it; "" for none.
Moves = Mapping[str, str]

_CATEGORY_KINDS = (FieldKind.CATEGORY, FieldKind.CATEGORIES)


def category_fields(schema: StoreSchema) -> list[str]:
    """The fields that hold category paths, one or several."""
    return [f.name for f in schema.fields if f.kind in _CATEGORY_KINDS]


def placements_moved(table: CategoryTable, moves: Moves) -> CategoryTable:
    """The table with its placements led on. Where no path stands for one, it is taken out, so
    that it is asked about again; it does not become "not sold"."""
    places = {a: moves.get(p, p) for a, p in table.placements.items() if moves.get(p, p) or not p}
    fallback = moves.get(table.fallback, table.fallback)
    return table.model_copy(update={"placements": places, "fallback": fallback})


def placements_back(table: CategoryTable, was: CategoryTable, moves: Moves) -> CategoryTable:
    """The table with the placements that ``moves`` led on as they ``was``, but for those that a
    person has changed since."""

    def led(place: str, now: str) -> bool:
        return place in moves and now == moves[place]

    back = {a: p for a, p in was.placements.items() if led(p, table.placements.get(a, ""))}
    fallback = was.fallback if led(was.fallback, table.fallback) else table.fallback
    places = table.placements | back
    return table.model_copy(update={"placements": places, "fallback": fallback})


def ladder_moved(ladder: Ladder, schema: StoreSchema, moves: Moves) -> Ladder:
    """The ladder with its rules for categories led on; they ignore case."""
    fields = category_fields(schema)
    folded = {old.lower(): new for old, new in moves.items() if new}

    def match(one: Any) -> Any:
        if one.field not in fields:
            return one
        words = [folded.get(w.strip().lower(), w) for w in one.words]
        return one.model_copy(update={"words": tuple(dict.fromkeys(words))})

    rules = [
        rule.model_copy(update={"when": tuple(match(m) for m in rule.when)})
        for rule in ladder.rules
    ]
    return ladder.model_copy(update={"rules": tuple(rules)})


def ladder_back(ladder: Ladder, was: Ladder, schema: StoreSchema, moves: Moves) -> Ladder:
    """The ladder with the matches of its rules that ``moves`` led on as they ``were``, but for
    those that a person has changed since."""
    led = {r.name: r.when for r in ladder_moved(was, schema, moves).rules}
    before = {r.name: r.when for r in was.rules}
    rules = [
        rule.model_copy(update={"when": before[rule.name]})
        if rule.name in before and rule.when == led[rule.name]
        else rule
        for rule in ladder.rules
    ]
    return ladder.model_copy(update={"rules": tuple(rules)})


def crosswalk_back(
    crosswalk: Crosswalk, was: Crosswalk, schema: StoreSchema, moves: Moves
) -> Crosswalk:
    """The same of the constants of a crosswalk."""
    led = crosswalk_moved(was, schema, moves).fills
    fills = {
        name: was.fills[name] if name in was.fills and fill == led[name] else fill
        for name, fill in crosswalk.fills.items()
    }
    return crosswalk.model_copy(update={"fills": fills})


def crosswalk_moved(crosswalk: Crosswalk, schema: StoreSchema, moves: Moves) -> Crosswalk:
    """The crosswalk with constants of its category fields led on."""
    fields = category_fields(schema)
    fills = {
        name: _fill_moved(fill, moves) if name in fields else fill
        for name, fill in crosswalk.fills.items()
    }
    return crosswalk.model_copy(update={"fills": fills})


def _fill_moved(fill: Fill, moves: Moves) -> Fill:
    led = {old: new for old, new in moves.items() if new}
    parts = [p.model_copy(update={"text": led[p.text]}) if p.text in led else p for p in fill.parts]
    steps = [
        s.model_copy(update={"text": led[s.text]}) if s.do == "default" and s.text in led else s
        for s in fill.steps
    ]
    return fill.model_copy(update={"parts": tuple(parts), "steps": tuple(steps)})


def formulas_naming(crosswalk: Crosswalk, moves: Moves) -> Iterator[str]:
    """Fields with a formula that writes out a path which goes away: nobody leads those on."""
    for name, fill in crosswalk.fills.items():
        written = [text for step in fill.steps if (text := _formula(step))]
        if any(f'"{old}' in text for text in written for old in moves):
            yield name


def _formula(step: Step) -> str:
    return step.formula if step.do in ("formula", "only_if") else ""
