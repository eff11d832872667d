"""Two states of a crosswalk compared in plain words."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TypeVar

from pydantic import BaseModel

from nomotax.core.crosswalk.model import Bundle, Chain, Fill
from nomotax.core.crosswalk.words import describe
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.pricing.ladder import Ladder, Rung
from nomotax.core.pricing.rates import Rate

T = TypeVar("T", ValueTable, CategoryTable, Ladder, Rate, Chain)


def differences(before: Bundle, after: Bundle) -> list[str]:
    """What changed from one to the other, a line a change: fields, columns, look-ups, reading."""
    return [
        *_fills(before.crosswalk.all_fills(), after.crosswalk.all_fills()),
        *_columns(before.crosswalk.left_out, after.crosswalk.left_out),
        *_rules(before.crosswalk.identity.in_words(), after.crosswalk.identity.in_words()),
        *_rules(before.crosswalk.policy.in_words(), after.crosswalk.policy.in_words()),
        *_named("value table", before.value_tables, after.value_tables, table_changes),
        *_named("category table", before.category_tables, after.category_tables, table_changes),
        *_named("price ladder", before.ladders, after.ladders, ladder_changes),
        *_named("rate", before.rates, after.rates, lambda a, b: [f"{a.rate} -> {b.rate}"]),
        *_named("steps", before.chains, after.chains, lambda a, b: ["changed"]),
        *(["the reading changed"] if before.reading != after.reading else []),
    ]


def _fills(before: Mapping[str, Fill], after: Mapping[str, Fill]) -> list[str]:
    said = []
    for name in dict.fromkeys([*before, *after]):
        old, new = before.get(name), after.get(name)
        if old == new:
            continue
        if old is None and new is not None:
            said.append(f"{name}: now filled, {describe(new)}")
        elif new is None and old is not None:
            said.append(f"{name}: no longer filled (was {describe(old)})")
        elif old is not None and new is not None:
            said.append(f"{name}: {_fill_change(old, new)}")
    return said


def _fill_change(old: Fill, new: Fill) -> str:
    if describe(old) != describe(new):
        return f"{describe(old)} -> {describe(new)}"
    if old.when_empty != new.when_empty:
        return f"an empty cell now {new.when_empty}s the store's value"
    if old.on_problem != new.on_problem:
        return f"a faulty value now {new.on_problem}s"
    return "settings of its steps changed"


def _rules(before: Sequence[str], after: Sequence[str]) -> list[str]:
    said = [f"the feed now {one}" for one in after if one not in before]
    return said + [f"the feed no longer {one}" for one in before if one not in after]


def _columns(before: Sequence[str], after: Sequence[str]) -> list[str]:
    said = [f"column '{c}' is left out" for c in after if c not in before]
    return said + [f"column '{c}' is no longer left out" for c in before if c not in after]


def _named(
    kind: str, before: Sequence[T], after: Sequence[T], say: Callable[[T, T], list[str]]
) -> list[str]:
    old, new = {x.name: x for x in before}, {x.name: x for x in after}
    said = [f"{kind} '{n}' came in" for n in new if n not in old]
    said += [f"{kind} '{n}' is no longer used" for n in old if n not in new]
    for name, one in new.items():
        if name in old and old[name] != one:
            said += [f"{kind} '{name}': {line}" for line in say(old[name], one)]
    return said


def table_changes(old: ValueTable | CategoryTable, new: ValueTable | CategoryTable) -> list[str]:
    """What changed in a table: entries by count, and its rule."""
    a = old.entries if isinstance(old, ValueTable) else old.placements
    b = new.entries if isinstance(new, ValueTable) else new.placements
    added, gone = [k for k in b if k not in a], [k for k in a if k not in b]
    moved = [k for k in b if k in a and a[k] != b[k]]
    said = [f"+{len(added)} ({_some(added, b)})"] if added else []
    said += [f"-{len(gone)} ({', '.join(gone[:3])})"] if gone else []
    said += [f"{len(moved)} changed ({_some(moved, b)})"] if moved else []
    rule_old = old.model_copy(update=_EMPTY).model_dump()
    rule_new = new.model_copy(update=_EMPTY).model_dump()
    said += [f"{k} is now '{v}'" for k, v in rule_new.items() if rule_old.get(k) != v]
    return said


_EMPTY: dict[str, dict[str, str]] = {"entries": {}, "placements": {}}


def _some(words: list[str], table: Mapping[str, str]) -> str:
    shown = [f"{w} = {table[w] or 'not sold'}" for w in words[:3]]
    return ", ".join(shown) + (", ..." if len(words) > 3 else "")


def ladder_changes(old: Ladder, new: Ladder) -> list[str]:
    """What changed in a ladder: its rungs, rules and limits."""
    said = []
    if old.rungs != new.rungs:
        said.append(f"rungs {_rungs(old.rungs)} -> {_rungs(new.rungs)}")
    for name, value in new.model_dump(exclude={"rungs", "rules"}).items():
        if getattr(old, name) != getattr(new, name):
            said.append(f"{name.replace('_', ' ')} {_short(getattr(old, name))} -> {_short(value)}")
    if old.rules != new.rules:
        was, now = [r.name for r in old.rules], [r.name for r in new.rules]
        said.append(f"rules {', '.join(was) or 'none'} -> {', '.join(now) or 'none'}")
    return said


def _short(value: object) -> str:
    if isinstance(value, BaseModel):
        value = value.model_dump()
    if isinstance(value, dict):
        return ", ".join(f"{k.replace('_', ' ')} {v}" for k, v in value.items() if v) or "none"
    return str(value) or "none"


def _rungs(rungs: tuple[Rung, ...]) -> str:
    return "; ".join(f"from {r.start} {r.kind} {r.amount}" for r in rungs)


def lookup_changes(old: BaseModel | None, new: BaseModel) -> str:
    """What changed in one saved look-up, in a line."""
    if old is None:
        return "made"
    if isinstance(old, Ladder) and isinstance(new, Ladder):
        return "; ".join(ladder_changes(old, new))
    if isinstance(old, ValueTable | CategoryTable) and isinstance(new, ValueTable | CategoryTable):
        return "; ".join(table_changes(old, new))
    return "changed"
