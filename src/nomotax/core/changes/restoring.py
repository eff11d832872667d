"""What it takes to make the catalog as a snapshot has it, in the shape of a changeset."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl

from nomotax.core.changes.fitting import FLAW, unfit
from nomotax.core.changes.marks import NEW, OLD, OWNER
from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.core.changes.taking_back import BACK, OUT, STAYS
from nomotax.core.schema.model import Role, StoreSchema

STATUSES = ("changed", BACK, OUT, STAYS)
#: Whether a row makes a product that has none in the database, and whose it is.
MADE, SUPPLIER = "made", "supplier"


def restored(
    snapshot: pl.DataFrame,
    catalog: pl.DataFrame,
    schema: StoreSchema,
    categories: frozenset[str],
    kept: Mapping[str, Sequence[str]],
) -> pl.DataFrame:
    """The changeset that brings ``catalog`` to what ``snapshot`` has: key, owner and the fields as
    text, and the state (null for live), as ``new:…`` here and ``old:…`` there. Fields that not both
    have are left alone.

    ``kept`` has the keys of products by the field that is kept by hand. Such a value stays, as does
    one that the store's schema or tree does not take any more; a product that would come back with
    one stays away. Each says so.
    """
    names = [f for f in schema.names if NEW + f in snapshot.columns]
    own = [*names, STATE]
    both = _side_by_side(snapshot, catalog, names)
    differing = [pl.when(pl.col(NEW + f).ne_missing(pl.col(OLD + f))).then(pl.lit(f)) for f in own]
    both = both.with_columns(fields=pl.concat_list(*differing).list.drop_nulls()).filter(
        pl.col("fields").list.len() > 0
    )
    there = both.filter(pl.col(NEW + STATE).ne_missing(TAKEN_OUT))
    flaws = pl.concat([unfit(there, schema, names, categories), _twice(both, catalog, schema),
                       _kept(both, kept, schema)])  # fmt: skip
    return _lines(both, flaws, schema, own)


def counts_of(changeset: pl.DataFrame) -> dict[str, int]:
    """Rows by status."""
    found = dict(changeset.group_by("status").len().iter_rows())
    return {status: found.get(status, 0) for status in STATUSES}


def _side_by_side(
    snapshot: pl.DataFrame, catalog: pl.DataFrame, names: Sequence[str]
) -> pl.DataFrame:
    """Of every product that is in either: what it would hold, and what it holds; one that is in no
    snapshot would be out."""
    wanted = snapshot.select(
        "key", pl.col(OWNER).alias(SUPPLIER), *(NEW + f for f in (*names, STATE))
    )
    there = catalog.select(
        "key",
        pl.lit(True).alias("there"),
        pl.col(STATE).alias(OLD + STATE),
        *(OLD + f for f in names),
    )
    both = there.join(wanted, on="key", how="full", coalesce=True)
    leaves = pl.col(SUPPLIER).is_null()
    return both.with_columns(
        pl.when(leaves).then(pl.lit(TAKEN_OUT)).otherwise(pl.col(NEW + STATE)).alias(NEW + STATE),
        *(pl.when(leaves).then(OLD + f).otherwise(NEW + f).alias(NEW + f) for f in names),
        made=pl.col("there").is_null(),
    )


def _twice(both: pl.DataFrame, catalog: pl.DataFrame, schema: StoreSchema) -> pl.DataFrame:
    """Values that all products must differ in, and that two would have: key, field, message."""
    found = [pl.DataFrame(schema=FLAW)]
    for field in schema.fields:
        if not field.unique or field.name == schema.key or NEW + field.name not in both.columns:
            continue
        new = both.filter(pl.col(NEW + STATE).ne_missing(TAKEN_OUT)).select(
            "key", pl.col(NEW + field.name).alias("value"), comes=pl.lit(True)
        )
        rest = catalog.filter(pl.col(STATE).ne_missing(TAKEN_OUT)).join(both, on="key", how="anti")
        held = rest.select("key", pl.col(OLD + field.name).alias("value"), comes=pl.lit(False))
        alike = pl.concat([new, held]).drop_nulls("value").filter(pl.len().over("value") > 1)
        found.append(
            alike.filter("comes").select(
                "key",
                pl.lit(field.name).alias("field"),
                pl.format(f"{field.label}: '{{}}' would be that of two products", "value").alias(
                    "message"
                ),
            )
        )
    return pl.concat(found)


def _kept(
    both: pl.DataFrame, kept: Mapping[str, Sequence[str]], schema: StoreSchema
) -> pl.DataFrame:
    """Values that are kept by hand: key, field, message."""
    found = [pl.DataFrame(schema=FLAW)]
    for name, keys in kept.items():
        if OLD + name in both.columns:
            holds = both.filter(
                pl.col("key").is_in(list(keys)) & pl.col(NEW + STATE).ne_missing(TAKEN_OUT)
                & ~pl.col("made")
            )  # fmt: skip
            message = pl.lit(f"{schema[name].label} is kept by hand").alias("message")
            found.append(holds.select("key", pl.lit(name).alias("field"), message))
    return pl.concat(found)


def _lines(
    both: pl.DataFrame, flaws: pl.DataFrame, schema: StoreSchema, own: Sequence[str]
) -> pl.DataFrame:
    """The changeset: of a product whose values come back in part there are two lines."""
    each = both.select("key", pl.col("fields").alias("field")).explode("field")
    why = pl.col("message").unique().sort().str.join("; ").alias("why")
    bad = pl.col("field").unique().alias("bad")
    flawed = each.join(flaws, on=["key", "field"]).group_by("key").agg(bad, why)
    told = both.join(flawed, on="key", how="left")
    leaves, comes = (
        pl.col(SUPPLIER).is_null(),
        pl.col("made") | pl.col(OLD + STATE).eq_missing(TAKEN_OUT),
    )
    flaw = pl.col("why").is_not_null()
    told = told.with_columns(good=pl.col("fields").list.set_difference(pl.col("bad").fill_null([])))
    title = schema.with_role(Role.TITLE)
    named = [side + title.name for side in (NEW, OLD)] if title and title.name in own else []
    good, all_of_it, nothing = pl.col("good"), pl.col("fields"), pl.lit([], pl.List(pl.String))
    parts = [
        (told.filter(leaves), OUT, all_of_it, None),
        (told.filter(~leaves & comes & ~flaw), BACK, all_of_it, None),
        (told.filter(~leaves & comes & flaw), STAYS, nothing, "why"),
        (told.filter(~leaves & ~comes & (good.list.len() > 0)), "changed", good, None),
        (told.filter(~leaves & ~comes & flaw), STAYS, pl.col("bad"), "why"),
    ]
    return pl.concat(
        rows.select(
            pl.lit(None, pl.Int64).alias("row"),
            "key",
            (pl.coalesce(named) if named else pl.lit(None, pl.String)).alias("title"),
            pl.lit(status).alias("status"),
            (pl.col(said) if said else pl.lit(None, pl.String)).alias("reason"),
            fields.alias("fields"),
            MADE,
            SUPPLIER,
            *(side + f for f in own for side in (NEW, OLD)),
        )
        for rows, status, fields, said in parts
    )
