"""What is known of a store's products and of suppliers' articles, for rows to find theirs by."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from nomotax.core.changes.states import TAKEN_OUT
from nomotax.core.crosswalk.compiler import TOLD
from nomotax.core.matching.finder import Known
from nomotax.flows.listing import listing_of
from nomotax.records.bulk import read_query
from nomotax.records.database import session
from nomotax.records.pairings import Pairings


def known_products(store_id: int, fields: Sequence[str]) -> Known:
    """What may tell the products of a store, those that were taken out among them."""
    with session() as db:
        there = listing_of(db, store_id).values(fields)
    told = [f", content ->> '{f}' as \"{TOLD + f}\"" for f in fields]
    query = (
        f"select key{''.join(told)} from products "
        f"where store_id = {int(store_id)} and state = '{TAKEN_OUT}'"
    )
    out = read_query(query, dict.fromkeys(there.columns, pl.String))
    both = [there.with_columns(there=pl.lit(True)), out.with_columns(there=pl.lit(False))]
    return Known.of(both, fields)


def pairings_of(store_id: int, supplier_id: int) -> pl.DataFrame:
    """What is decided of a supplier's articles, as ``finder.PAIRINGS``."""
    with session() as db:
        return Pairings(db, store_id).of_supplier(supplier_id)
