"""Every product of a store with some of its fields, in columns: the database takes a product's
values apart faster than its JSON could be read."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import polars as pl
from sqlalchemy import text

from nomotax.core.changes.held import Held, held_columns
from nomotax.core.changes.marks import MOVED_BY, OWNER
from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.records.bulk import read_pieces, read_query, read_table
from nomotax.records.database import session

#: So many processes of the database write a catalog down.
_PARTS = 2
#: The feed whose run has hidden or archived a product.
_MOVED_BY = (
    "case when p.state in ('hidden', 'archived') then (select r.feed_id from runs r "
    "where r.id = (p.writers ->> '$state')::bigint and r.kind = 'delivery') end"
)
_ABOUT = {"key": "p.key", OWNER: "owner", MOVED_BY: _MOVED_BY, STATE: f"p.content ->> '{STATE}'"}


class _Asked:
    """A query for products. In it columns have numbers for names, as PostgreSQL cuts long ones."""

    def __init__(self, store_id: int, fields: Sequence[str], ordered: bool = False) -> None:
        self.columns = held_columns(fields)
        values = dict(zip(list(self.columns)[3:-1], fields, strict=True))
        told = (
            _ABOUT.get(column) or f"p.content ->> '{values[column]}'" for column in self.columns
        )
        named = ", ".join(f'{value} as "{n}"' for n, value in enumerate(told))
        products = (
            "products p join (select id, name as owner from suppliers) s on s.id = p.supplier_id "
            f"where p.store_id = {int(store_id)}"
        )
        if ordered:
            # Before they are taken apart: sorting moves all that it sorts.
            products = f"(select p.*, owner from {products} order by p.key) p order by p.key"
        self.query = f"select {named} from {products}"
        self.shape = {str(n): kind for n, kind in enumerate(self.columns.values())}

    def named(self, found: pl.DataFrame) -> pl.DataFrame:
        return found.rename(dict(zip(self.shape, self.columns, strict=True)))


def products_of(
    store_id: int, fields: Sequence[str], only: Sequence[str] | None = None
) -> pl.DataFrame:
    """Every product as ``held_columns``, also those that were taken out, whose state says so. With
    ``only``, those of them with these keys."""
    asked = _Asked(store_id, fields)
    if only is None:
        return asked.named(read_query(asked.query, asked.shape))
    with session() as db:
        query = text(asked.query + " and p.key = any(:keys)")
        rows = db.connection().execute(query, {"keys": list(only)}).all()
    return asked.named(pl.DataFrame([tuple(r) for r in rows], schema=asked.shape, orient="row"))


def taken_out(store_id: int, fields: Sequence[str]) -> pl.DataFrame:
    """Those of the products that were taken out."""
    asked = _Asked(store_id, fields)
    query = f"{asked.query} and p.state = '{TAKEN_OUT}'"
    return asked.named(read_query(query, asked.shape))


def held_of(store_id: int, fields: Sequence[str]) -> Held:
    """Every product, to be compared with."""
    asked = _Asked(store_id, fields)
    return Held(asked.named(read_table(asked.query, asked.shape, "products", "p", _PARTS)))


def products_by_key(store_id: int, fields: Sequence[str]) -> Iterator[pl.DataFrame]:
    """Every product as ``products_of``, by key, in pieces as they come; at least one, which may be
    empty."""
    asked = _Asked(store_id, fields, ordered=True)
    for piece in read_pieces(asked.query, asked.shape):
        yield asked.named(piece)
