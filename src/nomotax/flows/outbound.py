"""The catalog as files for other places, in the store's own writing."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.diff import OLD
from nomotax.core.changes.states import LIVE, STATE, STATES, State
from nomotax.core.kinds import FieldKind
from nomotax.core.reading.pictures import PREFIX
from nomotax.core.schema.model import StoreSchema
from nomotax.core.writing.tables import HEADED, write_table
from nomotax.flows.catalog import products_by_key
from nomotax.flows.changesets import changeset_name
from nomotax.flows.review import prepared_run
from nomotax.records.database import session
from nomotax.records.repositories import Stores

#: Rows of a changeset whose products are in the catalog with what it wrote.
_WRITTEN = ("new", "changed", "put back")


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
    pieces = _pieces(store_id, schema, keys, pictures, states)
    if kind in HEADED:
        return _written(pieces, kind)
    out = io.BytesIO()
    write_table(pl.concat(pieces), out, kind)
    return iter([out.getvalue()])


def _written_by(run_id: int) -> pl.Series:
    scan = artifacts().scan(changeset_name(prepared_run(run_id)))
    return scan.filter(pl.col("status").is_in(_WRITTEN)).select("key").collect()["key"]


def _pieces(
    store_id: int,
    schema: StoreSchema,
    keys: pl.Series | None,
    pictures: str,
    states: Sequence[State],
) -> Iterator[pl.DataFrame]:
    """The products as they are written, piece by piece; at least one, which may be empty."""
    links = {f.name for f in schema.fields if f.kind in (FieldKind.LINK, FieldKind.LINKS)}
    columns = [
        pl.col(OLD + n).str.replace_all(PREFIX, pictures, literal=True).alias(n)
        if n in links
        else pl.col(OLD + n).alias(n)
        for n in schema.names
    ]
    for piece in products_by_key(store_id, schema.names):
        chosen = piece.filter(pl.col(STATE).fill_null(LIVE).is_in(states))
        if keys is not None:
            chosen = chosen.filter(pl.col("key").is_in(keys.implode()))
        yield chosen.select(columns)


def _written(pieces: Iterator[pl.DataFrame], kind: str) -> Iterator[bytes]:
    for number, piece in enumerate(pieces):
        out = io.BytesIO()
        write_table(piece, out, kind, headed=number == 0)
        yield out.getvalue()
