"""The catalog as files for other places, in the store's own writing."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from functools import partial

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.at_once import each_of
from nomotax.core.changes.marks import OLD
from nomotax.core.changes.states import LIVE, STATE, STATES, State
from nomotax.core.kinds import FieldKind
from nomotax.core.reading.pictures import PREFIX
from nomotax.core.schema.model import StoreSchema
from nomotax.core.writing.tables import HEADED, write_table
from nomotax.flows.changesets import MOVED, changeset_name
from nomotax.flows.review import prepared_run
from nomotax.records.database import session
from nomotax.records.repositories import Stores
from nomotax.records.whole import products_by_key

#: Rows of a changeset whose products are in the catalog with what it wrote.
_WRITTEN = pl.col("status").is_in(["new", "changed", "put back"]) | MOVED


def outbound(
    store_id: int, kind: str, run_id: int | None = None, pictures: str = PREFIX,
    states: Sequence[State] = STATES,
) -> Iterator[bytes]:  # fmt: skip
    """The catalog, or what a run changed (as it stands in the catalog now), in the store schema's
    column order, by key: products in these ``states``. ``pictures`` is the web address under which
    kept pictures are found. CSV and JSON Lines come in pieces as they are read.

    Raises ``NotFound`` before the first piece.
    """
    with session() as db:
        schema = Stores(db).schema(store_id)
    keys = _written_by(run_id) if run_id is not None else None
    shaped = partial(_shaped, schema, keys, pictures, states)
    products = products_by_key(store_id, schema.names)
    if kind in HEADED:
        return each_of(
            lambda piece: _bytes(shaped(piece[1]), kind, piece[0] == 0), enumerate(products)
        )
    out = io.BytesIO()
    write_table(pl.concat(each_of(shaped, products)), out, kind)
    return iter([out.getvalue()])


def _written_by(run_id: int) -> pl.Series:
    scan = artifacts().scan(changeset_name(prepared_run(run_id)))
    return scan.filter(_WRITTEN).select("key").collect()["key"]


def _shaped(
    schema: StoreSchema,
    keys: pl.Series | None,
    pictures: str,
    states: Sequence[State],
    products: pl.DataFrame,
) -> pl.DataFrame:
    """The products of a piece as they are written."""
    links = {f.name for f in schema.fields if f.kind in (FieldKind.LINK, FieldKind.LINKS)}
    columns = [
        pl.col(OLD + n).str.replace_all(PREFIX, pictures, literal=True).alias(n)
        if n in links
        else pl.col(OLD + n).alias(n)
        for n in schema.names
    ]
    wanted = products if keys is None else products.filter(pl.col("key").is_in(keys.implode()))
    return wanted.filter(pl.col(STATE).fill_null(LIVE).is_in(states)).select(columns)


def _bytes(piece: pl.DataFrame, kind: str, headed: bool) -> bytes:
    out = io.BytesIO()
    write_table(piece, out, kind, headed=headed)
    return out.getvalue()
