"""Crosswalks as documents: in and out."""

from __future__ import annotations

from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.crosswalk.saved import KINDS
from nomotax.core.errors import CrosswalkError
from nomotax.core.schema.model import StoreSchema
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Feeds, Stores


def refuse_unknown(schema: StoreSchema, walk: Crosswalk) -> None:
    """Raises ``CrosswalkError`` when a crosswalk fills fields that a store does not have, or finds
    products by such."""
    named = dict.fromkeys([*walk.all_fills(), *walk.identity.fields])
    unknown = [n for n in named if n not in schema]
    if unknown:
        raise CrosswalkError(
            f"This store has no field {', '.join(map(repr, unknown))}.",
            where="crosswalk.fills" if {*unknown} & {*walk.all_fills()} else "crosswalk.identity",
            remedy="Import it into the store it was made for, or take those fields out.",
        )


def take_bundle(feed_id: int, bundle: Bundle, replace: bool = True) -> None:
    """Make an imported crosswalk the feed's draft. Look-ups of the same name are replaced, unless
    they are to stay (``replace``), and store categories that its placements name are made.

    Raises ``CrosswalkError`` when it fills fields that the store does not have, or finds products
    by such.
    """
    with session() as db:
        store_id = Feeds.holding(db, feed_id).store_id
        refuse_unknown(Stores(db).schema(store_id), bundle.crosswalk)
        lookups = LookupsRepository(db, store_id)
        known = lookups.all()
        for kind in KINDS:
            for one in getattr(bundle, kind.where):
                if replace or one.name not in kind.of(known):
                    lookups.save(one)
        for places in bundle.category_tables:
            Stores(db).add_categories(store_id, [p for p in places.placements.values() if p])
        walks = Crosswalks(db, store_id)
        walks.edit(walks.from_feed(feed_id, alone=True), bundle.crosswalk)
