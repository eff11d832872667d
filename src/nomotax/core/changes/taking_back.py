"""What taking a run back would do, in the shape of a changeset."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from nomotax.core.changes.marks import NEW, OLD

#: What becomes of a product, beside *changed*.
OUT, BACK, STAYS = "taken out", "put back", "stays"
STATUSES = ("changed", OUT, BACK, STAYS)
_SHAPE: dict[str, pl.DataType] = {
    "row": pl.Int64(),
    "key": pl.String(),
    "title": pl.String(),
    "status": pl.String(),
    "reason": pl.String(),
    "fields": pl.List(pl.String),
}


def taken_back(
    fields: pl.DataFrame, products: pl.DataFrame, labels: Mapping[str, str]
) -> pl.DataFrame:
    """The changeset of a run that takes another back.

    ``fields`` has key, title, field, shown (the value now), was (the one that takes its place),
    later_run (the run whose value stays instead, null for none), kept (by hand, and stays) and
    chosen (it goes back all the same); ``products`` key, title, back and stays; ``labels`` are what
    people call the fields.
    A product whose fields go back in part has two rows.
    """
    stays = (pl.col("later_run").is_not_null() | pl.col("kept")) & ~pl.col("chosen")
    names = fields["field"].unique(maintain_order=True).to_list()
    called = pl.col("field").replace(dict(labels))
    later = pl.format("{} stays as run {} wrote it", called, pl.col("later_run"))
    kept = pl.format("{} is kept by hand", called)
    over = pl.format("{} goes back over what run {} wrote", called, pl.col("later_run"))
    hand = pl.format("{} goes back, though it is kept by hand", called)
    rows = [
        _by_product(
            fields.filter(~stays), names, "changed",
            pl.coalesce(pl.when("chosen").then(over), pl.when(pl.col("kept")).then(hand)),
        ),
        _by_product(fields.filter(stays), names, STAYS, pl.coalesce(later, kept)),
        _whole(products.filter(~pl.col("stays") & ~pl.col("back")), OUT, None),
        _whole(products.filter(~pl.col("stays") & pl.col("back")), BACK, None),
        _whole(products.filter(pl.col("stays") & ~pl.col("back")), STAYS, "it was changed since"),
        _whole(
            products.filter(pl.col("stays") & pl.col("back")), STAYS,
            "another product has its key, or its category is gone",
        ),
    ]  # fmt: skip
    return pl.concat(rows, how="diagonal")


def counts_of(changeset: pl.DataFrame) -> dict[str, int]:
    """Rows by status."""
    found = dict(changeset.group_by("status").len().iter_rows())
    return {status: found.get(status, 0) for status in STATUSES}


def _by_product(
    fields: pl.DataFrame, names: list[str], status: str, reason: pl.Expr
) -> pl.DataFrame:
    def value(column: str, name: str) -> pl.Expr:
        return pl.col(column).filter(pl.col("field") == name).first()

    return (
        fields.group_by("key", maintain_order=True)
        .agg(
            pl.col("title").first(),
            reason.drop_nulls().str.join("; ").alias("reason"),
            pl.col("field").alias("fields"),
            *(value("was", n).alias(NEW + n) for n in names),
            *(value("shown", n).alias(OLD + n) for n in names),
        )
        .with_columns(
            row=pl.lit(None, pl.Int64),
            status=pl.lit(status),
            reason=pl.when(pl.col("reason") != "").then("reason"),
        )
        .select(*(pl.col(n).cast(kind) for n, kind in _SHAPE.items()), pl.exclude(*_SHAPE))
    )


def _whole(products: pl.DataFrame, status: str, reason: str | None) -> pl.DataFrame:
    return products.select(
        pl.lit(None, pl.Int64).alias("row"),
        "key",
        "title",
        pl.lit(status).alias("status"),
        pl.lit(reason, pl.String).alias("reason"),
        pl.lit([], pl.List(pl.String)).alias("fields"),
    )
