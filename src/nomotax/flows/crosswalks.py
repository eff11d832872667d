"""Crosswalks as documents: in and out."""

from __future__ import annotations

from nomotax.core.crosswalk.model import Bundle
from nomotax.core.crosswalk.saved import KINDS
from nomotax.core.errors import CrosswalkError
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Feeds, Stores


def take_bundle(feed_id: int, bundle: Bundle) -> None:
    """Make an imported crosswalk the feed's draft. Look-ups of the same name are replaced, and
    store categories that its placements name are made.

    Raises ``CrosswalkError`` when it fills fields that the store does not have, or finds products
    by such.
    """
    with session() as db:
        store_id = Feeds.holding(db, feed_id).store_id
        schema = Stores(db).schema(store_id)
        walk = bundle.crosswalk
        named = dict.fromkeys([*walk.all_fills(), *walk.identity.fields])
        unknown = [n for n in named if n not in schema]
        if unknown:
            raise CrosswalkError(
                f"This store has no field {', '.join(map(repr, unknown))}.",
                where="crosswalk.fills"
                if {*unknown} & {*walk.all_fills()}
                else "crosswalk.identity",
                remedy="Import it into the store it was made for, or take those fields out.",
            )
        lookups = LookupsRepository(db, store_id)
        for kind in KINDS:
            for one in getattr(bundle, kind.where):
                lookups.save(one)
        for places in bundle.category_tables:
            Stores(db).add_categories(store_id, [p for p in places.placements.values() if p])
        walks = Crosswalks(db, store_id)
        walks.edit(walks.from_feed(feed_id), bundle.crosswalk)
