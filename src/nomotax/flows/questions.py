"""Open questions: what still needs a person, most products first."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import BaseModel

from nomotax.core.crosswalk.suggest import Suggestion
from nomotax.core.errors import CrosswalkError
from nomotax.core.lookups.suggest import Proposal
from nomotax.flows.bench import bench_state
from nomotax.flows.decisions import decided
from nomotax.flows.placing import category_views, value_tables
from nomotax.flows.workbench import Workbench, open_workbench

Kind = Literal[
    "reading", "field", "column", "value", "category", "missing_column", "broken", "problem"
]


class Question(BaseModel):
    """``subject`` is the field, column, word or path that is asked about; ``table`` the look-up
    that would remember the answer; ``touches`` counts products. One put off till ``later`` still
    holds its products."""

    kind: Kind
    subject: str
    touches: int
    text: str
    field: str = ""
    table: str = ""
    options: list[str] = []
    proposals: list[Proposal] = []
    suggestion: Suggestion | None = None
    later: bool = False


def open_questions(feed_id: int, delivery_id: int | None = None) -> list[Question]:
    """Everything that needs an answer before this delivery is wholly mapped."""
    state = bench_state(feed_id, delivery_id)
    bench = open_workbench(feed_id, delivery_id)
    by_field = {s.field: s for s in state.suggestions}
    by_column = {s.column: s for s in state.suggestions}
    found = _reading(bench)
    found += [
        Question(
            kind="missing_column",
            subject=column,
            touches=state.rows,
            text=f"The column '{column}' did not arrive; it feeds {', '.join(fields)}.",
            field=fields[0],
        )
        for column, fields in state.missing.items()
    ]
    found += [
        Question(
            kind="field",
            subject=f.field.name,
            touches=state.rows,
            text=f"{f.field.label} is required and nothing fills it.",
            field=f.field.name,
            suggestion=by_field.get(f.field.name),
        )
        for f in state.fields
        if f.field.required and not f.source
    ]
    found += [
        Question(
            kind="broken",
            subject=f.field.name,
            touches=state.rows,
            text=f"{f.field.label} cannot be filled: {f.error}",
            field=f.field.name,
        )
        for f in state.fields
        if f.error
    ]
    filled = {c.name: c.filled for c in state.columns}
    found += [
        Question(
            kind="column",
            subject=column,
            touches=filled.get(column, 0),
            text=f"Nothing uses the column '{column}' yet.",
            suggestion=by_column.get(column),
        )
        for column in state.undecided
    ]
    if not state.error:
        found += _words(feed_id, delivery_id) + _paths(feed_id, delivery_id)
        found += _held(bench)
    put_off = {subject for subject, _ in decided(feed_id, "later")}
    found = [q.model_copy(update={"later": f"{q.kind}:{q.subject}" in put_off}) for q in found]
    return sorted(
        found, key=lambda q: (q.later, q.kind != "reading", -q.touches, q.kind, q.subject)
    )


def _reading(bench: Workbench) -> list[Question]:
    """A file that broke off is taken as it is by a person, or by nobody."""
    if bench.delivery.complete or bench.delivery.accepted:
        return []
    said = [p["message"] for p in bench.delivery.problems if p["kind"] == "broken_off"]
    return [
        Question(
            kind="reading",
            subject=bench.delivery.file_name,
            touches=bench.delivery.rows,
            text=said[0] if said else "The file broke off; what stands before can be looked at.",
        )
    ]


def _words(feed_id: int, delivery_id: int | None) -> list[Question]:
    return [
        Question(
            kind="value",
            subject=word.arriving,
            touches=word.count,
            text=f"{view.field_label} '{word.arriving}' has no store value.",
            field=view.field,
            table=view.table,
            options=view.allowed,
            proposals=word.proposals,
        )
        for view in value_tables(feed_id, delivery_id)
        if view.otherwise == "ask"
        for word in view.words
        if word.word is None
    ]


#: Problems that have a question of their own kind.
_ASKED = ("unlisted_value", "unplaced_category", "missing", "cannot_run")


def _held(bench: Workbench) -> list[Question]:
    """What holds rows for another reason: a wrong currency, an old rate, a condition, a price
    between its limits; one question for each reason of a field."""
    held = bench.problems.filter(
        (pl.col("severity") == "question") & ~pl.col("kind").is_in(_ASKED) & (pl.col("field") != "")
    )
    groups = held.group_by("field", "kind").agg(
        pl.col("row").n_unique().alias("rows"),
        pl.col("message").first(),
        pl.col("seen").drop_nulls().unique().head(3).alias("seen"),
    )
    return [
        Question(
            kind="problem",
            subject=f"{r['field']} {r['kind']}",
            touches=r["rows"],
            text=f"{r['message']}.",
            field=r["field"],
            options=r["seen"],
        )
        for r in groups.iter_rows(named=True)
    ]


def _paths(feed_id: int, delivery_id: int | None) -> list[Question]:
    return [
        Question(
            kind="category",
            subject=row.path,
            touches=row.own,
            text=f"'{row.path}' has no store category.",
            field=view.field,
            table=view.table,
            options=view.store,
            proposals=row.proposals,
        )
        for view in category_views(feed_id, delivery_id)
        for row in view.arriving
        if row.place is None and row.own
    ]


def count_open(feed_id: int, delivery_id: int | None = None) -> int:
    """How many questions are open and not put off."""
    try:
        return sum(not q.later for q in open_questions(feed_id, delivery_id))
    except CrosswalkError:
        return 1
