"""Saved look-ups of a store: who uses them, who changed them, in and out as CSV."""

from __future__ import annotations

from collections.abc import Sequence
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
from nomotax.records.crosswalks import Crosswalks, draft_of
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.tables import LookupRevision, SchemaChange


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


class AnswerLine(BaseModel):
    """One answer, who gave it and when; null where somebody took the one before back."""

    answer: str | None
    author: str
    at: datetime


class AnswerHistory(BaseModel):
    """Newest first; empty where nobody has ever answered."""

    answers: list[AnswerLine]


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
        saved, walks = LookupsRepository(db, store_id).all(), Crosswalks(db, store_id).by_feed()
        used: dict[tuple[str, str], list[str]] = {}
        for feed, supplier in Feeds(db, store_id).all():
            named = named_by(draft_of(walks[known_id(feed)]), saved)
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
        LookupsRepository(db, store_id).save(one)


def history(store_id: int, kind: str, name: str) -> LookupHistory:
    """Who changed what in a look-up, or (kind "field") in a field of the schema. Raises
    ``NotFound`` for a look-up that is not there."""
    with session() as db:
        if kind == "field":
            # None before its first change.
            changes = _lines(Stores(db).field_changes(store_id, name))
            return LookupHistory(changes=changes, doubled=[])
        repo = LookupsRepository(db, store_id)
        if repo.find(kind, name) is None:
            raise NotFound(f"There is no look-up {name!r}.")
        table = repo.all().value_tables.get(name) if kind == "value_table" else None
        changes = _lines(repo.changes(kind, name))
    return LookupHistory(changes=changes, doubled=table.doubled() if table else [])


def _lines(changes: Sequence[LookupRevision | SchemaChange]) -> list[LookupChangeLine]:
    return [LookupChangeLine(at=c.at, author=c.author, said=c.said) for c in changes]


def answers(store_id: int, kind: str, name: str, arriving: str) -> AnswerHistory:
    """What was ever answered to what arrives. Raises ``NotFound`` for a look-up that is not
    there."""
    with session() as db:
        repo = LookupsRepository(db, store_id)
        record = repo.find(kind, name)
        if record is None:
            raise NotFound(f"There is no look-up {name!r}.")
        given = repo.answers(kind, name, _as_listed(repo, kind, name, arriving))
        answered, lines = {entry.since for entry in given}, []
        for entry in given:
            end = repo.change(record, entry.until) if entry.until not in answered else None
            if end is not None:
                lines.append(AnswerLine(answer=None, author=end.author, at=end.at))
            lines.append(AnswerLine(answer=entry.answer, author=entry.author, at=entry.at))
    return AnswerHistory(answers=lines)


def _as_listed(repo: LookupsRepository, kind: str, name: str, arriving: str) -> str:
    """What arrives as the entry has it that answers it now."""
    held = repo.all()
    table = (held.value_tables if kind == "value_table" else held.category_tables).get(name)
    return (table.listed(arriving) if table else "") or arriving


def _table(repo: LookupsRepository, name: str) -> ValueTable:
    found = repo.all().value_tables.get(name)
    if found is None:
        raise NotFound(f"There is no value table {name!r}.")
    return found


def patch_table(store_id: int, patch: TablePatch) -> None:
    """Change a value table's rules. Raises ``NotFound``."""
    with session() as db:
        repo = LookupsRepository(db, store_id)
        repo.alone()
        changes = patch.model_dump(exclude={"name"}, exclude_none=True)
        repo.save(_table(repo, patch.name).model_copy(update=changes))


class Taken(BaseModel):
    """What came of a file of decisions: how many lines it held, and what stood before for each
    arriving word or path, null where nothing did."""

    entries: int
    before: dict[str, str | None]


def words_csv(store_id: int, name: str) -> bytes:
    """The words of a value table as CSV. Raises ``NotFound``."""
    with session() as db:
        return write_decided(_table(LookupsRepository(db, store_id), name).entries)


def take_words(store_id: int, name: str, data: bytes) -> Taken:
    """Add the words of a CSV file to a table, in place of those already there.

    Raises ``UnreadableFile`` naming the line that is no pair, and changes nothing then.
    """
    words = read_words(data)
    with session() as db:
        repo = LookupsRepository(db, store_id)
        repo.alone()
        table = _table(repo, name)
        repo.save(table.model_copy(update={"entries": table.entries | words}))
        before = {word: table.entries.get(word) for word in words}
    return Taken(entries=len(words), before=before)


def places_csv(store_id: int, name: str) -> bytes:
    """The placements of a category table as CSV. Raises ``NotFound``."""
    with session() as db:
        return write_decided(_tree(LookupsRepository(db, store_id), name).placements)


def take_places(store_id: int, name: str, data: bytes) -> Taken:
    """Add the placements of a CSV file to a table, in place of those already there.

    Raises ``UnreadableFile`` naming the line whose category is not there, and changes nothing then.
    """
    with session() as db:
        repo = LookupsRepository(db, store_id)
        repo.alone()
        table = _tree(repo, name)
        placed = read_places(data, Stores(db).tree(store_id))
        changed = {table.split(path) for path in placed}
        kept = {p: v for p, v in table.placements.items() if table.split(p) not in changed}
        repo.save(table.model_copy(update={"placements": kept | placed}))
        known = {table.split(path): place for path, place in table.placements.items()}
        before = {path: known.get(table.split(path)) for path in placed}
    return Taken(entries=len(placed), before=before)


def _tree(repo: LookupsRepository, name: str) -> CategoryTable:
    found = repo.all().category_tables.get(name)
    if found is None:
        raise NotFound(f"There is no category table {name!r}.")
    return found
