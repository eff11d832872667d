"""Fills made from evidence, and a person's word for what they take for granted."""

from __future__ import annotations

from nomotax.core.crosswalk.assumptions import About
from nomotax.core.crosswalk.making import made_instead, made_since, make_fill
from nomotax.core.crosswalk.model import Fill
from nomotax.core.crosswalk.stating import state
from nomotax.core.errors import NotFound
from nomotax.core.reading.profile import ColumnProfile
from nomotax.flows.bench import save_draft
from nomotax.flows.levels import table_of
from nomotax.flows.workbench import Workbench, open_workbench


def made_fill(feed_id: int, field: str, column: str, delivery_id: int | None = None) -> Fill:
    """The fill that a column makes for a field, as a suggestion would make it; for a field that is
    filled already, with the column in place of its source.

    Raises ``NotFound`` for a field or a column that is not there.
    """
    bench = open_workbench(feed_id, delivery_id)
    if field not in bench.schema:
        raise NotFound(f"The store schema has no field {field!r}.")
    profile = _profile(bench, column)
    present = bench.crosswalk.fills.get(field)
    if present is not None:
        return made_instead(bench.schema[field], present, profile, bench.evidence)
    return make_fill(bench.schema[field], profile, bench.evidence)


def dated_fill(feed_id: int, field: str, column: str, delivery_id: int | None = None) -> Fill:
    """The fill of a field with a column that says from which day its values hold; "" for at once.

    Raises ``NotFound`` for a field that nothing fills, or a column that is not there.
    """
    bench = open_workbench(feed_id, delivery_id)
    present = bench.crosswalk.fills.get(field)
    if present is None:
        raise NotFound(f"Nothing fills the field {field!r}.")
    return made_since(present, _profile(bench, column) if column else None)


def _profile(bench: Workbench, column: str) -> ColumnProfile:
    profile = next((p for p in bench.profiles if p.name == column), None)
    if profile is None:
        raise NotFound(f"This delivery has no column {column!r}.")
    return profile


def state_assumption(
    feed_id: int, fields: list[str], about: About, choice: str, revision: int
) -> None:
    """Put a person's choice into the fills of these fields.

    Raises ``NotFound`` for a field that nothing fills, ``CrosswalkError`` for a choice that is
    none, ``Conflict`` when somebody else has edited since ``revision``.
    """
    bench = open_workbench(feed_id)
    fills = dict(bench.crosswalk.fills)
    cut: dict[str, str] = {}
    for name in fields:
        if name not in fills or name not in bench.schema:
            raise NotFound(f"Nothing fills the field {name!r}.")
        fills[name] = state(fills[name], bench.schema[name], about, choice)
        if about == "path":
            cut[table_of(fills[name])] = choice
    save_draft(feed_id, bench.crosswalk.model_copy(update={"fills": fills}), revision, cut=cut)
