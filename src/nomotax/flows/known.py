"""What is known of a store's products and of suppliers' articles, for rows to find theirs by."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from nomotax.core.changes.marks import OLD
from nomotax.core.crosswalk.compiler import TOLD
from nomotax.core.matching.finder import Known
from nomotax.flows.listing import listing_of
from nomotax.records.database import session
from nomotax.records.pairings import Pairings
from nomotax.records.whole import taken_out


def known_products(store_id: int, fields: Sequence[str]) -> Known:
    """What may tell the products of a store, those that were taken out among them."""
    with session() as db:
        there = listing_of(db, store_id).values(fields)
    told = [pl.col(OLD + f).alias(TOLD + f) for f in fields]
    out = taken_out(store_id, fields).select("key", *told)
    both = [there.with_columns(there=pl.lit(True)), out.with_columns(there=pl.lit(False))]
    return Known.of(both, fields)


def pairings_of(store_id: int, supplier_id: int) -> pl.DataFrame:
    """What is decided of a supplier's articles, as ``finder.PAIRINGS``."""
    with session() as db:
        return Pairings(db, store_id).of_supplier(supplier_id)
