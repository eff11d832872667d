"""Saved look-ups of a store: who uses them, who changed them, in and out as CSV."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel

from nomotax.core.crosswalk.model import Chain
from nomotax.core.crosswalk.saved import KINDS, SavedLookup, named_by
from nomotax.core.errors import NotFound
from nomotax.core.lookups.decided import read_places, read_words, write_decided
from nomotax.core.lookups.tables import CategoryTable, Otherwise, ValueTable
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.pricing.rates import Rate
from nomotax.flows.rates import rates_address
from nomotax.records.database import session
from nomotax.records.repositories import Feeds, LookupsRepository, Stores


class LookupLine(BaseModel):
    """One look-up: how large it is, and the feeds whose crosswalks use it."""

    kind: str
    name: str
    entries: int
    feeds: list[str]


class LookupList(BaseModel):
    lookups: list[LookupLine]
    rates: list[Rate]
    rates_address: str
    chains: list[Chain]
    ladders: list[Ladder]


class LookupChangeLine(BaseModel):
    at: datetime
    author: str
    said: str


class LookupHistory(BaseModel):
    """Newest first. ``doubled`` are arriving words looked up as one with different answers."""

    changes: list[LookupChangeLine]
    doubled: list[list[str]]


class TablePatch(BaseModel):
    """What changes; what is left out stays."""

    name: str
    match: Literal["exact", "fold", "loose"] | None = None
    otherwise: Otherwise | None = None
    word: str | None = None


def all_lookups(store_id: int) -> LookupList:
    """Every saved look-up of a store. Raises ``NotFound``."""
    with session() as db:
        Stores(db).get(store_id)
        saved = LookupsRepository(db).of_store(store_id)
        feeds = Feeds(db)
        used: dict[tuple[str, str], list[str]] = {}
        for feed, supplier in feeds.of_store(store_id):
            named = named_by(feeds.draft(feed), saved)
            for kind, names in named.items():
                for name in names:
                    used.setdefault((kind, name), []).append(f"{supplier.name}, {feed.name}")
    lines = [
        LookupLine(
            kind=kind.name, name=n, entries=kind.size(one), feeds=used.get((kind.name, n), [])
        )
        for kind in KINDS
        for n, one in kind.of(saved).items()
    ]
    chains = [Chain(name=c.name, steps=c.steps) for c in saved.chains.values()]
    return LookupList(
        lookups=lines,
        rates=list(saved.rates.values()),
        rates_address=rates_address(store_id),
        chains=chains,
        ladders=[saved.ladders[name] for name in sorted(saved.ladders)],
    )


def save(store_id: int, one: SavedLookup) -> None:
    """Keep a look-up under its name."""
    with session() as db:
        Stores(db).get(store_id)
        LookupsRepository(db).save(store_id, one)


def history(store_id: int, kind: str, name: str) -> LookupHistory:
    """Who changed what in a look-up, or (kind "field") in a field of the schema. Raises
    ``NotFound`` for a look-up that is not there."""
    with session() as db:
        repo = LookupsRepository(db)
        changes = [
            LookupChangeLine(at=c.at, author=c.author, said=c.said)
            for c in repo.changes(store_id, kind, name)
        ]
        # A field of the schema has a history as well, and none before its first change.
        if kind != "field" and repo.find(store_id, kind, name) is None:
            raise NotFound(f"There is no look-up {name!r}.")
        table = repo.of_store(store_id).value_tables.get(name) if kind == "value_table" else None
    return LookupHistory(changes=changes, doubled=table.doubled() if table else [])


def _table(repo: LookupsRepository, store_id: int, name: str) -> ValueTable:
    found = repo.of_store(store_id).value_tables.get(name)
    if found is None:
        raise NotFound(f"There is no value table {name!r}.")
    return found


def patch_table(store_id: int, patch: TablePatch) -> None:
    """Change a value table's rules. Raises ``NotFound``."""
    with session() as db:
        repo = LookupsRepository(db)
        repo.alone(store_id)
        changes = patch.model_dump(exclude={"name"}, exclude_none=True)
        repo.save(store_id, _table(repo, store_id, patch.name).model_copy(update=changes))


class Taken(BaseModel):
    """What came of a file of decisions: how many lines it held, and what stood before for each
    arriving word or path, null where nothing did."""

    entries: int
    before: dict[str, str | None]


def words_csv(store_id: int, name: str) -> bytes:
    """The words of a value table as CSV. Raises ``NotFound``."""
    with session() as db:
        return write_decided(_table(LookupsRepository(db), store_id, name).entries)


def take_words(store_id: int, name: str, data: bytes) -> Taken:
    """Add the words of a CSV file to a table, in place of those already there.

    Raises ``UnreadableFile`` naming the line that is no pair, and changes nothing then.
    """
    words = read_words(data)
    with session() as db:
        repo = LookupsRepository(db)
        repo.alone(store_id)
        table = _table(repo, store_id, name)
        repo.save(store_id, table.model_copy(update={"entries": table.entries | words}))
        before = {word: table.entries.get(word) for word in words}
    return Taken(entries=len(words), before=before)


def places_csv(store_id: int, name: str) -> bytes:
    """The placements of a category table as CSV. Raises ``NotFound``."""
    with session() as db:
        return write_decided(_tree(LookupsRepository(db), store_id, name).placements)


def take_places(store_id: int, name: str, data: bytes) -> Taken:
    """Add the placements of a CSV file to a table, in place of those already there.

    Raises ``UnreadableFile`` naming the line whose category is not there, and changes nothing then.
    """
    with session() as db:
        repo = LookupsRepository(db)
        repo.alone(store_id)
        table = _tree(repo, store_id, name)
        placed = read_places(data, Stores(db).tree(store_id))
        changed = {table.split(path) for path in placed}
        kept = {p: v for p, v in table.placements.items() if table.split(p) not in changed}
        repo.save(store_id, table.model_copy(update={"placements": kept | placed}))
        known = {table.split(path): place for path, place in table.placements.items()}
        before = {path: known.get(table.split(path)) for path in placed}
    return Taken(entries=len(placed), before=before)


def _tree(repo: LookupsRepository, store_id: int, name: str) -> CategoryTable:
    found = repo.of_store(store_id).category_tables.get(name)
    if found is None:
        raise NotFound(f"There is no category table {name!r}.")
    return found
