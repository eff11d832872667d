"""Makes the benchmark's feed: 24 columns in the manner of a wholesaler's price list."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import polars as pl

COLUMNS = 24


def make_feed(path: Path, rows: int) -> None:
    """Write ``rows`` rows of semicolon text with decimal commas; the same bytes every time."""
    rng = np.random.default_rng(20261123)
    n = np.arange(rows)
    cents = rng.integers(50, 40_000, rows)
    digits = 952_000_000_000 + n
    weights = np.array([1, 3] * 6)
    places = (digits[:, None] // 10 ** np.arange(11, -1, -1)) % 10
    check = -(places * weights).sum(axis=1) % 10
    colours, groups = list("ROYGBVNKWPEM"), [f"Paint/Group {i}/Sub {i % 7}" for i in range(60)]
    frame = pl.DataFrame({"n": n, "c": cents, "g": digits * 10 + check}).lazy()
    euros = pl.col("c") // 100
    comma = euros.cast(pl.String) + "," + (pl.col("c") % 100).cast(pl.String).str.zfill(2)
    mm = pl.col("n") % 900 + 10
    frame = frame.select(
        pl.col("n").cast(pl.String).str.zfill(7).alias("ArtNo"),
        pl.col("g").cast(pl.String).alias("EAN"),
        (pl.lit("  Aquaria colour number ") + pl.col("n").cast(pl.String)).alias("Name"),
        pl.lit("Aquaria").alias("Range"),
        pl.lit("tube").alias("Form"),
        pl.Series("Col", rng.choice(colours, rows)),
        (pl.lit("PB") + (pl.col("n") % 80).cast(pl.String)).alias("Pigment"),
        pl.Series("LF", rng.choice(["I", "II", "III"], rows)),
        pl.Series("Op", rng.choice(["O", "SO", "ST", "T"], rows)),
        (pl.col("n") % 5000 + 1).cast(pl.String).alias("Net g"),
        ((pl.col("n") % 300).cast(pl.String) + ",5").alias("Vol ml"),
        comma.alias("Cost"),
        comma.alias("RRP"),
        pl.Series("Stock", rng.integers(0, 500, rows)).cast(pl.String),
        (pl.col("n") % 6 + 1).cast(pl.String).alias("MOQ"),
        pl.lit("1").alias("Pack"),
        pl.Series("Group", rng.choice(groups, rows)),
        mm.cast(pl.String).alias("L mm"),
        mm.cast(pl.String).alias("W mm"),
        mm.cast(pl.String).alias("H mm"),
        pl.lit("FR").alias("Origin"),
        pl.when(pl.col("n") % 9 == 0).then(pl.lit("J")).otherwise(pl.lit("N")).alias("Haz"),
        (pl.lit("http://files.quarrow.example/p/") + pl.col("n").cast(pl.String) + ".svg").alias(
            "Picture"
        ),
        pl.lit("14.03.2024").alias("Since"),
    )
    frame.collect().write_csv(path, separator=";")
