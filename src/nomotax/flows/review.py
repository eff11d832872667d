"""Review of a prepared changeset: counts that filter, pages, movement of prices, files."""

from __future__ import annotations

import io
from datetime import date
from decimal import ROUND_HALF_UP, Decimal, InvalidOperation
from itertools import pairwise

import polars as pl
from pydantic import BaseModel

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.later import DAY, LATER
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.remembered import NOT_MADE_BEFORE
from nomotax.core.changes.states import STATE, TAKEN_OUT, said
from nomotax.core.changes.taking_back import STAYS
from nomotax.core.changes.verdicts import DECLINED, HELD, Chosen, Verdicts
from nomotax.core.guards.facts import rough
from nomotax.core.schema.model import Role, StoreField, StoreSchema
from nomotax.core.writing.tables import write_table
from nomotax.flows.changesets import changeset_name, problems_name
from nomotax.flows.deciding import verdicts_of
from nomotax.flows.grouping import (
    Grouping,
    NewProducts,
    StrangeWords,
    groupings_of,
    new_products,
    strange_of,
)
from nomotax.flows.guarding import findings_of
from nomotax.flows.headings import label_of
from nomotax.flows.lines import moves_within, places_of, prepared_run, touched
from nomotax.records.bulk import read_query
from nomotax.records.database import session
from nomotax.records.repositories import Stores
from nomotax.records.runs import Runs
from nomotax.records.tables import Run


class Change(BaseModel):
    """``percent`` is given where both values are numbers and the old one is not zero; ``day`` is
    that from which the new value holds, null where the run itself writes it. It is ``declined``
    where a person has decided against it, ``corrected`` where one has written the new value."""

    field: str
    label: str
    before: str | None
    after: str | None
    percent: Decimal | None
    day: date | None
    declined: bool = False
    corrected: bool = False


class ReviewRow(BaseModel):
    """A line; ``held`` tells that a guard holds it until it is let through, ``not_made`` that its
    product was declined before."""

    row: int | None
    key: str | None
    title: str | None
    status: str
    reason: str | None
    held: bool = False
    not_made: bool = False
    changes: list[Change]


class FieldCount(BaseModel):
    field: str
    label: str
    count: int


class ReasonCount(BaseModel):
    kind: str
    severity: str
    count: int
    example: str


class SpreadBar(BaseModel):
    """How many products move by at least and less than so many percent; null is without end."""

    least: Decimal | None
    most: Decimal | None
    count: int


class FieldSpread(BaseModel):
    """By how much a number moves, in bars from the largest fall to the largest rise, and of how
    many products it comes from nothing, or becomes nothing that it was not."""

    field: str
    label: str
    bars: list[SpreadBar]


class ReviewSummary(BaseModel):
    """``fields`` counts changed products by field; ``spreads`` are those of numbers, prices
    first. ``groupings`` are what the lines can be grouped by, ``strange`` the words that are new to
    the store; ``made`` tells what the new lines are where some belong together."""

    arrived: int
    fields: list[FieldCount]
    reasons: list[ReasonCount]
    spreads: list[FieldSpread]
    groupings: list[Grouping]
    strange: list[StrangeWords]
    made: NewProducts | None


class ReviewPage(BaseModel):
    total: int
    rows: list[ReviewRow]


#: Where a line stands in its changeset.
_AT = "__at"
#: Where bars of a spread end, in percent.
_EDGES = (-75, -50, -30, -20, -10, -5, 0, 5, 10, 20, 30, 50, 100)
#: So many fields of numbers are drawn.
_DRAWN = 6


def _schema(run_id: int) -> StoreSchema:
    with session() as db:
        return Stores(db).schema(Runs.holding(db, run_id).get(run_id).store_id)


def review_summary(run_id: int) -> ReviewSummary:
    """What the whole changeset amounts to. Raises ``NotFound`` before it is prepared."""
    schema, run = _schema(run_id), prepared_run(run_id)
    scan = artifacts().scan(changeset_name(run))
    fields = (
        scan.filter(pl.col("status").is_in(["changed", "gone"]))
        .select(touched(scan).explode())
        .group_by("fields")
        .len("count")
        .sort("count", descending=True)
        .collect()
    )
    changed = {f: c for f, c in fields.iter_rows() if f in schema and schema[f].numeric}
    drawn = sorted(changed, key=lambda f: (_weight(f, schema), -changed[f]))[:_DRAWN]
    return ReviewSummary(
        arrived=scan.filter(pl.col("row").is_not_null()).select(pl.len()).collect().item(),
        fields=[
            FieldCount(field=f, label=label_of(schema, f), count=c)
            for f, c in fields.iter_rows()
            if f in schema or f == STATE
        ],
        reasons=_reasons(run_id),
        spreads=[_spread(scan, schema[name]) for name in drawn],
        groupings=groupings_of(run, schema),
        strange=strange_of(run, schema),
        made=new_products(run, schema),
    )


def _reasons(run_id: int) -> list[ReasonCount]:
    problems = artifacts().scan(problems_name(prepared_run(run_id)))
    counts = (
        problems.filter(pl.col("severity") != "skipped")
        .group_by("kind", "severity")
        .agg(pl.col("row").n_unique().alias("count"), pl.col("message").first().alias("example"))
        .sort("count", descending=True)
        .collect()
    )
    return [ReasonCount.model_validate(r) for r in counts.iter_rows(named=True)]


def _spread(scan: pl.LazyFrame, field: StoreField) -> FieldSpread:
    ends = [None, *map(Decimal, _EDGES), None]
    told = scan.filter((pl.col("status") == "changed") & touched(scan).list.contains(field.name))
    within = [
        moves_within(scan, field.name, least, most).sum().alias(str(n))
        for n, (least, most) in enumerate(pairwise(ends))
    ]
    counts = told.select(within).collect().row(0)
    bars = [
        SpreadBar(least=least, most=most, count=count or 0)
        for (least, most), count in zip(pairwise(ends), counts, strict=True)
    ]
    return FieldSpread(field=field.name, label=field.label, bars=bars)


def review_page(
    run_id: int, chosen: Chosen, offset: int = 0, limit: int = 200, worst: bool = False
) -> ReviewPage:
    """Rows that are chosen, in the order of the changeset, or those first of which the field that
    they are chosen by moves most."""
    schema, run = _schema(run_id), prepared_run(run_id)
    scan = artifacts().scan(changeset_name(run))
    places = places_of(run, chosen)
    order = _by_move(scan, places, chosen.field) if worst and chosen.field else places
    wanted = order.slice(offset, limit)
    if wanted.len() == 0:
        return ReviewPage(total=places.len(), rows=[])
    rows = _at(scan, wanted)
    verdicts = verdicts_of(run)
    told = verdicts.corrected(rows, wanted)
    left = verdicts.left(told, wanted)
    mended = [
        {f for f in verdicts.corrects if NEW + f in was and now[NEW + f] != was[NEW + f]}
        for was, now in zip(rows.iter_rows(named=True), told.iter_rows(named=True), strict=True)
    ]
    several = zip(told.iter_rows(named=True), left[DECLINED], left[HELD], mended, strict=True)
    page = [_row(r, schema, set(declined), held, own) for r, declined, held, own in several]
    return ReviewPage(total=places.len(), rows=page)


def _at(scan: pl.LazyFrame, wanted: pl.Series) -> pl.DataFrame:
    """The lines at these places, in their order. Only the stretch of the table that holds them is
    read; changesets are never rewritten."""
    begin, end = int(wanted.min()), int(wanted.max())  # type: ignore[arg-type]  # there are some
    stretch = scan.slice(begin, end - begin + 1)
    if wanted.is_sorted():
        return stretch.collect()[wanted - begin]
    at = pl.int_range(begin, pl.len() + begin, dtype=pl.UInt32).alias(_AT)
    found = stretch.with_columns(at).filter(pl.col(_AT).is_in(wanted.implode())).collect()
    order = wanted.cast(pl.UInt32).alias(_AT).to_frame()
    return order.join(found, on=_AT, maintain_order="left").drop(_AT)


def _by_move(scan: pl.LazyFrame, places: pl.Series, field: str) -> pl.Series:
    """Places of lines, those first of which a number moves most; what was nothing, first of all."""
    if not {OLD + field, NEW + field} <= {*scan.collect_schema()}:
        return places
    by = (rough(NEW + field) / rough(OLD + field)).log().abs().fill_nan(None)
    moves = scan.select(by.alias("by")).collect()["by"].gather(places)
    return places.gather(moves.arg_sort(descending=True, nulls_last=True))


def _row(
    row: dict[str, object], schema: StoreSchema, declined: set[str], held: bool, mended: set[str]
) -> ReviewRow:
    changes = []
    if row["status"] in ("changed", "new", "gone", STAYS):
        both = [*row["fields"], *(row.get(LATER) or [])]  # type: ignore[misc]  # lists of names
        names = sorted(both, key=lambda f: _weight(f, schema))
        changes = [
            _change(f, row, schema).model_copy(
                update={"declined": f in declined, "corrected": f in mended}
            )
            for f in names
        ]
    own = {k: row[k] for k in ("row", "key", "title", "status", "reason")}
    refused = own["reason"] == NOT_MADE_BEFORE
    return ReviewRow.model_validate(own | {"changes": changes, "held": held, "not_made": refused})


def _days(scan: pl.LazyFrame) -> list[pl.Expr]:
    """The fields that a line changes on a day, with it."""
    return [
        pl.when(pl.col(LATER).list.contains(c.removeprefix(DAY))).then(
            pl.format(f"{c.removeprefix(DAY)} from {{}}", c)
        )
        for c in scan.collect_schema()
        if c.startswith(DAY)
    ]


def _text(value: object) -> str | None:
    return None if value is None else str(value)


_FIRST = (Role.PRICE, Role.COST, Role.LIST_PRICE, Role.STOCK, Role.TITLE)


def _weight(field: str, schema: StoreSchema) -> int:
    """Prices first, then the order of the schema: what a person looks for comes first."""
    role = schema[field].role if field in schema else None
    return _FIRST.index(role) if role in _FIRST else len(_FIRST)


def _change(field: str, row: dict[str, object], schema: StoreSchema) -> Change:
    before, after = (_text(row[side + field]) for side in (OLD, NEW))
    if field == STATE:
        before, after = said(before), said(after)
    percent = None
    if field in schema and schema[field].numeric and before is not None and after is not None:
        percent = _percent(before, after)
    return Change.model_validate(
        {
            "field": field,
            "label": label_of(schema, field),
            "before": before,
            "after": after,
            "percent": percent,
            "day": row.get(DAY + field) if field in (row.get(LATER) or []) else None,  # type: ignore[operator]  # a list of names
        }
    )


def _percent(before: str, after: str) -> Decimal | None:
    try:
        old, new = Decimal(before), Decimal(after)
    except InvalidOperation:
        return None
    if old == 0:
        return None
    return ((new - old) * 100 / old).quantize(Decimal("0.1"), ROUND_HALF_UP)


def _as_decided(run: Run) -> pl.DataFrame:
    """row, key, title, status, fields and reason of all lines, as people have decided."""
    scan = artifacts().scan(changeset_name(run))
    days = [c for c in scan.collect_schema() if c == LATER or c.startswith(DAY)]
    verdicts, names = verdicts_of(run), scan.collect_schema().names()
    both = [side + f for f in verdicts.corrects for side in (OLD, NEW) if side + f in names]
    about = ("row", "key", "title", "status", "fields", "reason", *days, *both)
    every = pl.int_range(0, int(scan.select(pl.len()).collect().item()), eager=True)
    left = verdicts.left(verdicts.corrected(scan.select(about).collect(), every), every)
    guards = _guarded(run, verdicts, every.len())
    now = pl.when(pl.col("fields").list.len() > 0).then(pl.col("fields").list.join(", "))
    fields = pl.concat_str([now, *_days(left.lazy())], separator=", ", ignore_nulls=True)
    declined = pl.when(pl.col(DECLINED).list.len() > 0).then(
        pl.lit("declined: ") + pl.col(DECLINED).list.join(", ")
    )
    return left.select(
        "row", "key", "title",
        pl.when(declined.is_not_null() & (fields == "") & ~pl.col(HELD)).then(pl.lit("declined"))
        .when(HELD).then(pl.lit("held")).otherwise("status").alias("status"),
        fields.replace("", None).alias("fields"),
        pl.concat_str(["reason", guards, declined], separator="; ", ignore_nulls=True)
        .replace("", None).alias("reason"),
    )  # fmt: skip


def _guarded(run: Run, verdicts: Verdicts, height: int) -> pl.Series:
    """What the guards say that hold each line, null where none does."""
    said = pl.Series([None] * height, dtype=pl.String)
    told = said.to_frame("said")
    for one in findings_of(run):
        if one.holds == "lines":
            own = pl.when(verdicts.held(one.called)).then(pl.lit(f"held: {one.said}"))
            both = pl.concat_str(["said", own], separator="; ", ignore_nulls=True)
            told = told.with_columns(both.replace("", None).alias("said"))
    return told["said"]


def result_file(run_id: int, kind: str) -> bytes:
    """A line for every arriving row, and for every product that the run touches: row, the
    product's id and group as the catalog has them now (empty where it has none), key, title, what
    becomes of it, the fields written and why; *declined* where a person would not have it, *held*
    where a guard was not to let it through."""
    run = prepared_run(run_id)
    known = read_query(
        "select key, id, variant_group from products "
        f"where store_id = {int(run.store_id)} and state <> '{TAKEN_OUT}'",
        {"key": pl.String, "id": pl.String, "variant_group": pl.String},
    )
    lines = _as_decided(run)
    told = lines.join(known, on="key", how="left", maintain_order="left").select(
        "row",
        pl.col("id").alias("product_id"),
        "key",
        pl.when(pl.col("variant_group") != "").then("variant_group").alias("group"),
        "title",
        "status",
        "fields",
        pl.col("reason").alias("comment"),
    )
    out = io.BytesIO()
    write_table(told, out, kind, "Result")
    return out.getvalue()
