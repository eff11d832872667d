"""From the plan's fault numbers to problems people read, and to the fate of each row."""

from __future__ import annotations

import polars as pl

from nomotax.core.crosswalk.compiler import FilledField, Plan, as_text, severity_of
from nomotax.core.schema.model import Role, StoreField
from nomotax.core.table import FAULT, ROW

PROBLEM_SCHEMA = {
    "row": pl.UInt32,
    "field": pl.String,
    "kind": pl.String,
    "severity": pl.String,
    "seen": pl.String,
    "message": pl.String,
}

#: Fates of a row, in order of weight: the heaviest decides.
FATE = "__fate"
FATES = ("good", "held", "left out", "rejected")


#: What is told of products that several rows are for.
SUMS = {"key": pl.String, "row": pl.UInt32, "sum": pl.String}

#: What all of a row would write, as a hash of 64 bits. It tells whether rows for one product are
#: alike in every field; that two which differ have the same is one in 10^19.
CONTENT = "__content"


def problems_of(filled: pl.DataFrame, plan: Plan, arriving: pl.DataFrame) -> pl.DataFrame:
    """Every problem of a filled frame: row, field, kind, severity, seen, message.

    ``arriving`` is the frame it was filled from; rows at fault are looked up there.

    Severity is question, refuse, leave_out, or skipped (the field stays as it was).
    """
    found = [own_problems(filled, plan, arriving), across_rows(narrow(filled, plan), plan)]
    return pl.concat(found).sort("row", maintain_order=True)


def narrow(filled: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    """What of each row others have to do with: its number, key, product and options, and what it
    would write, as a hash."""
    key = plan.schema.key
    roles = (plan.schema.with_role(Role.GROUP), plan.schema.with_role(Role.OPTIONS))
    named = [one.name for one in roles if one is not None and one.name in plan.fields]
    named += [one.name for one in _price_of(plan)] + stock_summed(plan)
    # Rows that hold nothing but a key are alike where that is.
    content = pl.struct([f for f in plan.fields if f != key] or plan.fields or [ROW])
    return filled.select(
        ROW,
        *([key] if key in filled.columns else []),
        *(name for name in dict.fromkeys(named) if name != key),
        content.hash(0).alias(CONTENT),
    )


def across_rows(rows: pl.DataFrame, plan: Plan, unsound: pl.Series | None = None) -> pl.DataFrame:
    """Problems that rows have with each other, out of what is ``narrow`` of them. Of rows for one
    product none that is ``unsound`` by itself is taken before the others."""
    none = pl.Series(dtype=pl.UInt32) if unsound is None else unsound
    return pl.concat([_repeated_keys(rows, plan, none), _alike_variants(rows, plan)])


def own_problems(filled: pl.DataFrame, plan: Plan, arriving: pl.DataFrame) -> pl.DataFrame:
    """The problems that each row has by itself."""
    found = [_broken_rows(filled)]
    faulty = [one for one in plan.filled if one.flow.faults]
    at_fault = filled.filter(
        pl.any_horizontal([pl.lit(False), *(pl.col(f.code_column).is_not_null() for f in faulty)])
    )
    counts = at_fault.select(pl.len(), *(pl.col(f.code_column).count() for f in faulty))
    faulty = [f for f in faulty if counts[f.code_column].item()]
    if faulty:
        seen = plan.seen(arriving.join(at_fault.select(ROW), on=ROW, how="semi"), faulty)
        told = at_fault.join(seen, on=ROW, how="left", maintain_order="left")
        found += [_problems_of_field(told, one) for one in faulty]
    return pl.concat(found)


def without_missing(problems: pl.DataFrame, known: pl.Series, plan: Plan) -> pl.DataFrame:
    """Without the empty required fields of ``known`` rows: those of products that are in the
    catalog. Such a product keeps its value, unless the fill says that an empty result clears it."""
    cleared = [f.field.name for f in plan.filled if f.fill.when_empty == "clear"]
    return problems.filter(~(_is_missing(cleared, plan) & pl.col("row").is_in(known.implode())))


def of_rows(problems: pl.DataFrame, rows: pl.Series) -> pl.DataFrame:
    """The problems of some rows, both in their order."""
    if rows.len() == 0 or problems.height == 0:
        return problems.clear()
    first = int(problems["row"].search_sorted(rows[0], side="left"))
    return problems[first : int(problems["row"].search_sorted(rows[-1], side="right"))]


def rows_missing(problems: pl.DataFrame, plan: Plan) -> pl.Series:
    """The rows in which a required field stays empty."""
    return problems.filter(_is_missing([], plan))["row"].unique()


def _is_missing(cleared: list[str], plan: Plan) -> pl.Expr:
    return (pl.col("kind") == "missing") & ~pl.col("field").is_in([*cleared, plan.schema.key])


def _broken_rows(filled: pl.DataFrame) -> pl.DataFrame:
    return _shaped(
        filled.lazy().filter(pl.col(FAULT).is_not_null()),
        field=pl.lit(""),
        kind=pl.lit("broken_row"),
        severity=pl.lit("refuse"),
        seen=pl.lit(""),
        message=pl.col(FAULT),
    )


def _problems_of_field(filled: pl.DataFrame, one: FilledField) -> pl.DataFrame:
    numbers = list(range(1, len(one.flow.faults) + 1))
    faults = one.flow.faults

    def by_number(texts: list[str]) -> pl.Expr:
        return pl.col(one.code_column).replace_strict(numbers, texts, return_dtype=pl.String)

    label = one.field.label
    return _shaped(
        filled.lazy().filter(pl.col(one.code_column).is_not_null()),
        field=pl.lit(one.field.name),
        kind=by_number([f.kind for f in faults]),
        severity=by_number([severity_of(one, f) or "skipped" for f in faults]),
        seen=pl.col(one.seen_column),
        message=pl.lit(f"{label}: ")
        + pl.when(pl.col(one.seen_column).fill_null("") != "")
        .then(pl.lit("'") + pl.col(one.seen_column) + pl.lit("' "))
        .otherwise(pl.lit(""))
        + by_number([f.message for f in faults]),
    )


def _price_of(plan: Plan) -> list[StoreField]:
    """The field that the cheapest row is told by, if that is asked."""
    price = plan.schema.with_role(Role.PRICE)
    asked = plan.identity.rows == "cheapest" and price is not None and price.name in plan.fields
    return [price] if asked and price is not None else []


def stock_summed(plan: Plan) -> list[str]:
    """The field whose values in several rows for one product are added up, if that is asked."""
    stock = plan.schema.with_role(Role.STOCK)
    asked = plan.identity.rows == "sum" and stock is not None and stock.name in plan.fields
    return [stock.name] if asked and stock is not None else []


def sums(rows: pl.DataFrame, plan: Plan, unsound: pl.Series) -> pl.DataFrame:
    """Of each product that several rows are for: its ``key``, the number of the ``row`` that is
    taken, and ``sum``, the stock of all that are sound by themselves; as text but for the row."""
    nothing = pl.DataFrame(schema=SUMS)
    key = as_text(plan.schema[plan.schema.key], pl.col(plan.schema.key)).cast(pl.String)
    for name in stock_summed(plan):
        doubled = _doubled(rows, plan).filter(~pl.col(ROW).is_in(unsound.implode()))
        whole = doubled.drop_nulls(name).group_by(plan.schema.key).agg(pl.col(name).sum())
        first = _with_taken(doubled, plan, unsound).group_by(plan.schema.key).agg(
            pl.col("__taken").first().cast(pl.UInt32).alias("row")
        )  # fmt: skip
        text = as_text(plan.schema[name], pl.col(name)).cast(pl.String).alias("sum")
        return first.join(whole, on=plan.schema.key).select(key.alias("key"), "row", text)
    return nothing


def _doubled(rows: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    """The rows for products that other rows are for, too."""
    key = plan.schema.key
    return rows.filter(pl.col(key).is_not_null() & pl.col(key).is_duplicated())


def _repeated_keys(filled: pl.DataFrame, plan: Plan, unsound: pl.Series) -> pl.DataFrame:
    """Rows that share their key. All are refused, since nobody can say which is right, but the
    first of rows alike in every field stays good; or the one that the crosswalk's rule takes does,
    and the others are left out."""
    key = plan.schema.key
    if key not in filled.columns:
        return pl.DataFrame(schema=PROBLEM_SCHEMA)
    doubled = _doubled(filled, plan)
    if doubled.height == 0:
        return pl.DataFrame(schema=PROBLEM_SCHEMA)
    if plan.identity.rows != "refuse":
        return _beside_taken(doubled, plan, unsound)
    groups = doubled.with_columns(
        __same=pl.col(CONTENT).n_unique().over(key) == 1,
        __first=pl.col(ROW).min().over(key),
    )
    extra = groups.filter(~pl.col("__same") | (pl.col(ROW) != pl.col("__first")))
    rows = pl.col(ROW).cast(pl.String).sort().implode().over(key).list.join(", ")
    return _shaped(
        groups.with_columns(__rows=rows).join(extra.select(ROW), on=ROW, how="semi").lazy(),
        field=pl.lit(key),
        kind=pl.when("__same").then(pl.lit("repeated_row")).otherwise(pl.lit("repeated_key")),
        severity=pl.lit("refuse"),
        seen=pl.col(key),
        message=pl.lit(f"{plan.schema[key].label}: '")
        + pl.col(key)
        + pl.when("__same")
        .then(pl.lit("' is the same row again (rows "))
        .otherwise(pl.lit("' stands on several rows that differ (rows "))
        + pl.col("__rows")
        + pl.lit(")"),
    )


def _beside_taken(doubled: pl.DataFrame, plan: Plan, unsound: pl.Series) -> pl.DataFrame:
    """The rows for products for which another row is taken."""
    key, rule = plan.schema.key, plan.identity.rows
    groups = _with_taken(doubled, plan, unsound)
    which = (
        "the first, is taken with the stock of all" if rule == "sum" else f"the {rule}, is taken"
    )
    told = pl.format(f"' stands on several rows; row {{}}, {which}", "__taken")
    return _shaped(
        groups.filter(pl.col(ROW) != pl.col("__taken")).lazy(),
        field=pl.lit(key),
        kind=pl.lit("another_row"),
        severity=pl.lit("leave_out"),
        seen=pl.col(key),
        message=pl.lit(f"{plan.schema[key].label}: '") + pl.col(key) + told,
    )


def _with_taken(doubled: pl.DataFrame, plan: Plan, unsound: pl.Series) -> pl.DataFrame:
    """``doubled`` with ``__taken``: the row that counts for the product of each."""
    first = [~pl.col(ROW).is_in(unsound.implode())]
    first += [-pl.col(price.name) for price in _price_of(plan)]
    number = pl.col(ROW).cast(pl.Int64)
    order = [*first, number if plan.identity.rows == "last" else -number]
    taken = pl.col(ROW).sort_by(order, descending=True, nulls_last=True)
    return doubled.with_columns(__taken=taken.first().over(plan.schema.key))


def _alike_variants(filled: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    """Variants of one product that nobody could tell apart, or that are told apart by different
    options: rows of a group with the same options, or with other option names than its first."""
    group, options = plan.schema.with_role(Role.GROUP), plan.schema.with_role(Role.OPTIONS)
    key = plan.schema.key
    if group is None or options is None or not {group.name, options.name} <= set(plan.fields):
        return pl.DataFrame(schema=PROBLEM_SCHEMA)
    own, by = pl.col(options.name), pl.col(group.name)
    grouped = filled.filter(by.is_not_null() & (pl.len().over(by) > 1)).with_columns(
        __names=own.str.replace_all(r": [^|]*", "").fill_null("")
    )
    marked = grouped.with_columns(
        __alike=pl.struct(own.fill_null(""), by).is_duplicated()
        & (pl.col(key).n_unique().over(by, own.fill_null("")) > 1),
        __other=pl.col("__names") != pl.col("__names").first().over(by, order_by=ROW),
        __first=pl.col("__names").first().over(by, order_by=ROW),
    )
    alike = pl.lit("another variant of '") + by + pl.lit("' has the same options")
    other = (
        pl.lit("its product '") + by + pl.lit("' has the options '") + pl.col("__first")
        + pl.lit("'")
    )  # fmt: skip
    return _shaped(
        marked.filter(pl.col("__alike") | pl.col("__other")).lazy(),
        field=pl.lit(options.name),
        kind=pl.when("__alike").then(pl.lit("alike_variants")).otherwise(pl.lit("other_options")),
        severity=pl.lit("refuse"),
        seen=own.fill_null(""),
        message=pl.lit(f"{options.label}: '") + own.fill_null("") + pl.lit("': ")
        + pl.when("__alike").then(alike).otherwise(other),
    )  # fmt: skip


def _shaped(frame: pl.LazyFrame, **columns: pl.Expr) -> pl.DataFrame:
    outputs = [pl.col(ROW).cast(pl.UInt32).alias("row")]
    outputs += [expr.cast(pl.String).alias(name) for name, expr in columns.items()]
    return frame.select(outputs).collect(engine="in-memory")


def fates(filled: pl.DataFrame, problems: pl.DataFrame) -> pl.DataFrame:
    """``filled`` with the column ``__fate``. Every row has exactly one."""
    if problems.height == 0:
        return filled.with_columns(pl.lit(FATES[0]).alias(FATE))
    weight = pl.col("severity").replace_strict(
        {"question": 1, "leave_out": 2, "refuse": 3, "skipped": 0},
        return_dtype=pl.UInt8,
    )
    worst = problems.group_by("row").agg(weight.max().alias("__weight"))
    # The rows' numbers alone are joined: the wide frame is not copied for one column more.
    weights = filled.select(ROW).join(
        worst, left_on=ROW, right_on="row", how="left", maintain_order="left"
    )
    return filled.with_columns(
        weights.get_column("__weight")
        .fill_null(0)
        .replace_strict([0, 1, 2, 3], list(FATES), return_dtype=pl.String)
        .alias(FATE)
    )
