"""Exchange rates that come from elsewhere: a file, or an address that is asked when wanted."""

from __future__ import annotations

from urllib.parse import urlsplit

from nomotax.core.pricing.rates import Rate, read_rates
from nomotax.intake.bringing import fetch_small
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Stores

_MOST_BYTES = 1 << 20


def take_rates(store_id: int, data: bytes, origin: str) -> list[Rate]:
    """Keep the rates of a CSV file. A rate that is older than the one kept is passed over; gives
    those that were taken. Raises ``UnreadableFile``, and takes none then."""
    rates = read_rates(data, origin)
    with session() as db:
        repo = LookupsRepository(db, store_id)
        known = repo.all().rates
        fresh = [r for r in rates if r.name not in known or r.day >= known[r.name].day]
        for rate in fresh:
            repo.save(rate)
    return fresh


def fetch_rates(store_id: int, address: str) -> list[Rate]:
    """Ask an address for its rates and keep them; the address is remembered for the next time.
    Raises ``UnreadableFile`` when nothing comes, or no rates."""
    data = fetch_small(address, _MOST_BYTES)
    taken = take_rates(store_id, data, urlsplit(address).netloc)
    with session() as db:
        store = Stores(db).get(store_id)
        store.rates_address = address
        db.add(store)
    return taken


def rates_address(store_id: int) -> str:
    """Where the store's rates were last fetched from."""
    with session() as db:
        return Stores(db).get(store_id).rates_address
