"""A store's whole catalog as one file: Parquet, a row a product, with what it says of itself among
the file's metadata (docs/snapshot.md)."""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path
from typing import Any

import polars as pl
from pydantic import BaseModel, ValidationError

from nomotax.core.changes.marks import NEW, OLD, OWNER
from nomotax.core.changes.states import LIVE, STATE, STATES, TAKEN_OUT
from nomotax.core.errors import UnreadableFile

#: The columns that are no fields of the store, and where in the metadata the rest stands.
SUPPLIER, ABOUT = "$supplier", "nomotax.snapshot"
FORMAT = 1


class About(BaseModel):
    """What a snapshot says of itself: ``table_schema`` is the store's schema as a Table Schema,
    ``categories`` its tree with the names in other languages."""

    format: int = FORMAT
    store: str
    taken_at: datetime
    products: int
    key: str
    table_schema: dict[str, Any]
    categories: dict[str, dict[str, str]]


def as_snapshot(catalog: pl.DataFrame) -> pl.DataFrame:
    """The rows of the file: supplier, state and fields of all products that are in the catalog, by
    key. ``catalog`` has key, owner, state (null for live) and ``old:<field>``."""
    there = catalog.filter(pl.col(STATE).ne_missing(TAKEN_OUT)).sort("key")
    fields = [c for c in there.columns if c.startswith(OLD)]
    return there.select(
        pl.col(OWNER).alias(SUPPLIER),
        pl.col(STATE).fill_null(LIVE),
        *(pl.col(c).alias(c.removeprefix(OLD)) for c in fields),
    )


def metadata(about: About) -> dict[str, str]:
    """What goes into the file beside its rows."""
    return {ABOUT: about.model_dump_json()}


def read_about(path: Path) -> About:
    """What a snapshot says of itself. Raises ``UnreadableFile`` for any other file, and for one
    whose rows are not what it says."""
    remedy = "Choose a file that was taken as a snapshot here."
    try:
        found = pl.read_parquet_metadata(path).get(ABOUT)
        about = About.model_validate_json(found or "")
    except (pl.exceptions.PolarsError, ValidationError, OSError) as error:
        raise UnreadableFile(
            "This is no snapshot of a catalog.", where=path.name, remedy=remedy
        ) from error
    if about.format != FORMAT:
        raise UnreadableFile(
            f"This snapshot is of format {about.format}; format {FORMAT} can be read.",
            where=path.name,
            remedy="It was taken by a later version of Nomotax: update this one first.",
        )
    _look_through(pl.scan_parquet(path), about)
    return about


def _look_through(rows: pl.LazyFrame, about: About) -> None:
    """Raises ``UnreadableFile`` where the rows cannot be those of a catalog."""
    shape = rows.collect_schema()
    for name in (SUPPLIER, STATE, about.key):
        if name not in shape:
            raise UnreadableFile(f"The snapshot has no column {name!r}.")
    for name, kind in shape.items():
        if kind != pl.String:
            raise UnreadableFile(f"Its column {name!r} holds {kind}; all of them hold text.")
    key = pl.col(about.key)
    counted = rows.select(
        rows=pl.len(),
        keys=key.drop_nulls().n_unique(),
        strange=pl.col(STATE).filter(~pl.col(STATE).is_in(STATES)).first(),
        nobody=pl.col(SUPPLIER).is_null().any(),
    ).collect()
    found: dict[str, Any] = counted.row(0, named=True)
    if not found["rows"] == found["keys"] == about.products:
        raise UnreadableFile(
            f"It says {about.products:,} products; {found['keys']:,} keys stand on "
            f"{found['rows']:,} rows."
        )
    if found["strange"] is not None or found["nobody"]:
        raise UnreadableFile(
            f"It has products in no state that is known ({json.dumps(found['strange'])})."
            if found["strange"] is not None
            else "It has products of no supplier."
        )


def read_rows(rows: pl.DataFrame, about: About) -> pl.DataFrame:
    """The rows as they are compared: key, owner, state (null for live) and ``new:<field>``."""
    state = pl.when(pl.col(STATE) != LIVE).then(pl.col(STATE)).alias(NEW + STATE)
    return rows.select(
        pl.col(about.key).alias("key"),
        pl.col(SUPPLIER).alias(OWNER),
        state,
        *(pl.col(f).alias(NEW + f) for f in rows.columns if f not in (SUPPLIER, STATE)),
    )
