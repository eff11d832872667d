"""Look-ups as whole documents, told as revisions and entries (migration 0012)."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, text

#: Where a version's document has look-ups of each kind, and where those have their entries.
_KINDS = {
    "value_tables": ("value_table", "entries"),
    "category_tables": ("category_table", "placements"),
    "ladders": ("ladder", ""),
    "rates": ("rate", ""),
    "chains": ("chain", ""),
}
_ENTRIES = dict(_KINDS.values())
Document = dict[str, Any]
Name = tuple[int, str, str]

_REVISION = text(
    "insert into lookup_revisions (lookup_id, number, store_id, document, said, actor_id, at) "
    "values (:lookup, :number, :store, cast(:document as jsonb), :said, :actor, :at)"
)
_ENTRY = text(
    "insert into lookup_entries (store_id, lookup_id, arriving, answer, since, until, actor_id, at)"
    " values (:store, :lookup, :arriving, :answer, :since, :until, :actor, :at)"
)


@dataclass
class _Revision:
    at: datetime
    said: str = ""
    actor: int | None = None
    document: Document | None = None


@dataclass
class _History:
    """The revisions of one look-up, as far as versions and what stands now tell of them."""

    lookup: int
    revisions: list[_Revision] = field(default_factory=list)

    def changed(self, at: datetime, said: str, actor: int | None) -> None:
        self.revisions.append(_Revision(at, said, actor))

    def known(self, at: datetime, document: Document) -> int:
        """What it was at a moment; gives the number of the revision."""
        last = self.revisions[-1] if self.revisions else None
        if last is None or last.document not in (None, document):
            self.revisions.append(_Revision(at, document=document))
        else:
            last.document = document
        return len(self.revisions)


def told(db: Connection) -> None:
    """Tell every look-up as revisions and entries, and let versions refer to them."""
    histories = {
        (row.store_id, row.kind, row.name): _History(row.id)
        for row in db.execute(text("select id, store_id, kind, name from lookups"))
    }
    for at, kind, row in _events(db):
        if kind == "version":
            _refer(db, row, at, histories)
        elif (name := (row.store_id, row.kind, row.name)) in histories:
            histories[name].changed(at, row.said, row.actor_id)
    for row in db.execute(
        text("select store_id, kind, name, document, changed_at from lookups")
    ).all():
        histories[row.store_id, row.kind, row.name].known(row.changed_at, row.document)
    for (store, kind, _), history in histories.items():
        _write(db, store, _ENTRIES[kind], history)


def _events(db: Connection) -> Iterator[tuple[datetime, str, Any]]:
    """Changes of look-ups and versions, in the order in which they came."""
    changes = db.execute(text("select * from lookup_changes where kind <> 'field' order by id"))
    versions = db.execute(text("select * from crosswalk_versions order by id"))
    found = [(row.at, "change", row) for row in changes]
    found += [(row.created_at, "version", row) for row in versions]
    yield from sorted(found, key=lambda event: event[0])


def _refer(db: Connection, version: Any, at: datetime, histories: dict[Name, _History]) -> None:
    bundle, uses = dict(version.bundle), {}
    for where, (kind, _) in _KINDS.items():
        for document in bundle.pop(where, None) or ():
            name = (version.store_id, kind, document["name"])
            history = histories.get(name) or _again(db, name, document, at)
            histories[name] = history
            uses[str(history.lookup)] = history.known(at, document)
    db.execute(
        text(
            "update crosswalk_versions set bundle = cast(:bundle as jsonb), "
            "lookups = cast(:lookups as jsonb) where id = :id"
        ),
        {"bundle": json.dumps(bundle), "lookups": json.dumps(uses), "id": version.id},
    )


def _again(db: Connection, name: Name, document: Document, at: datetime) -> _History:
    """A look-up that only a version still has."""
    store, kind, called = name
    made = db.execute(
        text(
            "insert into lookups (store_id, kind, name, document, revision, changed_at) "
            "values (:store, :kind, :name, cast(:document as jsonb), 1, :at) returning id"
        ),
        {"store": store, "kind": kind, "name": called, "document": json.dumps(document), "at": at},
    )
    return _History(int(made.scalar_one()))


def _write(db: Connection, store: int, entries: str, history: _History) -> None:
    about = {"store": store, "lookup": history.lookup}
    db.execute(
        text("update lookups set revision = :number where id = :lookup"),
        {"number": len(history.revisions), "lookup": history.lookup},
    )
    for number, one in enumerate(history.revisions, 1):
        rest = None
        if one.document is not None:
            rest = json.dumps({k: v for k, v in one.document.items() if k != entries})
        db.execute(
            _REVISION,
            {**about, "number": number, "document": rest, "said": one.said, "actor": one.actor,
             "at": one.at},
        )  # fmt: skip
    if entries and (found := list(_spans(history, entries))):
        db.execute(_ENTRY, [{**about, **span} for span in found])


def _spans(history: _History, entries: str) -> Iterator[dict[str, Any]]:
    """Each answer from the revision in which it is first known to the one that has another. Who
    gave it is known where the revision before is."""
    standing: dict[str, dict[str, Any]] = {}
    gap = False
    ended: list[dict[str, Any]] = []
    for number, one in enumerate(history.revisions, 1):
        if one.document is None:
            gap = True
            continue
        given: dict[str, str] = one.document.get(entries) or {}
        for arriving in [a for a, span in standing.items() if given.get(a) != span["answer"]]:
            ended.append(standing.pop(arriving) | {"until": number})
        for arriving, answer in given.items():
            if arriving not in standing:
                standing[arriving] = {
                    "arriving": arriving, "answer": answer, "since": number, "until": None,
                    "actor": None if gap else one.actor, "at": one.at,
                }  # fmt: skip
        gap = False
    yield from sorted([*ended, *standing.values()], key=lambda span: span["since"])
