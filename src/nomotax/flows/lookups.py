"""Saved look-ups of a store: who uses them, who changed them, in and out as CSV."""

from __future__ import annotations

import csv
import io
from datetime import datetime
from typing import Literal

from pydantic import BaseModel

from nomotax.core.crosswalk.model import Chain
from nomotax.core.crosswalk.saved import KINDS, SavedLookup, named_by
from nomotax.core.errors import NotFound, UnreadableFile
from nomotax.core.lookups.tables import Otherwise, ValueTable
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
        changes = patch.model_dump(exclude={"name"}, exclude_none=True)
        repo.save(store_id, _table(repo, store_id, patch.name).model_copy(update=changes))


def table_csv(store_id: int, name: str) -> bytes:
    """A value table as CSV (UTF-8 with a mark, so that spreadsheets read it right)."""
    with session() as db:
        table = _table(LookupsRepository(db), store_id, name)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["arriving", "store"])
    writer.writerows(table.entries.items())
    return out.getvalue().encode("utf-8-sig")


def take_csv(store_id: int, name: str, data: bytes) -> int:
    """Add the words of a CSV file to a table, in place of those already there; gives how many.

    Raises ``UnreadableFile`` naming the line that is no pair, and changes nothing then.
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise UnreadableFile(
            "The file is not UTF-8.",
            where=f"byte {error.start + 1}",
            remedy="Save it as CSV UTF-8.",
        ) from error
    rows = [(n, r) for n, r in enumerate(csv.reader(io.StringIO(text, newline="")), 1) if any(r)]
    if rows and [c.strip().lower() for c in rows[0][1]] == ["arriving", "store"]:
        rows = rows[1:]
    wrong = next((n for n, r in rows if len(r) != 2 or not r[0].strip()), None)
    if wrong is not None:
        raise UnreadableFile(
            "This line has not two columns.",
            where=f"line {wrong}",
            remedy="Each line holds the arriving word and the store's word.",
        )
    with session() as db:
        repo = LookupsRepository(db)
        table = _table(repo, store_id, name)
        entries = table.entries | {a.strip(): b.strip() for _, (a, b) in rows}
        repo.save(store_id, table.model_copy(update={"entries": entries}))
    return len(rows)
