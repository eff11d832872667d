"""A person's word for what a fill takes for granted, put into the fill's own steps."""

from __future__ import annotations

from collections.abc import Callable

from nomotax.core.crosswalk.assumptions import About, Assumption
from nomotax.core.crosswalk.model import Crosswalk, Fill, Since, Step
from nomotax.core.crosswalk.steps.currency import Amount, Exchange
from nomotax.core.crosswalk.steps.lists import Split
from nomotax.core.crosswalk.steps.measures import Measure
from nomotax.core.crosswalk.steps.text import Affix
from nomotax.core.crosswalk.steps.values import Convert, Date, Number
from nomotax.core.errors import CrosswalkError
from nomotax.core.money.currencies import codes
from nomotax.core.schema.model import Role, StoreField, StoreSchema
from nomotax.core.units.table import UNITS

Steps = tuple[Step, ...]


def state(fill: Fill, field: StoreField, about: About, choice: str) -> Fill:
    """The fill with ``choice`` in its steps, and the assumption confirmed. Every other step stays;
    a column that said otherwise is not asked any more.

    Raises ``CrosswalkError`` for a choice that is none: an unknown unit, one of another dimension.
    """
    steps = fill.steps
    if about == "since":
        fill = _since(fill, choice)
    else:
        steps = _STATED[about](steps, field, choice)
    said = Assumption(about=about, says=_says(about, choice), choice=choice, state="confirmed")
    others = tuple(a for a in fill.assumptions if a.about != about)
    return fill.model_copy(update={"steps": steps, "assumptions": (*others, said)})


def _says(about: About, choice: str) -> str:
    if about == "prefix":
        return f"'{choice}' goes in front, as chosen" if choice else "codes stay, as chosen"
    if about in ("path", "list"):
        return f"cut at '{choice}', as chosen" if choice else "not cut, as chosen"
    if about == "numbers":
        return f"read with a decimal {choice}, as chosen"
    return f"read as {choice}, as chosen"


def _unit(steps: Steps, field: StoreField, choice: str) -> Steps:
    target = field.unit or ""
    if choice not in UNITS or UNITS[choice].dimension != field.dimension:
        raise CrosswalkError(
            f"{choice!r} is no unit of {field.dimension}.", remedy="Choose a listed one."
        )
    if any(isinstance(s, Measure) for s in steps):
        return tuple(
            s.model_copy(update={"stated": choice, "column": ""}) if isinstance(s, Measure) else s
            for s in steps
        )
    made = Convert(source=choice, target=target) if choice != target else None
    return _converted(steps, Convert, made)


def _currency(steps: Steps, field: StoreField, choice: str) -> Steps:
    target = field.currency or ""
    if choice not in codes():
        raise CrosswalkError(
            f"{choice!r} is no currency.", remedy="Write its code (ISO 4217), such as EUR."
        )
    if any(isinstance(s, Amount) for s in steps):
        stated = {"currency": choice, "column": "", "into": target}
        return tuple(s.model_copy(update=stated) if isinstance(s, Amount) else s for s in steps)
    made = Exchange(source=choice, target=target) if choice != target else None
    return _converted(steps, Exchange, made)


def _converted(steps: Steps, kind: type, made: Step | None) -> Steps:
    """The conversion in place of the one that is there, else right behind the number."""
    wanted = (made,) if made is not None else ()
    at = next((i for i, s in enumerate(steps) if isinstance(s, kind)), None)
    if at is not None:
        return (*steps[:at], *wanted, *steps[at + 1 :])
    number = next((i for i, s in enumerate(steps) if isinstance(s, Number)), None)
    if number is None:
        return (Number(), *wanted, *steps)
    return (*steps[: number + 1], *wanted, *steps[number + 1 :])


def _numbers(steps: Steps, field: StoreField, choice: str) -> Steps:
    if choice not in ("comma", "point"):
        raise CrosswalkError("Numbers have a decimal comma or a decimal point.")
    if not any(isinstance(s, Number) for s in steps):
        return (Number.model_validate({"style": choice}), *steps)
    return tuple(
        s.model_copy(update={"style": choice}) if isinstance(s, Number) else s for s in steps
    )


def _date(steps: Steps, field: StoreField, choice: str) -> Steps:
    if choice not in ("dmy", "mdy", "ymd"):
        raise CrosswalkError("An order of dates is dmy, mdy or ymd.")
    return tuple(
        s.model_copy(update={"order": choice}) if isinstance(s, Date) else s for s in steps
    )


def _since(fill: Fill, choice: str) -> Fill:
    if fill.since is None:
        raise CrosswalkError("The values of this field hold at once; no column says from when on.")
    _date((), StoreField(name="day"), choice)
    since = Since.model_validate(fill.since.model_dump() | {"order": choice})
    return fill.model_copy(update={"since": since})


def _prefix(steps: Steps, field: StoreField, choice: str) -> Steps:
    at, there = next(
        ((i, s) for i, s in enumerate(steps) if isinstance(s, Affix)), (len(steps), Affix())
    )
    made = (there.model_copy(update={"before": choice}),) if choice or there.after else ()
    return (*steps[:at], *made, *steps[at + 1 :])


def _list(steps: Steps, field: StoreField, choice: str) -> Steps:
    others = tuple(s for s in steps if not isinstance(s, Split))
    return (Split(at=choice), *others) if choice else others


def _path(steps: Steps, field: StoreField, choice: str) -> Steps:
    return steps  # the sign between the levels is the category table's


_STATED: dict[About, Callable[[Steps, StoreField, str], Steps]] = {
    "unit": _unit,
    "currency": _currency,
    "numbers": _numbers,
    "date": _date,
    "prefix": _prefix,
    "list": _list,
    "path": _path,
}


def doubted(crosswalk: Crosswalk, schema: StoreSchema, origin: str) -> Crosswalk:
    """A copied crosswalk: what was true of the other supplier (its prefix, its money, its units)
    waits until a person has said that it is of this one as well."""
    fills = {
        name: _doubted(fill, schema[name], origin) if name in schema else fill
        for name, fill in crosswalk.fills.items()
    }
    return crosswalk.model_copy(update={"fills": fills})


def _doubted(fill: Fill, field: StoreField, origin: str) -> Fill:
    facts = dict(_supplier_facts(fill, field))
    if not facts:
        return fill
    others = [a for a in fill.assumptions if a.about not in facts]
    made = [
        Assumption(about=about, says=f"{says}, as for {origin}", choice=choice, state="open")
        for about, (choice, says) in facts.items()
    ]
    return fill.model_copy(update={"assumptions": (*others, *made)})


def _supplier_facts(fill: Fill, field: StoreField) -> list[tuple[About, tuple[str, str]]]:
    found: list[tuple[About, tuple[str, str]]] = []
    for step in fill.steps:
        if isinstance(step, Affix) and step.before and field.role is Role.KEY:
            found.append(("prefix", (step.before, f"'{step.before}' goes in front")))
        elif isinstance(step, Exchange):
            found.append(("currency", (step.source, f"read as {step.source}")))
        elif isinstance(step, Amount) and step.currency:
            found.append(("currency", (step.currency, f"read as {step.currency}")))
        elif isinstance(step, Convert):
            found.append(("unit", (step.source, f"read as {step.source}")))
        elif isinstance(step, Measure) and step.stated:
            found.append(("unit", (step.stated, f"read as {step.stated}")))
    return found
