"""What a changeset changes, told to people: a line for each value that becomes another, and what
that amounts to by supplier and by category."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from nomotax.core.changes.later import DAY, LATER
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.states import LIVE, STATE, STATE_LABEL, TAKEN_OUT
from nomotax.core.changes.verdicts import DECLINED, HELD
from nomotax.core.numbers import NUMBER, number_text
from nomotax.core.schema.model import Role, StoreSchema

#: A changed value, as people read it.
TOLD = ("key", "title", "supplier", "category", "status", "field", "before", "after",
        "difference", "percent", "from", "decision")  # fmt: skip
#: What is told of the changes of one supplier or category. Rises and falls are of the price.
TOTALS = ("products", "new", "changed", "gone", "dearer", "cheaper", "middle_percent")
_AT, _ORDER = "__at", "__order"
#: Beyond this a share of a number would need more digits than there are.
_MOST = 10**15
_ABOUT = ("key", "title", "supplier", "category", "status")
#: What becomes of lines that write something; what *stays* names fields, too, and writes none.
_WRITTEN = ("new", "changed", "gone", "put back", "taken out")


def told_changes(lines: pl.DataFrame, prepared: pl.DataFrame, schema: StoreSchema) -> pl.DataFrame:
    """Each value that ``lines`` change, as ``TOLD``, in their order. They are as people have
    decided (``Verdicts.left``) and have ``supplier`` and ``category``; ``prepared`` are the same
    with the fields, values and days as they were prepared, before a correction."""
    named = [c for c in ("fields", LATER) if c in lines.columns]
    written = lines["status"].is_in(_WRITTEN)
    lines, prepared = lines.filter(written), prepared.filter(written)
    both = lines.with_columns(
        *(prepared[c].list.concat(lines[c]).list.unique().alias(c) for c in named),
        *(prepared[c].alias(f"__{c}") for c in prepared.columns if c.startswith(NEW)),
    ).with_row_index(_AT)
    touched = {f for c in named for f in both[c].explode().drop_nulls().unique()}
    names = [f for f in (*schema.names, STATE) if f in touched and NEW + f in both.columns]
    parts = [_of_field(both, named, f, n, schema) for n, f in enumerate(names)]
    if not parts:
        return pl.DataFrame(schema=dict.fromkeys(TOLD, pl.String))
    return pl.concat(parts).sort(_AT, _ORDER, maintain_order=True).select(TOLD)


def _of_field(
    lines: pl.DataFrame, named: Sequence[str], field: str, order: int, schema: StoreSchema
) -> pl.DataFrame:
    """The values of one field that become others."""
    named_in = pl.any_horizontal(pl.col(c).list.contains(field).fill_null(False) for c in named)
    label = STATE_LABEL if field == STATE else schema[field].label
    before, after = pl.col(OLD + field), pl.col(NEW + field)
    numeric = field in schema and schema[field].numeric
    none = pl.lit(None, pl.String)
    hand = pl.col(NEW + field).ne_missing(pl.col(f"__{NEW}{field}"))
    waits = pl.col(LATER).list.contains(field) if LATER in named else pl.lit(False)
    day = pl.col(DAY + field) if DAY + field in lines.columns else none
    return lines.filter(named_in).select(
        _AT, pl.lit(order).alias(_ORDER), *_ABOUT,
        pl.lit(label).alias("field"),
        (_state(before) if field == STATE else before).alias("before"),
        (_state(after) if field == STATE else after).alias("after"),
        (_difference(before, after) if numeric else none).alias("difference"),
        (percent_text(before, after) if numeric else none).alias("percent"),
        pl.when(waits).then(day.cast(pl.String)).alias("from"),
        pl.when(HELD).then(pl.lit("held"))
        .when(pl.col(DECLINED).list.contains(field)).then(pl.lit("declined"))
        .when(hand).then(pl.lit("corrected by hand")).alias("decision"),
    )  # fmt: skip


def _state(value: pl.Expr) -> pl.Expr:
    return value.replace(TAKEN_OUT, "taken out").fill_null(LIVE)


def _exact(value: pl.Expr) -> pl.Expr:
    return value.cast(NUMBER, strict=False)


def _difference(before: pl.Expr, after: pl.Expr) -> pl.Expr:
    return number_text(_exact(after) - _exact(before))


def percent_text(before: pl.Expr, after: pl.Expr) -> pl.Expr:
    """By how many percent a number moves, to one place, halves away from nothing; null where it
    was nothing, or is no number."""
    old, new = (_exact(value).to_physical() for value in (before, after))
    unit = 10**12
    told = (old != 0) & (old.abs() < _MOST * unit) & (new.abs() < _MOST * unit)
    moved = new - old
    tenths = (moved.abs() * 2000 + old.abs()) // pl.when(old != 0).then(2 * old.abs())
    falls = ((moved < 0) != (old < 0)) & (tenths > 0)
    text = pl.format("{}{}.{}", pl.when(falls).then(pl.lit("-")).otherwise(pl.lit("")),
                     tenths // 10, tenths % 10)  # fmt: skip
    return pl.when(told).then(text)


def totals(lines: pl.DataFrame, by: str, schema: StoreSchema) -> pl.DataFrame:
    """How many products of each supplier or category (``by``) the lines write, as ``TOTALS``; the
    last line is of all. What is held or declined is not among them."""
    written = lines.filter(_writes(lines))
    price = schema.with_role(Role.PRICE)
    share = pl.lit(None, pl.String)
    if price is not None and {OLD + price.name, NEW + price.name} <= {*lines.columns}:
        moves = pl.col("fields").list.contains(price.name)
        share = pl.when(moves).then(
            percent_text(pl.col(OLD + price.name), pl.col(NEW + price.name))
        )
    written = written.select(
        pl.col(by).fill_null(""), "status", share.cast(pl.Decimal(38, 1)).alias("share")
    )
    groups = _counted(written.group_by(by, maintain_order=True)).sort(by)
    whole = _counted(written.with_columns(pl.lit("all").alias(by)).group_by(by))
    return pl.concat([groups, whole]) if written.height else groups


def _writes(lines: pl.DataFrame) -> pl.Expr:
    lists = [c for c in ("fields", LATER) if c in lines.columns]
    some = pl.any_horizontal(pl.col(c).list.len().fill_null(0) > 0 for c in lists)
    return pl.col("status").is_in(_WRITTEN) & some


def _counted(groups: pl.dataframe.group_by.GroupBy) -> pl.DataFrame:
    status, share = pl.col("status"), pl.col("share")
    return groups.agg(
        pl.len().alias("products"),
        (status.is_in(["new", "put back"])).sum().alias("new"),
        (status == "changed").sum().alias("changed"),
        (status.is_in(["gone", "taken out"])).sum().alias("gone"),
        (share > 0).sum().alias("dearer"),
        (share < 0).sum().alias("cheaper"),
        share.cast(pl.Float64).median().round(1).cast(pl.String).alias("middle_percent"),
    )
