"""The same job, written by hand in Polars for this one file."""

from __future__ import annotations

import sys
from decimal import Decimal

import polars as pl

from bench.job import COLOURS, OPACITY, PLACES

MONEY = pl.Decimal(38, 12)
COMMA = r"^[+-]?(\d+|\d{1,3}(\.\d{3})+)(,\d+)?$"


def lit(value: str) -> pl.Expr:
    return pl.lit(Decimal(value), dtype=MONEY)


def number(name: str) -> pl.Expr:
    text = pl.col(name).str.strip_chars()
    plain = text.str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True)
    return pl.when(text.str.contains(COMMA)).then(plain).cast(MONEY, strict=False)


def rounded(value: pl.Expr, places: int) -> pl.Expr:
    return value.round(places, mode="half_away_from_zero").cast(pl.Decimal(38, places))


def trimmed(name: str) -> pl.Expr:
    return pl.col(name).str.replace_all(r"\s+", " ").str.strip_chars()


def gtin_right(text: pl.Expr) -> pl.Expr:
    n = text.cast(pl.UInt64, strict=False)
    total = pl.lit(0, dtype=pl.UInt64)
    for place in range(14):
        total = total + n // 10**place % 10 * (3 if place % 2 else 1)
    return text.str.contains(r"^(\d{8}|\d{12,14})$") & (total % 10 == 0)


def price() -> pl.Expr:
    cost = pl.col("cost")
    raw = (
        pl.when(cost < lit("5"))
        .then(cost * lit("2.1"))
        .when(cost < lit("20"))
        .then(cost * lit("2"))
        .when(cost < lit("100"))
        .then(cost / lit("0.52"))
        .otherwise(cost / lit("0.56"))
    )
    million = lit("1000000")
    exact = (raw * million).round(0, mode="half_away_from_zero").cast(pl.Int64)
    floor = ((cost + lit("0.40")) * million).ceil().cast(pl.Int64)
    wanted = pl.max_horizontal(exact, floor)
    unit, tail = 1_000_000, 950_000
    nearest = (wanted - tail + unit // 2) // unit * unit + tail
    ended = pl.max_horizontal(nearest, pl.lit(tail))
    lift = pl.max_horizontal((floor - ended + unit - 1) // unit, pl.lit(0))
    return (ended + lift * unit).cast(MONEY) * lit("0.000001")


def main() -> None:
    feed = pl.scan_csv(sys.argv[1], separator=";", infer_schema=False)
    places = pl.DataFrame({"branch": list(PLACES), "category": list(PLACES.values())}).lazy()
    numbers = feed.with_row_index("row").with_columns(
        cost=number("Cost"), rrp=number("RRP"), stock=number("Stock"), moq=number("MOQ"),
        volume=number("Vol ml"), grams=number("Net g"), mm=number("L mm"),
        sku=pl.lit("QP-") + trimmed("ArtNo"),
        branch=pl.col("Group").str.split("/").list.head(2).list.join("/"),
        date=pl.col("Since").str.strip_chars().str.to_date("%d.%m.%Y", strict=False),
        haz=pl.col("Haz").str.strip_chars().str.to_lowercase(),
    ).join(places, on="branch", how="left", maintain_order="left")  # fmt: skip
    products = numbers.select(
        "row",
        "sku",
        trimmed("ArtNo").alias("supplier_sku"),
        trimmed("EAN").alias("gtin"),
        trimmed("Name").str.head(80).alias("name"),
        pl.lit("Quarrow").alias("brand"),
        trimmed("Range").alias("product_line"),
        "category",
        rounded(pl.col("cost"), 2),
        rounded(price(), 2).alias("price"),
        rounded(pl.col("rrp"), 2).alias("list_price"),
        pl.lit("20").alias("vat_rate"),
        pl.col("stock").cast(pl.Int64),
        pl.col("moq").cast(pl.Int64).alias("min_order"),
        pl.col("date").alias("available_from"),
        pl.col("Col").str.strip_chars().str.to_lowercase()
        .replace_strict({k.lower(): v for k, v in COLOURS.items()}, default=None)
        .alias("colour"),
        trimmed("Pigment").alias("pigment"),
        trimmed("LF").alias("lightfastness"),
        pl.col("Op").str.strip_chars().str.to_lowercase()
        .replace_strict({k.lower(): v for k, v in OPACITY.items()}, default=None)
        .alias("opacity"),
        rounded(pl.col("volume"), 1),
        rounded(pl.col("grams") * lit("0.001"), 3).alias("net_weight"),
        rounded(pl.col("mm") * lit("0.1"), 1).alias("length"),
        pl.when(pl.col("haz") == "j").then(True).when(pl.col("haz") == "n").then(False)
        .alias("hazardous"),
        trimmed("Picture").alias("picture"),
    ).collect()  # fmt: skip
    required = ["sku", "name", "category", "price"]
    right = (
        pl.all_horizontal(pl.col(c).is_not_null() for c in products.columns)
        & gtin_right(pl.col("gtin"))
        & pl.all_horizontal(pl.col(c).is_not_null() for c in required)
        & pl.col("sku").str.contains(r"^(?:[A-Z]{2}-[A-Z0-9-]+)$")
        & (pl.col("sku").str.len_chars() <= 24)
        & (pl.col("name").str.len_chars() <= 80)
        & (pl.col("supplier_sku").str.len_chars() <= 32)
        & (pl.col("brand").str.len_chars() <= 40)
        & (pl.col("product_line").str.len_chars() <= 40)
        & pl.col("pigment").str.contains(r"^(?:P[A-Za-z]{1,2}\d+(:\d)?)$")
        & pl.col("picture").str.contains(r"^https?://[^\s/]+(/\S*)?$")
        & (pl.col("cost") >= 0)
        & (pl.col("price") >= Decimal("0.05"))
        & (pl.col("list_price") >= 0)
        & (pl.col("stock") >= 0)
        & (pl.col("min_order") >= 1)
        & ~pl.col("sku").is_duplicated()
    )
    good = products.filter(right)
    good.drop("row").write_csv(sys.argv[2], line_terminator="\r\n")
    print({"good": good.height, "rejected": products.height - good.height})


if __name__ == "__main__":
    main()
