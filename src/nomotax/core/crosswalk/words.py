"""Says in plain words how a field is filled."""

from __future__ import annotations

from nomotax.core.crosswalk.model import Fill


def describe_source(fill: Fill) -> str:
    """The source: column names as they stand, own text in quotes."""
    if not fill.parts:
        return "nothing"
    if not fill.columns:
        return f"always '{''.join(p.text or '' for p in fill.parts)}'"
    return " + ".join(p.column if p.column is not None else f"'{p.text}'" for p in fill.parts)


def describe_steps(fill: Fill) -> list[str]:
    """Each step that is on, in order."""
    return [step.describe() for step in fill.steps if not step.off]


def describe(fill: Fill) -> str:
    """The whole fill: ``Cost EUR · number · price ladder 'standard'``."""
    return " · ".join([describe_source(fill), *describe_steps(fill)])
