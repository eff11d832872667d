"""Crosswalks as documents: in and out."""

from __future__ import annotations

from nomotax.core.crosswalk.model import Bundle
from nomotax.core.crosswalk.saved import KINDS
from nomotax.core.errors import CrosswalkError
from nomotax.records.database import session
from nomotax.records.repositories import Feeds, LookupsRepository, Stores


def take_bundle(feed_id: int, bundle: Bundle) -> None:
    """Make an imported crosswalk the feed's draft. Look-ups of the same name are replaced, and
    store categories that its placements name are made.

    Raises ``CrosswalkError`` when it fills fields that the store does not have.
    """
    with session() as db:
        feeds = Feeds(db)
        feed = feeds.get(feed_id)
        store_id = feeds.supplier(feed).store_id
        schema = Stores(db).schema(store_id)
        unknown = [n for n in bundle.crosswalk.all_fills() if n not in schema]
        if unknown:
            raise CrosswalkError(
                f"This store has no field {', '.join(map(repr, unknown))}.",
                where="crosswalk.fills",
                remedy="Import it into the store it was made for, or take those fills out.",
            )
        lookups = LookupsRepository(db)
        for kind in KINDS:
            for one in getattr(bundle, kind.where):
                lookups.save(store_id, one)
        for places in bundle.category_tables:
            Stores(db).add_categories(store_id, [p for p in places.placements.values() if p])
        feed.draft = bundle.crosswalk.model_dump(mode="json")
        feed.draft_revision += 1
        db.add(feed)
