"""Where a value comes from: the cells it began as, and what every step made of them."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from pydantic import BaseModel

from nomotax.core.crosswalk.compiler import Cell, Plan, as_text
from nomotax.core.crosswalk.model import Fill, Step
from nomotax.core.crosswalk.words import describe_source
from nomotax.core.flow.context import Lookups
from nomotax.core.kinds import FieldKind


class TraceStep(BaseModel):
    """A step and the value after it. ``rule`` is the row, branch or rung that decided, and
    ``table`` the look-up it stands in; ``entry`` is what arrives in the entry that decided, ""
    where there is none; ``numbers`` are those on the way."""

    label: str
    value: str | None
    table: str = ""
    kind: str = ""
    entry: str = ""
    rule: str = ""
    numbers: list[Cell] = []


class Behind(BaseModel):
    """The entry of a look-up that a value is: ``kind`` is *value_table*, *category_table* or
    *ladder*, ``word`` what arrived there, as the table names it where it does."""

    kind: str
    table: str
    word: str


class Trace(BaseModel):
    """The way of one value. ``row`` is that of the delivery, from 1; ``behind`` is the look-up that
    decided it, null where none has, or several words make the value."""

    field: str
    title: str
    row: int
    cells: list[Cell]
    fields: list[Cell]
    steps: list[TraceStep]
    value: str | None
    behind: Behind | None = None


#: Steps that look a value up, and fields that hold several words, none of which is the value.
_DECIDES = ("value_table", "category_table", "ladder")
_SEVERAL = (FieldKind.LINKS, FieldKind.TEXTS, FieldKind.CATEGORIES, FieldKind.OPTIONS)


def trace(plan: Plan, arriving: pl.DataFrame, name: str, lookups: Lookups) -> Trace:
    """The way of field ``name`` for the one row of ``arriving``. Raises ``KeyError`` for a field
    that the plan does not fill."""
    one = plan[name]
    stages = plan.stages(arriving, name).row(0)
    notes = plan.notes(arriving, name)
    before, steps = stages[0], [TraceStep(label=describe_source(one.fill), value=stages[0])]
    on = [s for s in one.fill.steps if not s.off]
    for index, step in enumerate(on, 1):
        if index >= len(stages) - 1:
            break
        steps.append(_step(step, before, stages[index], notes.get(index, []), lookups))
        before = stages[index]
    return Trace(
        field=name,
        title=one.field.label,
        row=arriving["__row"][0],
        cells=[Cell(column=c, value=arriving[c][0]) for c in one.fill.columns if c in arriving],
        fields=_other_fields(plan, arriving, one.fill),
        steps=steps,
        value=stages[-1],
        behind=behind(steps, stages[-1]) if one.field.kind not in _SEVERAL else None,
    )


def behind(steps: Sequence[TraceStep], value: str | None) -> Behind | None:
    """The look-up that decided a value, if no step after it has made another of it."""
    at = max((n for n, step in enumerate(steps) if step.kind in _DECIDES), default=0)
    if not at or any(step.value != steps[at].value for step in steps[at:]):
        return None
    word = steps[at].entry or steps[at - 1].value
    if word is None or value != steps[at].value:
        return None
    return Behind(kind=steps[at].kind, table=steps[at].table, word=word)


def _other_fields(plan: Plan, arriving: pl.DataFrame, fill: Fill) -> list[Cell]:
    wanted = [f for f in fill.fields if f in plan.fields]
    if not wanted:
        return []
    filled = plan.fill(arriving)
    texts = filled.select(as_text(plan[f].field, pl.col(f)).alias(f) for f in wanted)
    return [Cell(column=f, value=texts[f][0]) for f in wanted]


def _step(
    step: Step, before: str | None, after: str | None, numbers: list[Cell], lookups: Lookups
) -> TraceStep:
    made = TraceStep(label=step.describe(), value=after, numbers=numbers)
    if step.do == "value_table":
        table = lookups.value_tables.get(step.table)
        listed = table is not None and after is not None
        entry = table.listed(before) if table is not None and before is not None else ""
        rule = f"'{before}' = '{after}'" if listed else f"'{before}' is not listed"
        return made.model_copy(
            update={"table": step.table, "kind": step.do, "entry": entry, "rule": rule}
        )
    if step.do == "category_table":
        tree = lookups.category_tables[step.table]
        place, by = tree.resolve(before or "")
        rule = f"the branch '{by}' is placed in '{place}'" if by else "no branch of it is placed"
        entry = tree.listed(by) if by else ""
        return made.model_copy(
            update={"table": step.table, "kind": step.do, "entry": entry, "rule": rule}
        )
    if step.do == "ladder":
        rule = _rung(step.ladder, numbers, lookups)
        return made.model_copy(update={"table": step.ladder, "kind": step.do, "rule": rule})
    if step.do == "exchange":
        rate = lookups.rate(step.source, step.target)
        rule = f"rate {rate.rate} of {rate.day}, {rate.origin}" if rate else ""
        return made.model_copy(update={"table": f"{step.source}/{step.target}", "kind": "rate",
                                       "rule": rule})  # fmt: skip
    return made


def _rung(name: str, numbers: list[Cell], lookups: Lookups) -> str:
    found = {n.column: n.value for n in numbers}
    ladder = lookups.ladders[name]
    rule = next((r for r in ladder.rules if r.name == found.get("rule")), None)
    rungs = rule.rungs if rule else ladder.rungs
    at = found.get("rung")
    if at is None:
        return ""
    rung = rungs[int(at)]
    said = f"from {rung.start}: {rung.kind} {rung.amount}"
    return f"rule '{rule.name}', {said}" if rule else said
