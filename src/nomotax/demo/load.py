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
from nomotax.demo.outside.layout import FOLDER, FTP, MAIL, SFTP, WEB
from nomotax.demo.outside.stand_ins import StandIns
from nomotax.flows import catalog, names, prices, receive, stores
from nomotax.flows.fetching import FetchLine, ask_for_fetch
from nomotax.flows.sources import set_source
from nomotax.flows.telling import Told, set_told
from nomotax.records.database import session
from nomotax.records.repositories import Feeds, Stores

DATA = Path(__file__).parent / "data"
STORE = "Ostrelle Art Supply"
SUPPLIER = "Quarrow Pigments"
#: Who is told of what happens to the demo's feeds.
BUYER = "catalog@ostrelle.example"


@dataclass(frozen=True)
class Sender:
    """One of the demo's suppliers: its feed, which of the stand-ins gives its files (``part``),
    and what it sends, in order. ``reading`` is one that a person has worked out already."""

    feed: str
    part: str
    files: tuple[str, ...]
    reading: str = ""


SENDERS = {
    SUPPLIER: Sender("Weekly list", WEB, ("quarrow-week-1.csv", "quarrow-week-2.csv")),
    "Sollund Paper Mill": Sender("Price book", SFTP, ("sollund-week-1.xml", "sollund-week-2.xml")),
    "Brindlecombe Brushes": Sender(
        "Trade list", FTP, ("brindlecombe-week-1.xlsx", "brindlecombe-week-2.xlsx")
    ),
    "Castelune Wholesale": Sender(
        "Range, prices and stock", MAIL, ("castelune-week-1.zip", "castelune-week-2.zip")
    ),
    "Former platform": Sender(
        "Product export",
        FOLDER,
        ("former-platform-week-1.csv", "former-platform-week-2.csv"),
        "former-platform-reading.json",
    ),
}


def load_demo(suppliers: Collection[str] = SENDERS, outside: StandIns | None = None) -> int | None:
    """Make Ostrelle with its catalog and the first delivery of each of ``suppliers`` waiting;
    gives the store's id, or None when there is a store already. With stand-ins the feeds know
    where their deliveries come from."""
    if stores.list_stores():
        return None
    schema = from_descriptor(json.loads((DATA / "store-schema.json").read_text("utf-8")))
    categories = json.loads((DATA / "categories.json").read_text("utf-8"))
    store_id = stores.add_store(STORE, schema, categories)
    names.take_names(store_id, (DATA / "category-names.csv").read_bytes())
    prices.save_ladder(store_id, Ladder.model_validate(LADDER))
    catalog.load_catalog(store_id, (DATA / "catalog.csv").read_bytes())
    for supplier, sender in SENDERS.items():
        if supplier in suppliers:
            _load_feed(store_id, supplier, sender, outside)
    if outside:
        set_told(store_id, Told(mail=[BUYER], hook=outside.hook))
    return store_id


def _load_feed(store_id: int, supplier: str, sender: Sender, outside: StandIns | None) -> None:
    feed_id = stores.add_feed(store_id, supplier, sender.feed)
    if sender.reading:
        document = json.loads((DATA / sender.reading).read_text("utf-8"))
        receive.save_reading(feed_id, parse_reading(document))
    if outside:
        outside.release(sender.part, sender.files[0], (DATA / sender.files[0]).read_bytes())
        set_source(feed_id, outside.source(sender.part))
    first = (DATA / sender.files[0]).read_bytes()
    receive.take_in(feed_id, sender.files[0], io.BytesIO(first))


def waiting_files(feed_id: int, outside: StandIns) -> list[str]:
    """The demo files that the supplier of this feed has not laid out yet, in order; none for other
    feeds."""
    sender = _sender(feed_id)
    if sender is None:
        return []
    return [name for name in sender.files if not outside.has(sender.part, name)]


def _sender(feed_id: int) -> Sender | None:
    """Of a feed of the demo's own store that is fetched."""
    with session() as db:
        feeds = Feeds.holding(db, feed_id)
        feed, store = feeds.get(feed_id), Stores(db).get(feeds.store_id)
        sender = SENDERS.get(feeds.supplier(feed).name)
    known = sender is not None and (store.name, feed.name) == (STORE, sender.feed)
    return sender if known and feed.source else None


def release_next(feed_id: int, outside: StandIns) -> FetchLine:
    """A week passes: the supplier lays its next file out, and it is fetched. Raises ``NotFound``
    when all have come."""
    names, sender = waiting_files(feed_id, outside), _sender(feed_id)
    if not names or sender is None:
        raise NotFound("The demo's supplier has sent everything it has.")
    outside.release(sender.part, names[0], (DATA / names[0]).read_bytes())
    return ask_for_fetch(feed_id, "a week has passed")
