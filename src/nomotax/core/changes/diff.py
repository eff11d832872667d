"""What a delivery would do to the catalog, product by product and field by field."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

import polars as pl

from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.core.crosswalk.compiler import FilledField, Plan, as_text
from nomotax.core.crosswalk.problems import (
    FATE,
    across_rows,
    fates,
    narrow,
    of_rows,
    own_problems,
    without_missing,
)
from nomotax.core.schema.model import Role
from nomotax.core.table import ROW

NEW, OLD = "new:", "old:"
OWNER = "__owner"
STATUSES = ("new", "changed", "same", "held", "rejected", "left out", "gone")
#: The key of a row as text, and whether the catalog has its product.
_KEY, _KNOWN = "__key", "__known"


class Catalog(Protocol):
    """The products that a delivery is compared with."""

    def beside(self, keys: pl.Series, fields: Sequence[str]) -> pl.DataFrame:
        """``__owner``, the state and ``old:<field>`` of the product of each key, in their order,
        all text; null where there is none."""

    def pieces(
        self, fields: Sequence[str], keys: pl.Series | None = None
    ) -> Iterator[pl.DataFrame]:
        """The same with their keys, of all products or of some, piece by piece."""


@dataclass(frozen=True)
class Noted:
    """What is kept of a piece until all are taken: what other rows have to do with of each row,
    and the problems that rows have by themselves and with the catalog."""

    seen: pl.DataFrame
    own: pl.DataFrame
    beyond: pl.DataFrame


class Comparison:
    """A delivery beside the catalog, piece by piece: each is filled and compared by itself; what
    one row has to do with another is told when all have been seen, out of what little of each row
    that takes; then each piece is judged.

    Only products of ``owner`` may change; a row that would change another's is rejected. A product
    that was taken out comes back with the row that names it. ``kept`` has the keys of products by
    the field that is kept by hand: it stays as it is.
    """

    def __init__(
        self,
        plan: Plan,
        catalog: Catalog,
        owner: str,
        kept: Mapping[str, Sequence[str]] | None = None,
    ) -> None:
        self.plan, self.catalog, self.owner, self.kept = plan, catalog, owner, kept or {}
        self._noted: list[Noted] = []

    def take(self, arriving: pl.DataFrame) -> tuple[pl.DataFrame, Noted]:
        """Fill rows and compare them; gives them in a shape to be judged when all are taken, and
        what is to be noted of them. Several pieces may be taken at once."""
        plan = self.plan
        filled = plan.fill(arriving)
        rows = _as_texts(filled, plan)
        joined = self._beside(rows)
        known = joined.filter(pl.col(OWNER).is_not_null())[ROW].cast(pl.UInt32)
        beyond = [_foreign(joined, plan, self.owner)]
        beyond += [_not_there(joined, plan)] if plan.only_completes else []
        differing = (NEW + one.field.name for one in plan.filled if _must_differ(one, plan))
        alone = joined.select("key", *differing).rename({"key": _KEY})
        noted = Noted(
            pl.concat([narrow(filled, plan), alone], how="horizontal"),
            without_missing(own_problems(filled, plan, arriving), known, plan),
            pl.concat(beyond),
        )
        lines = joined.select(
            pl.col(ROW).alias("row"), "key", _title(plan).alias("title"), "fields",
            pl.col(OWNER).is_not_null().alias(_KNOWN),
            *(c for f in plan.fields for c in (NEW + f, OLD + f)), *_state_sides(joined),
        )  # fmt: skip
        return lines, noted

    def note(self, noted: Noted) -> None:
        """Note what a piece has given, in the order of the rows."""
        self._noted.append(noted)

    def _beside(self, rows: pl.DataFrame) -> pl.DataFrame:
        """The rows as text, each beside what the catalog holds of its product, with what it would
        hold, and the names of the fields that differ."""
        plan, kept = self.plan, self.kept
        codes = [f.code_column for f in plan.filled if f.flow.faults]
        both = [
            rows.select(ROW, *codes, "key", *(NEW + f for f in plan.fields)),
            self.catalog.beside(rows["key"], plan.fields),
        ]
        whole = pl.concat(both, how="horizontal").with_columns(
            _effective(f, kept.get(f.field.name, ())) for f in plan.filled
        )
        return whole.with_columns(_changed_fields(whole, plan))

    def problems(self) -> pl.DataFrame:
        """Every problem of all rows that were taken, as in ``problems_of``."""
        plan, seen = self.plan, pl.concat(noted.seen for noted in self._noted)
        own, beyond = ([getattr(n, what) for n in self._noted] for what in ("own", "beyond"))
        found = [*own, across_rows(seen, plan), *beyond]
        for one in plan.filled:
            if _must_differ(one, plan):
                found.append(_not_unique(seen, self._holders(one.field.name), one))
        every: pl.DataFrame = pl.concat(found)
        return every.sort("row", maintain_order=True)

    def _holders(self, name: str) -> pl.DataFrame:
        """Products that hold a value of a field: value, holder."""
        there = pl.col(STATE).ne_missing(TAKEN_OUT)
        return pl.concat(
            piece.filter(there)
            .select(pl.col(OLD + name).alias("value"), pl.col("key").alias("holder"))
            .drop_nulls()
            for piece in self.catalog.pieces([name])
        )

    def judge(self, lines: pl.DataFrame, problems: pl.DataFrame) -> pl.DataFrame:
        """The lines of a changeset: row, key, title, status, reason, fields (names of the changed
        ones), and for every filled field ``new:<field>`` and ``old:<field>``."""
        own = of_rows(problems, lines["row"])
        judged = fates(lines.rename({"row": ROW}), own)
        written = pl.col("status").is_in(["new", "changed"])
        nothing = pl.lit([], dtype=pl.List(pl.String))
        return judged.with_columns(
            _reasons(own, judged),
            status=pl.when(pl.col(FATE) != "good")
            .then(pl.col(FATE))
            .when(~pl.col(_KNOWN))
            .then(pl.lit("new"))
            .when(pl.col("fields").list.len() > 0)
            .then(pl.lit("changed"))
            .otherwise(pl.lit("same")),
        ).select(
            pl.col(ROW).alias("row"), "key", "title", "status", "reason",
            pl.when(written).then("fields").otherwise(nothing).alias("fields"),
            *(c for c in lines.columns if c.startswith((NEW, OLD))),
        )  # fmt: skip

    def gone(self, brought: pl.Series) -> Iterator[pl.DataFrame]:
        """Lines of the products, out of those whose keys the feed named last time, that no row
        names now, not even a faulty one."""
        named = pl.concat(noted.seen[_KEY] for noted in self._noted).drop_nulls()
        missing = brought.filter(~brought.is_in(named.implode()))
        for piece in self.catalog.pieces(self.plan.fields, missing):
            yield _gone(piece.filter(pl.col(STATE).ne_missing(TAKEN_OUT)), self.plan)


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


def _not_unique(seen: pl.DataFrame, holders: pl.DataFrame, one: FilledField) -> pl.DataFrame:
    """Rows whose value of a field that all products must differ in is another row's too, or
    another product's, as problems."""
    name = one.field.name
    wanted = seen.filter(pl.col(NEW + name).is_not_null() & pl.col(_KEY).is_not_null()).select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        pl.col(_KEY).alias("key"),
        pl.col(NEW + name).alias("value"),
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


def _changed_fields(rows: pl.DataFrame, plan: Plan) -> pl.Series:
    """Names of the fields that differ; the state's, too, of a product that was taken out."""
    differs = {f: pl.col(NEW + f).ne_missing(pl.col(OLD + f)) for f in plan.fields}
    differs[STATE] = pl.col(STATE).eq_missing(TAKEN_OUT)
    # Most rows change nothing: names are written down for the others alone.
    changed = rows.filter(pl.any_horizontal(differs.values()))
    names = [pl.when(own).then(pl.lit(name)) for name, own in differs.items()]
    listed = changed.select(ROW, fields=pl.concat_list(*names).list.drop_nulls())
    found = rows.select(ROW).join(listed, on=ROW, how="left", maintain_order="left")
    return found.get_column("fields").fill_null([])


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


def _gone(there: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    title = plan.schema.with_role(Role.TITLE)
    named = title is not None and OLD + title.name in there.columns
    return there.select(
        pl.lit(None, dtype=pl.UInt32).alias("row"),
        "key",
        (pl.col(OLD + title.name) if named and title else pl.lit(None, pl.String)).alias("title"),
        pl.lit("gone").alias("status"),
        pl.lit("not in this delivery; the product stays as it is").alias("reason"),
        pl.lit([], dtype=pl.List(pl.String)).alias("fields"),
        *(c for f in plan.fields
          for c in (pl.lit(None, pl.String).alias(NEW + f), pl.col(OLD + f))),
    )  # fmt: skip
