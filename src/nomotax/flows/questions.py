"""Open questions: what still needs a person, most products first."""

from __future__ import annotations

from collections.abc import Hashable
from typing import Literal

import polars as pl
from pydantic import BaseModel

from nomotax.core.crosswalk.assumptions import About, Assumption
from nomotax.core.errors import CrosswalkError
from nomotax.core.matching.rows import WAITING
from nomotax.core.suggest.fills import Suggestion
from nomotax.core.suggest.weighing import Proposal
from nomotax.flows.assumed import choices, open_assumptions
from nomotax.flows.bench import state_of
from nomotax.flows.placing import place_views, value_views
from nomotax.flows.workbench import Workbench, open_workbench
from nomotax.records.database import database_url, session
from nomotax.records.stamps import Stamp, workbench_stamp

Kind = Literal[
    "reading",
    "field",
    "column",
    "table",
    "value",
    "category",
    "missing_column",
    "broken",
    "problem",
    "assumption",
    "matching",
]


class Question(BaseModel):
    """``fields`` are those that an assumption ``about`` something holds, asked together.
    ``subject`` is the field, column, word or path that is asked about; ``table`` the look-up
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
    about: About | None = None
    fields: list[str] = []
    later: bool = False


def open_questions(feed_id: int, delivery_id: int | None = None) -> list[Question]:
    """Everything that needs an answer before this delivery is wholly mapped."""
    bench = open_workbench(feed_id, delivery_id)
    return bench.remembered("questions", lambda: _questions_of(bench))


def _questions_of(bench: Workbench) -> list[Question]:
    state = state_of(bench)
    # Best first: a column is asked about with the field that it fits best.
    by_field = {s.field: s for s in reversed(state.suggestions)}
    by_column = {s.column: s for s in reversed(state.suggestions)}
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
        if f.field.required and not f.source and _asks(bench, f.field.name)
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
    tables = _by_table(bench, [c for c in state.undecided if c not in by_column])
    found += [
        Question(
            kind="table",
            subject=name,
            touches=max(filled.get(c, 0) for c in columns),
            text=f"Nothing uses {len(columns)} columns of {name} yet.",
            options=columns,
        )
        for name, columns in tables.items()
    ]
    together = {c for columns in tables.values() for c in columns}
    found += [
        Question(
            kind="column",
            subject=column,
            touches=filled.get(column, 0),
            text=f"Nothing uses the column '{column}' yet.",
            suggestion=by_column.get(column),
        )
        for column in state.undecided
        if column not in together
    ]
    if not state.error:
        found += _words(bench) + _paths(bench)
        found += _held(bench) + _assumed(bench) + _unmatched(bench)
    put_off = {subject for subject, _ in bench.decided("later")}
    found = [q.model_copy(update={"later": f"{q.kind}:{q.subject}" in put_off}) for q in found]
    return sorted(
        found, key=lambda q: (q.later, q.kind != "reading", -q.touches, q.kind, q.subject)
    )


def _asks(bench: Workbench, name: str) -> bool:
    """Whether rows need a field: where they find their products otherwise, only those that make
    one need a key."""
    crosswalk = bench.crosswalk
    keyless = crosswalk.policy.products == "change" or crosswalk.identity.unmatched == "wait"
    return name != bench.schema.key or not (crosswalk.identity.ways and keyless)


def _unmatched(bench: Workbench) -> list[Question]:
    """Rows that wait to find their products are decided in a place of their own."""
    waits = bench.problems.filter(pl.col("kind").is_in(WAITING))
    rows = waits["row"].n_unique()
    if not rows:
        return []
    kinds = waits.group_by("kind").agg(pl.col("row").n_unique())
    said = ", ".join(f"{n} {WAITING[kind]}" for kind, n in sorted(kinds.iter_rows()))
    text = f"Rows wait to find their products: {said}."
    return [Question(kind="matching", subject="rows", touches=rows, text=text)]


def _reading(bench: Workbench) -> list[Question]:
    """A file that broke off is taken as it is by a person, or by nobody."""
    if bench.source.delivery.complete or bench.source.delivery.accepted:
        return []
    said = [p["message"] for p in bench.source.delivery.problems if p["kind"] == "broken_off"]
    return [
        Question(
            kind="reading",
            subject=bench.source.delivery.file_name,
            touches=bench.source.rows,
            text=said[0] if said else "The file broke off; what stands before can be looked at.",
        )
    ]


def _words(bench: Workbench) -> list[Question]:
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
        for view in value_views(bench)
        if view.otherwise == "ask"
        for word in view.words
        if word.word is None
    ]


#: Problems that have a question of their own kind.
_ASKED = ("unlisted_value", "unplaced_category", "missing", "cannot_run", *WAITING)


def _held(bench: Workbench) -> list[Question]:
    """What holds rows for another reason: a wrong currency, an old rate, a condition, a price
    between its limits; one question for each reason of a field."""
    asked = pl.col("kind").is_in(_ASKED) | pl.col("kind").str.starts_with("assumed_")
    held = bench.problems.filter(
        (pl.col("severity") == "question") & ~asked & (pl.col("field") != "")
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


def _assumed(bench: Workbench) -> list[Question]:
    """What no evidence settles. The money of a feed is asked for once, not for each of its
    columns."""
    rows = {(f, k): n for f, k, n in open_assumptions(bench).iter_rows()}
    groups: dict[tuple[str, ...], list[tuple[str, Assumption]]] = {}
    for name, fill in bench.runnable.fills.items():
        for one in fill.assumptions:
            if one.state == "open" and name in bench.schema:
                field = bench.schema[name]
                once = (one.about, one.choice, field.currency or "")
                key = once if one.about == "currency" else (one.about, name)
                groups.setdefault(key, []).append((name, one))
    return [_assumption(bench, members, rows) for members in groups.values()]


def _assumption(
    bench: Workbench, members: list[tuple[str, Assumption]], rows: dict[tuple[str, str], int]
) -> Question:
    names, (_, one) = [n for n, _ in members], members[0]
    labels = ", ".join(bench.schema[n].label for n in names)
    return Question(
        kind="assumption",
        subject=f"{one.about}:{','.join(names)}",
        touches=max(rows.get((n, f"assumed_{one.about}"), 0) for n in names),
        text=f"{labels}: {'; '.join(dict.fromkeys(a.says for _, a in members))}.",
        field=names[0],
        about=one.about,
        fields=names,
        options=choices(bench, bench.schema[names[0]], one.about, one.choice),
    )


def _by_table(bench: Workbench, columns: list[str]) -> dict[str, list[str]]:
    """The columns that came from a companion, by its name, where there are several: they are
    asked about once."""
    names = [own.name for own in bench.source.reading.companions]
    found = {n: [c for c in columns if c.startswith(f"{n}: ")] for n in names}
    return {name: own for name, own in found.items() if len(own) > 1}


def _paths(bench: Workbench) -> list[Question]:
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
        for view in place_views(bench)
        for row in view.arriving
        if row.place is None and row.own
    ]


#: How many questions each feed had, with the stamp of what they hang on: the first screen asks
#: for all feeds, more than are kept open.
_counts: dict[Hashable, tuple[Stamp | None, int]] = {}


def count_open(feed_id: int, delivery_id: int | None = None, known: bool = False) -> int | None:
    """How many questions are open and not put off; None where that would have to be found out and
    only what is ``known`` is asked for."""
    key = (database_url(), feed_id, delivery_id or 0)
    with session() as db:
        stamp = workbench_stamp(db, feed_id, delivery_id)
    if key not in _counts or _counts[key][0] != stamp:
        if known:
            return None
        _counts[key] = stamp, _count(feed_id, delivery_id)
    return _counts[key][1]


def _count(feed_id: int, delivery_id: int | None) -> int:
    try:
        return sum(not q.later for q in open_questions(feed_id, delivery_id))
    except CrosswalkError:
        return 1
