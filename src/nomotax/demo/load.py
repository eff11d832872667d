"""Loads the demo store into an empty database."""

from __future__ import annotations

import io
import json
from pathlib import Path

from nomotax.core.errors import NotFound
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.schema.table_schema import from_descriptor
from nomotax.demo.crosswalk import LADDER
from nomotax.flows import catalog, prices, receive, stores
from nomotax.records.database import session
from nomotax.records.repositories import Deliveries, Feeds
from nomotax.records.tables import Delivery

DATA = Path(__file__).parent / "data"
STORE = "Ostrelle Art Supply"
SUPPLIER = "Quarrow Pigments"
#: What Quarrow sends, in order.
DELIVERIES = ("quarrow-week-1.csv", "quarrow-week-2.csv")


def load_demo() -> int | None:
    """Make Ostrelle with its catalog and the first Quarrow delivery waiting; gives the store's
    id, or None when there is a store already."""
    if stores.list_stores():
        return None
    schema = from_descriptor(json.loads((DATA / "store-schema.json").read_text("utf-8")))
    categories = json.loads((DATA / "categories.json").read_text("utf-8"))
    store_id = stores.add_store(STORE, schema, categories)
    prices.save_ladder(store_id, Ladder.model_validate(LADDER))
    catalog.load_catalog(store_id, (DATA / "catalog.csv").read_bytes())
    feed_id = stores.add_feed(store_id, SUPPLIER, "Weekly list")
    next_delivery(feed_id)
    return store_id


def waiting_deliveries(feed_id: int) -> list[str]:
    """The demo files that this feed has not received yet, in order; none for other feeds."""
    with session() as db:
        feeds = Feeds(db)
        if feeds.supplier(feeds.get(feed_id)).name != SUPPLIER:
            return []
        known = {d.file_name for d in Deliveries(db).of_feed(feed_id)}
    return [name for name in DELIVERIES if name not in known]


def next_delivery(feed_id: int) -> Delivery:
    """Receive the next demo file. Raises ``NotFound`` when all have come."""
    names = waiting_deliveries(feed_id)
    if not names:
        raise NotFound("The demo's supplier has sent everything it has.")
    data = (DATA / names[0]).read_bytes()
    return receive.receive(feed_id, names[0], io.BytesIO(data))
