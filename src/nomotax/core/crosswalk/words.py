"""Says in plain words how a field is filled."""

from __future__ import annotations

from nomotax.core.crosswalk.model import Fact, Fill, Part
from nomotax.core.crosswalk.policy import WRITTEN


def describe_source(fill: Fill) -> str:
    """The source: column names as they stand, own text in quotes."""
    if not fill.parts:
        begins = [s for s in fill.steps if s.begins() and not s.off]
        formula = any(s.do == "formula" for s in begins)
        return "a formula" if formula else begins[-1].describe() if begins else "nothing"
    if all(p.text is not None for p in fill.parts):
        return f"always '{''.join(p.text or '' for p in fill.parts)}'"
    return " + ".join(_part(p) for p in fill.parts)


def _part(part: Part) -> str:
    if part.column is not None:
        return part.column
    if part.field is not None:
        return f"={part.field}"
    if part.fact is not None:
        return f"the {FACTS[part.fact]}"
    return f"'{part.text}'"


#: Facts in plain words.
FACTS: dict[Fact, str] = {
    "row": "row number",
    "feed": "feed's name",
    "supplier": "supplier's name",
    "supplier_code": "supplier's code",
    "received": "day it was received",
}


def describe_source_and_rule(fill: Fill) -> str:
    """The source, when the field is written, unless that is always, and from when on it holds."""
    source = describe_source(fill) + (f", from '{fill.since.column}' on" if fill.since else "")
    return source if fill.writes == "always" else f"{source}, {WRITTEN[fill.writes]}"


def describe_steps(fill: Fill) -> list[str]:
    """Each step that is on, in order."""
    return [step.describe() for step in fill.steps if not step.off]


def describe(fill: Fill) -> str:
    """The whole fill: ``Cost EUR · number · price ladder 'standard'``."""
    written = [] if fill.writes == "always" else [f"written {WRITTEN[fill.writes]}"]
    since = [f"from '{fill.since.column}' on"] if fill.since else []
    return " · ".join([describe_source(fill), *describe_steps(fill), *written, *since])
