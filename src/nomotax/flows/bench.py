"""The bench: fields and how they are filled, rows side by side, one field in detail."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl
from pydantic import BaseModel

from nomotax.core.crosswalk.compiler import Effect, Plan, as_text
from nomotax.core.crosswalk.demands import asked_fields
from nomotax.core.crosswalk.model import Crosswalk, Fill
from nomotax.core.crosswalk.policy import WRITTEN
from nomotax.core.crosswalk.words import (
    describe_source,
    describe_source_and_rule,
    describe_steps,
)
from nomotax.core.errors import Conflict, CrosswalkError, NotFound
from nomotax.core.formula.evaluate import Written
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.reading.profile import ColumnProfile, ValueCount
from nomotax.core.schema.model import StoreField
from nomotax.core.suggest.fills import Suggestion, price_from_cost, suggest
from nomotax.core.table import FAULT, ROW
from nomotax.flows.assumed import choices
from nomotax.flows.levels import with_levels
from nomotax.flows.workbench import Workbench, open_workbench
from nomotax.records.crosswalks import Crosswalks, draft_of
from nomotax.records.database import session
from nomotax.records.decisions import Decisions
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id

_DISTINCT = 40


class FieldState(BaseModel):
    """One store field on the bench. Counts are over ``BenchState.sample_rows`` rows; ``accepted``
    says that its fill was taken together with others, and nobody has looked at it since."""

    field: StoreField
    source: str
    steps: list[str]
    columns: list[str]
    filled: int
    questions: int
    refused: int
    accepted: bool = False
    error: str = ""


class BenchState(BaseModel):
    """``rows`` counts the delivery; ``sample_rows`` what the shares are measured on."""

    feed_id: int
    feed_name: str
    supplier: str
    delivery_id: int
    file_name: str
    rows: int
    sample_rows: int
    revision: int
    crosswalk: Crosswalk
    columns: list[ColumnProfile]
    fields: list[FieldState]
    missing: dict[str, list[str]]
    undecided: list[str]
    suggestions: list[Suggestion]
    error: str = ""


def bench_state(feed_id: int, delivery_id: int | None = None) -> BenchState:
    """The whole list beside the sheets. A crosswalk that cannot run is told, not raised."""
    return state_of(open_workbench(feed_id, delivery_id))


def state_of(bench: Workbench) -> BenchState:
    """The same of a workbench at hand."""
    error, counts = "", pl.DataFrame(schema={"field": pl.String, "severity": pl.String})
    filled: dict[str, int] = {}
    try:
        counts = bench.problems.group_by("field", "severity").agg(pl.col("row").n_unique())
        filled = bench.filled.select(pl.col(bench.plan.fields).count()).row(0, named=True)
    except CrosswalkError as problem:
        error = str(problem)
    by_field = {(f, s): n for f, s, n in counts.iter_rows()} if not error else {}
    return BenchState(
        feed_id=known_id(bench.source.feed),
        feed_name=bench.source.feed.name,
        supplier=bench.source.supplier,
        delivery_id=bench.source.delivery.id or 0,
        file_name=bench.source.delivery.file_name,
        rows=bench.source.rows,
        sample_rows=bench.sample.height,
        revision=bench.record.revision,
        crosswalk=bench.crosswalk,
        columns=bench.profiles,
        fields=[
            _field_state(bench, f, filled, by_field)
            for f in asked_fields(bench.schema, bench.crosswalk)
        ],
        missing=bench.missing,
        undecided=bench.crosswalk.undecided(bench.source.columns),
        suggestions=_suggestions(bench),
        error=error,
    )


def _field_state(
    bench: Workbench,
    field: StoreField,
    filled: dict[str, int],
    problems: dict[tuple[str, str], int],
) -> FieldState:
    fill = bench.crosswalk.all_fills().get(field.name)
    source = [describe_source_and_rule(fill)] if fill else []
    if fill and field.writes != "always":
        source = [f"{source[0]}; by any feed {WRITTEN[field.writes]}"]
    rule = bench.crosswalk.identity.new_key
    if rule is not None and field.name == bench.schema.key:
        source.append(rule.in_words())
    return FieldState(
        field=field,
        source=", else ".join(source),
        steps=describe_steps(fill) if fill else [],
        columns=fill.columns if fill else [],
        error=str(bench.broken.get(field.name, "")),
        filled=filled.get(field.name, 0),
        questions=problems.get((field.name, "question"), 0),
        refused=problems.get((field.name, "refuse"), 0),
        accepted=(f"field:{field.name}", fill.columns[0] if fill and fill.columns else "")
        in bench.decided("accepted"),
    )


def _suggestions(bench: Workbench) -> list[Suggestion]:
    """Suggestions for open fields, the price worked out from cost among them."""
    refused = refused_columns(bench)
    found = suggest(bench.schema, bench.ranking, bench.crosswalk, refused)
    price = price_from_cost(bench.schema, bench.ranking, list(bench.lookups.ladders))
    if price and (price.field, price.column) not in refused:
        asked = any(s.field == price.field and s.column != price.column for s in found)
        if not asked and price.field not in bench.crosswalk.fills:
            found = [*(s for s in found if s.field != price.field), price]
    return sorted(found, key=lambda s: -s.score)


def refused_columns(bench: Workbench) -> set[tuple[str, str]]:
    """Pairs of field and column that a person has refused."""
    refused = bench.decided("refused")
    return {(s.removeprefix("field:"), p) for s, p in refused if s.startswith("field:")}


def save_draft(
    feed_id: int,
    crosswalk: Crosswalk,
    revision: int,
    accepted: Sequence[str] = (),
    cut: Mapping[str, str] | None = None,
) -> int:
    """Keep an edit of the crosswalk and give the new revision; the fills of ``accepted`` fields
    are suggestions taken together.

    Look-up tables that a step names for the first time are made, empty. The paths of a category
    table are cut at the sign that is found in them, or at that of ``cut``. Raises ``Conflict`` when
    somebody else has edited since ``revision``, ``CrosswalkError`` for an unknown field.
    """
    with session() as db:
        walks = Crosswalks(db, Feeds.holding(db, feed_id).store_id)
        record = walks.from_feed(feed_id, alone=True)
        if record.revision != revision:
            raise Conflict(
                "This crosswalk was edited elsewhere in the meantime.",
                where=f"revision {revision}, now {record.revision}",
                remedy="Load it again; your last change was not kept.",
            )
        before = draft_of(record)
        crosswalk, found = with_levels(feed_id, before, crosswalk)
        # In one transaction with the draft: no step names a table that is not there.
        _make_missing_tables(LookupsRepository(db, walks.store_id), crosswalk)
        _cut(LookupsRepository(db, walks.store_id), found | dict(cut or {}))
        _mark(Decisions(db, record), before.fills, crosswalk.fills, accepted)
        walks.edit(record, crosswalk.with_resting(before, Stores(db).schema(walks.store_id)))
        return record.revision


def _mark(
    decisions: Decisions,
    before: Mapping[str, Fill],
    after: Mapping[str, Fill],
    accepted: Sequence[str],
) -> None:
    """Fills taken together are marked until they are looked at; one that a person changes is
    not."""
    changed = [n for n in {*before, *after} if before.get(n) != after.get(n)]
    now = {f"field:{n}": c for n in accepted if n in after for c in after[n].columns[:1]}
    decisions.settle("accepted", now, [f"field:{n}" for n in changed])


def accept_suggestions(feed_id: int, least: int = 0) -> int:
    """Fill every open field whose suggestion is sure; gives how many were filled."""
    bench = open_workbench(feed_id)
    chosen = [s for s in _suggestions(bench) if s.sure and s.score >= least]
    fills = bench.crosswalk.fills | {s.field: s.fill for s in chosen}
    save_draft(
        feed_id,
        bench.crosswalk.model_copy(update={"fills": fills}),
        bench.record.revision,
        [s.field for s in chosen],
    )
    return len(chosen)


def _make_missing_tables(lookups: LookupsRepository, crosswalk: Crosswalk) -> None:
    known = lookups.names()
    for fill in crosswalk.fills.values():
        for step in fill.steps:
            if step.do not in ("value_table", "category_table") or (step.do, step.table) in known:
                continue
            known.add((step.do, step.table))
            if step.do == "value_table":
                lookups.save(ValueTable(name=step.table))
            else:
                separator = next((a.choice for a in fill.assumptions if a.about == "path"), "")
                lookups.save(CategoryTable(name=step.table, separator=separator))


def _cut(lookups: LookupsRepository, cut: Mapping[str, str]) -> None:
    """Paths are cut at the sign that was found or chosen for their table."""
    tables = lookups.all().category_tables if cut else {}
    for name in cut.keys() & tables.keys():
        lookups.save(tables[name].model_copy(update={"separator": cut[name]}))


class Window(BaseModel):
    """Rows side by side. ``arriving`` follows the delivery's columns, ``results`` the fields in
    ``fields``; ``marks`` has one letter a result cell: ``.`` fine, ``q`` in question, ``r``
    refused, ``l`` left out, ``s`` skipped."""

    offset: int
    total: int
    rows: list[int]
    faults: list[str | None]
    columns: list[str]
    arriving: list[list[str | None]]
    fields: list[str]
    results: list[list[str | None]]
    marks: list[str]


_MARKS = {"question": "q", "refuse": "r", "leave_out": "l", "skipped": "s"}


def window(
    feed_id: int,
    delivery_id: int | None,
    offset: int,
    limit: int,
    only: str = "",
    search: str = "",
) -> Window:
    """Rows ``offset`` and following, of all or of those that ``only`` and ``search`` choose.

    ``only``: "problems", "questions", or the name of a field (rows with a problem there).
    ``search`` finds text in any arriving cell. Chosen rows come from the sample.
    """
    bench = open_workbench(feed_id, delivery_id)
    if only or search:
        chosen = _chosen(bench, only, search)
        total, arriving = chosen.height, chosen.slice(offset, limit)
    else:
        total, arriving = bench.source.rows, bench.source.window(offset, limit)
    plan = bench.plan
    filled = plan.fill(arriving)
    texts = filled.select(as_text(f.field, pl.col(f.field.name)) for f in plan.filled)
    return Window(
        offset=offset,
        total=total,
        rows=arriving[ROW].to_list(),
        faults=arriving[FAULT].to_list(),
        columns=bench.source.columns,
        arriving=[list(r) for r in arriving.select(bench.source.columns).iter_rows()],
        fields=plan.fields,
        results=[list(r) for r in texts.iter_rows()],
        marks=_marks(filled, bench.problems_in(filled, arriving), plan),
    )


def _chosen(bench: Workbench, only: str, search: str) -> pl.DataFrame:
    frame = bench.sample
    if only:
        problems = bench.problems
        if only == "questions":
            problems = problems.filter(pl.col("severity") == "question")
        elif only != "problems":
            problems = problems.filter(pl.col("field") == only)
        frame = frame.join(problems.select("row").unique(), left_on=ROW, right_on="row", how="semi")
    if search:
        cells = [pl.col(c).str.to_lowercase() for c in bench.source.columns]
        frame = frame.filter(
            pl.any_horizontal(c.str.contains(search.lower(), literal=True) for c in cells)
        )
    return frame


def _marks(filled: pl.DataFrame, problems: pl.DataFrame, plan: Plan) -> list[str]:
    """One letter a cell: what its problem does, or that it has none."""
    letters = {
        (row, field): _MARKS[severity]
        for row, field, severity in problems.select("row", "field", "severity").iter_rows()
    }
    return ["".join(letters.get((row, name), ".") for name in plan.fields) for row in filled[ROW]]


class Stage(BaseModel):
    """A value after a step, how it is written, and what the step does to all rows of the
    sample."""

    label: str
    value: str | None
    written: Written = "plain"
    effect: Effect | None = None


class ProblemCount(BaseModel):
    kind: str
    severity: str
    seen: str
    message: str
    count: int


class FieldDetail(BaseModel):
    """One field opened: what happens to the row in hand, what comes out, what goes wrong.
    ``choices`` are those for each thing that its fill takes for granted."""

    field: StoreField
    fill: Fill | None
    row: int
    stages: list[Stage]
    results: list[ValueCount]
    distinct: int
    problems: list[ProblemCount]
    suggestions: list[Suggestion]
    choices: dict[str, list[str]]


def field_detail(feed_id: int, name: str, row: int, delivery_id: int | None = None) -> FieldDetail:
    """Raises ``NotFound`` for a field the schema does not have."""
    bench = open_workbench(feed_id, delivery_id)
    if name not in bench.schema:
        raise NotFound(f"The store schema has no field {name!r}.")
    field = bench.schema[name]
    fill = bench.crosswalk.all_fills().get(name)
    results: list[ValueCount] = []
    distinct, stages, problems = 0, [], []
    if name in bench.plan.fields and fill:
        counts = _result_counts(bench, field)
        distinct = counts.height
        results = [ValueCount(value=v, count=c) for v, c in counts.head(_DISTINCT).iter_rows()]
        stages = _stages(bench, name, row)
        problems = _problem_counts(bench, name)
    return FieldDetail(
        field=field,
        fill=fill,
        row=row,
        stages=stages,
        results=results,
        distinct=distinct,
        problems=problems,
        suggestions=_ranked(bench, field),
        choices={
            a.about: choices(bench, field, a.about, a.choice)
            for a in (fill.assumptions if fill else ())
        },
    )


def _ranked(bench: Workbench, field: StoreField) -> list[Suggestion]:
    ranked = [s for s in bench.ranking if s.field == field.name]
    price = [s for s in _suggestions(bench) if s.field == field.name]
    taken = {p.column for p in price}
    refused = refused_columns(bench)
    others = [s for s in ranked if s.column not in taken and (s.field, s.column) not in refused]
    return [*price, *others][:5]


def _result_counts(bench: Workbench, field: StoreField) -> pl.DataFrame:
    text = as_text(field, pl.col(field.name)).alias("value")
    return (
        bench.filled.select(text)
        .drop_nulls()
        .group_by("value")
        .len("count")
        .sort("count", "value", descending=[True, False])
    )


def _stages(bench: Workbench, name: str, row: int) -> list[Stage]:
    arriving = bench.source.window(max(row - 1, 0), 1)
    if arriving.height == 0:
        return []
    fill = bench.plan[name].fill
    values = bench.plan.stages(arriving, name).row(0)
    labels = [describe_source(fill), *describe_steps(fill), "kept as"]
    missing = [None] * (len(labels) - len(values))  # steps behind one that cannot run
    values = (*values[:-1], *missing, values[-1])
    effects = [None, *_effects(bench, name), *missing, None]
    written: list[Written] = ["number" if s.numeric else s.style for s in bench.plan[name].stages]
    written += ["plain"] * (len(labels) - len(written))
    return [
        Stage(label=label, value=value, written=how, effect=effect)
        for label, value, how, effect in zip(labels, values, written, effects, strict=True)
    ]


def _effects(bench: Workbench, name: str) -> list[Effect]:
    return bench.plan.effects(bench.sample, name)


def _problem_counts(bench: Workbench, name: str) -> list[ProblemCount]:
    counts = (
        bench.problems.filter(pl.col("field") == name)
        .group_by("kind", "severity", "seen", "message")
        .agg(pl.col("row").n_unique().alias("count"))
        .sort("count", "seen", descending=[True, False])
        .head(_DISTINCT)
    )
    return [ProblemCount.model_validate(r) for r in counts.iter_rows(named=True)]
