"""A store's categories in other languages: taken from a file, and given as one."""

from __future__ import annotations

from nomotax.core.lookups.names import read_names, write_names
from nomotax.records.database import session
from nomotax.records.repositories import Stores


def names_csv(store_id: int) -> bytes:
    """Every name as CSV: category, language, name."""
    with session() as db:
        Stores(db).get(store_id)
        return write_names(Stores(db).tree(store_id))


def take_names(store_id: int, data: bytes) -> int:
    """Keep the names of a CSV file beside those already there; gives how many.

    Raises ``UnreadableFile``, and keeps none then.
    """
    with session() as db:
        Stores(db).get(store_id)
        categories = {c.path: c for c in Stores(db).categories(store_id)}
        found = read_names(data, categories)
        for path, names in found.items():
            kept = categories[path].names | names
            categories[path].names = {tag: name for tag, name in kept.items() if name}
            db.add(categories[path])
    return sum(map(len, found.values()))
