"""What a delivery would do to the catalog, product by product and field by field."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import polars as pl

from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.core.crosswalk.compiler import FilledField, Plan, as_text
from nomotax.core.crosswalk.problems import FATE, fates, problems_of, without_missing
from nomotax.core.schema.model import Role
from nomotax.core.table import ROW

NEW, OLD = "new:", "old:"
OWNER = "__owner"
STATUSES = ("new", "changed", "same", "held", "rejected", "left out", "gone")


@dataclass(frozen=True)
class Changeset:
    """``frame`` has a row for every arriving row and for every product gone from the feed:
    row, key, title, status, reason, fields (names of the changed ones), and for every filled
    field ``new:<field>`` and ``old:<field>`` in the store's writing. ``problems`` as in
    ``problems_of``."""

    frame: pl.DataFrame
    problems: pl.DataFrame

    def without_gone(self) -> Changeset:
        """Without the products that no arriving row names."""
        return replace(self, frame=self.frame.filter(pl.col("status") != "gone"))

    def counts(self) -> dict[str, int]:
        """Rows by status; all but "gone" add up to the rows that arrived."""
        found = dict(self.frame.group_by("status").len().iter_rows())
        return {status: found.get(status, 0) for status in STATUSES}


def compare(
    arriving: pl.DataFrame,
    plan: Plan,
    catalog: pl.DataFrame,
    owner: str,
    kept: Mapping[str, Sequence[str]] | None = None,
    brought: pl.Series | None = None,
) -> Changeset:
    """Fill a delivery and compare it with the catalog: key, ``__owner``, the state and
    ``old:<field>`` of every field as text. A product that was taken out comes back with the row
    that names it.

    Only products of ``owner`` may change; a row that would change another's is rejected.
    ``kept`` has the keys of products by the field that is kept by hand: it stays as it is.
    ``brought`` are the keys that the feed named last time: of these the products are gone that no
    row names now.
    """
    filled = plan.fill(arriving)
    rows = _as_texts(filled, plan)
    out = pl.col(STATE).eq_missing(TAKEN_OUT)
    present = catalog.filter(~out) if catalog.select(out.any()).item() else catalog
    joined = (
        _beside(rows, catalog, plan)
        .with_columns(_effective(one, (kept or {}).get(one.field.name, ())) for one in plan.filled)
        .with_columns(fields=_changed_fields(plan, out))
    )
    known = joined.filter(pl.col(OWNER).is_not_null())[ROW].cast(pl.UInt32)
    found = [
        without_missing(problems_of(filled, plan, arriving), known, plan),
        _foreign(joined, plan, owner),
    ]
    if plan.only_completes:
        found.append(_not_there(joined, plan))
    found += [_not_unique(joined, present, one) for one in plan.filled if _must_differ(one, plan)]
    problems = pl.concat(found)
    compared = fates(joined, problems.sort("row", maintain_order=True))
    compared = compared.with_columns(
        status=pl.when(pl.col(FATE) != "good")
        .then(pl.col(FATE))
        .when(pl.col(OWNER).is_null())
        .then(pl.lit("new"))
        .when(pl.col("fields").list.len() > 0)
        .then(pl.lit("changed"))
        .otherwise(pl.lit("same"))
    )
    compared = compared.with_columns(
        _reasons(problems, compared),
        fields=pl.when(pl.col("status").is_in(["new", "changed"]))
        .then(pl.col("fields"))
        .otherwise(pl.lit([], dtype=pl.List(pl.String))),
    )
    title = _title(plan)
    lines = compared.select(
        pl.col(ROW).alias("row"), "key", title, "status", "reason", "fields",
        *(c for f in plan.fields for c in (NEW + f, OLD + f)), *_state_sides(compared),
    )  # fmt: skip
    if plan.only_completes or brought is None:
        # What such a feed does not name may well come from another one.
        return Changeset(lines, problems)
    there = present.join(brought.to_frame("key"), on="key", how="semi")
    gone = _gone(there, rows, plan, lines)
    return Changeset(pl.concat([lines, gone], how="diagonal"), problems)


def _beside(rows: pl.DataFrame, catalog: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    """The rows as text, each beside what the catalog holds of its product; null where it holds
    none. Only the keys are joined: the rows stay where they are, whatever their number."""
    at = (
        rows.select("key")
        .join(
            catalog.select("key").with_row_index("at"), on="key", how="left", maintain_order="left"
        )
        .get_column("at")
    )
    there = catalog.select(
        pl.col(c).gather(at) for c in (OWNER, STATE, *(OLD + f for f in plan.fields))
    )
    codes = [f.code_column for f in plan.filled if f.flow.faults]
    return pl.concat(
        [rows.select(ROW, *codes, "key", *(NEW + f for f in plan.fields)), there],
        how="horizontal",
    )


def _as_texts(filled: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    key = plan.schema.key
    return filled.with_columns(
        as_text(one.field, pl.col(one.field.name)).alias(NEW + one.field.name)
        for one in plan.filled
    ).with_columns(pl.col(NEW + key).alias("key"))


def _foreign(joined: pl.DataFrame, plan: Plan, owner: str) -> pl.DataFrame:
    """Rows that would change another supplier's product, as problems. One that changes nothing is
    the same, whoever the product is of."""
    label = plan.schema[plan.schema.key].label
    message = (
        pl.lit(f"{label}: '")
        + pl.col("key")
        + pl.lit("' belongs to ")
        + pl.col(OWNER)
        + pl.lit("; a feed changes only its own products")
    )
    return joined.filter((pl.col(OWNER) != owner) & (pl.col("fields").list.len() > 0)).select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        pl.lit(plan.schema.key).alias("field"),
        pl.lit("not_own_product").alias("kind"),
        pl.lit("refuse").alias("severity"),
        pl.col("key").alias("seen"),
        message.alias("message"),
    )


def _not_there(joined: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    """Rows for products that the catalog has not, of a feed that brings none, as problems."""
    label = plan.schema[plan.schema.key].label
    there = pl.col(OWNER).is_not_null() & pl.col(STATE).ne_missing(TAKEN_OUT)
    return joined.filter(~there & pl.col("key").is_not_null()).select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        pl.lit(plan.schema.key).alias("field"),
        pl.lit("not_in_catalog").alias("kind"),
        pl.lit("refuse").alias("severity"),
        pl.col("key").alias("seen"),
        (
            pl.lit(f"{label}: '")
            + pl.col("key")
            + pl.lit("' is not in the catalog; this feed only completes products that are")
        ).alias("message"),
    )


def _must_differ(one: FilledField, plan: Plan) -> bool:
    return one.field.unique and one.field.name != plan.schema.key


def _not_unique(joined: pl.DataFrame, stored: pl.DataFrame, one: FilledField) -> pl.DataFrame:
    """Rows whose value of a field that all products must differ in is another row's too, or
    another product's, as problems."""
    name = one.field.name
    new, old = pl.col(NEW + name), OLD + name
    holders = stored.select(pl.col(old).alias("value"), pl.col("key").alias("holder")).drop_nulls()
    wanted = joined.filter(new.is_not_null() & pl.col("key").is_not_null()).select(
        pl.col(ROW).cast(pl.UInt32).alias("row"), "key", new.alias("value")
    )
    # A product that arrives with another value gives its own away.
    left = holders.join(wanted.select(pl.col("key").alias("holder")), on="holder", how="anti")
    held = left.group_by("value").agg(pl.col("holder").first())
    twice = wanted.with_columns(
        alike=pl.col("key").n_unique().over("value") > 1,
        rows=pl.col("row").cast(pl.String).sort().implode().over("value").list.join(", "),
    ).join(held, on="value", how="left", maintain_order="left")
    said = pl.lit(f"{one.field.label}: '") + pl.col("value")
    return twice.filter(pl.col("alike") | pl.col("holder").is_not_null()).select(
        "row",
        pl.lit(name).alias("field"),
        pl.lit("not_unique").alias("kind"),
        pl.lit("refuse").alias("severity"),
        pl.col("value").alias("seen"),
        pl.when("alike")
        .then(said + pl.lit("' stands on several rows (rows ") + pl.col("rows") + pl.lit(")"))
        .otherwise(said + pl.lit("' is that of ") + pl.col("holder") + pl.lit(" already"))
        .alias("message"),
    )


def _effective(one: FilledField, kept: Sequence[str]) -> pl.Expr:
    """What the field would hold: an empty or skipped value leaves what the store has, and so does
    a feed where the value is kept by hand."""
    new, old = pl.col(NEW + one.field.name), pl.col(OLD + one.field.name)
    value = new if one.fill.when_empty == "clear" else pl.coalesce(new, old)
    if one.fill.on_problem == "skip" and one.flow.faults:
        value = pl.when(pl.col(one.code_column).is_null()).then(value).otherwise(old)
    if kept:
        value = (
            pl.when(pl.col("key").is_in(list(kept)) & old.is_not_null()).then(old).otherwise(value)
        )
    return value.alias(NEW + one.field.name)


def _changed_fields(plan: Plan, out: pl.Expr) -> pl.Expr:
    """Names of the fields that differ; the state's, too, of a product that was taken out."""
    changed = [
        pl.when(pl.col(NEW + f).ne_missing(pl.col(OLD + f))).then(pl.lit(f)) for f in plan.fields
    ]
    return pl.concat_list(*changed, pl.when(out).then(pl.lit(STATE))).list.drop_nulls()


def _state_sides(compared: pl.DataFrame) -> list[pl.Expr]:
    """The states before and after, where a product comes back with its row."""
    back = pl.col("fields").list.contains(STATE)
    if not compared.select(back.any()).item():
        return []
    before = pl.when(back).then(pl.lit(TAKEN_OUT)).alias(OLD + STATE)
    return [pl.lit(None, pl.String).alias(NEW + STATE), before]


def _title(plan: Plan) -> pl.Expr:
    title = plan.schema.with_role(Role.TITLE)
    if title is None or title.name not in plan.fields:
        return pl.lit(None, dtype=pl.String).alias("title")
    return pl.coalesce(NEW + title.name, OLD + title.name).alias("title")


def _reasons(problems: pl.DataFrame, rows: pl.DataFrame) -> pl.Series:
    """Why each of the rows is not good, null where it is."""
    decisive = problems.filter(pl.col("severity") != "skipped")
    said = decisive.group_by("row").agg(pl.col("message").str.join("; ").alias("reason"))
    numbers = rows.select(pl.col(ROW).cast(pl.UInt32).alias("row"))
    return numbers.join(said, on="row", how="left", maintain_order="left").get_column("reason")


def _gone(there: pl.DataFrame, rows: pl.DataFrame, plan: Plan, like: pl.DataFrame) -> pl.DataFrame:
    """Products out of those that no arriving row names, not even a faulty one."""
    missing = there.join(rows.select("key").drop_nulls(), on="key", how="anti")
    title = plan.schema.with_role(Role.TITLE)
    named = title is not None and OLD + title.name in missing.columns
    return missing.select(
        pl.lit(None, dtype=like.schema["row"]).alias("row"),
        "key",
        (pl.col(OLD + title.name) if named and title else pl.lit(None, pl.String)).alias("title"),
        pl.lit("gone").alias("status"),
        pl.lit("not in this delivery; the product stays as it is").alias("reason"),
        pl.lit([], dtype=pl.List(pl.String)).alias("fields"),
        *(c for f in plan.fields
          for c in (pl.lit(None, pl.String).alias(NEW + f), pl.col(OLD + f))),
    )  # fmt: skip
