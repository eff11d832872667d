"""Loads the demo store into an empty database."""

from __future__ import annotations

import io
import json
from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path

from nomotax.core.errors import NotFound
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.reading.model import parse_reading
from nomotax.core.schema.table_schema import from_descriptor
from nomotax.demo.crosswalks.quarrow import LADDER
from nomotax.flows import catalog, names, prices, receive, stores
from nomotax.records.database import session
from nomotax.records.repositories import Deliveries, Feeds
from nomotax.records.tables import Delivery

DATA = Path(__file__).parent / "data"
STORE = "Ostrelle Art Supply"
SUPPLIER = "Quarrow Pigments"


@dataclass(frozen=True)
class Sender:
    """One of the demo's suppliers: its feed, and what it sends, in order. ``reading`` is one that
    a person has worked out already."""

    feed: str
    files: tuple[str, ...]
    reading: str = ""


SENDERS = {
    SUPPLIER: Sender("Weekly list", ("quarrow-week-1.csv", "quarrow-week-2.csv")),
    "Sollund Paper Mill": Sender("Price book", ("sollund-week-1.xml", "sollund-week-2.xml")),
    "Brindlecombe Brushes": Sender(
        "Trade list", ("brindlecombe-week-1.xlsx", "brindlecombe-week-2.xlsx")
    ),
    "Castelune Wholesale": Sender(
        "Range, prices and stock", ("castelune-week-1.zip", "castelune-week-2.zip")
    ),
    "Former platform": Sender(
        "Product export",
        ("former-platform-week-1.csv", "former-platform-week-2.csv"),
        "former-platform-reading.json",
    ),
}


def load_demo(suppliers: Collection[str] = SENDERS) -> int | None:
    """Make Ostrelle with its catalog and the first delivery of each of ``suppliers`` waiting;
    gives the store's id, or None when there is a store already."""
    if stores.list_stores():
        return None
    schema = from_descriptor(json.loads((DATA / "store-schema.json").read_text("utf-8")))
    categories = json.loads((DATA / "categories.json").read_text("utf-8"))
    store_id = stores.add_store(STORE, schema, categories)
    names.take_names(store_id, (DATA / "category-names.csv").read_bytes())
    prices.save_ladder(store_id, Ladder.model_validate(LADDER))
    catalog.load_catalog(store_id, (DATA / "catalog.csv").read_bytes())
    for supplier, sender in SENDERS.items():
        if supplier not in suppliers:
            continue
        feed_id = stores.add_feed(store_id, supplier, sender.feed)
        if sender.reading:
            receive.save_reading(feed_id, parse_reading(json.loads(_text(sender.reading))))
        next_delivery(feed_id)
    return store_id


def _text(name: str) -> str:
    return (DATA / name).read_text("utf-8")


def waiting_deliveries(feed_id: int) -> list[str]:
    """The demo files that this feed has not received yet, in order; none for other feeds."""
    with session() as db:
        feeds = Feeds.holding(db, feed_id)
        sender = SENDERS.get(feeds.supplier(feeds.get(feed_id)).name)
        if sender is None or feeds.get(feed_id).name != sender.feed:
            return []
        known = {d.file_name for d in Deliveries(db, feeds.store_id).of_feed(feed_id)}
    return [name for name in sender.files if name not in known]


def next_delivery(feed_id: int) -> Delivery:
    """Receive the next demo file. Raises ``NotFound`` when all have come."""
    names = waiting_deliveries(feed_id)
    if not names:
        raise NotFound("The demo's supplier has sent everything it has.")
    data = (DATA / names[0]).read_bytes()
    return receive.receive(feed_id, names[0], io.BytesIO(data))
