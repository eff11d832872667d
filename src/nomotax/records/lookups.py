"""Saved look-ups of a store: entry by entry, each with who gave it, and revision by revision."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import insert, text
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlmodel import col, select

from nomotax.core.crosswalk.compare import lookup_changes
from nomotax.core.crosswalk.saved import KINDS, LookupKind, SavedLookup, kind_of
from nomotax.core.flow.context import Lookups
from nomotax.records.actors import at_work
from nomotax.records.columns import now
from nomotax.records.repository import Repository, known_id
from nomotax.records.tables import Lookup, LookupEntry, LookupRevision

#: What locks of look-ups are called among the database's advisory locks.
_LOOKUPS = 6101
_BY_NAME = {kind.name: kind for kind in KINDS}

#: Look-ups as they were at a revision of each, in the order in which they were made.
_AT = """
select w.id, w.number, l.kind, l.name, r.document, e.entries
from {wanted} w join lookups l on l.id = w.id
join lookup_revisions r on r.lookup_id = w.id and r.number = w.number
left join lateral (
  select json_object_agg(e.arriving, e.answer order by e.id) as entries from lookup_entries e
  where e.lookup_id = w.id and e.since <= w.number and (e.until is null or e.until > w.number)
) e on true
where l.store_id = :store and r.document is not null order by w.id
"""
_NEWEST = text(_AT.format(wanted="(select id, revision as number from lookups)"))
_GIVEN = text(
    _AT.format(
        wanted="(select * from unnest(cast(:ids as int[]), cast(:numbers as int[])) "
        "as u(id, number))"
    )
)
_END = text(
    "update lookup_entries set until = :number "
    "where lookup_id = :lookup and until is null and arriving = any(:gone)"
)

#: A look-up by its id, and the number of a revision of it.
At = tuple[int, int]


@dataclass(frozen=True)
class StoreLookups:
    """The look-ups of a store as they are now; ``at`` tells the revision of each, by its kind and
    name."""

    lookups: Lookups
    at: Mapping[tuple[str, str], At]


class LookupsRepository(Repository):
    of, what = Lookup, "look-up"

    def now(self) -> StoreLookups:
        """All of the store's look-ups."""
        held: dict[str, dict[str, Any]] = {kind.where: {} for kind in KINDS}
        marks: dict[tuple[str, str], At] = {}
        for at, kind, one in self._read(_NEWEST):
            held[kind.where][one.name] = one
            marks[kind.name, one.name] = at
        return StoreLookups(Lookups(**held), marks)

    def all(self) -> Lookups:
        """The same without their revisions."""
        return self.now().lookups

    def as_of(self, wanted: Iterable[At]) -> dict[At, SavedLookup]:
        """Look-ups as they were at these revisions."""
        pairs = sorted(set(wanted))
        if not pairs:
            return {}
        ids, numbers = [i for i, _ in pairs], [n for _, n in pairs]
        return {at: one for at, _, one in self._read(_GIVEN, ids=ids, numbers=numbers)}

    def _read(self, query: Any, **values: Any) -> Iterable[tuple[At, LookupKind, SavedLookup]]:
        rows = self.session.connection().execute(query, {"store": self.store_id, **values})
        for row in rows:
            kind = _BY_NAME[row.kind]
            yield (row.id, row.number), kind, kind.joined(row.document, row.entries or {})

    def alone(self) -> None:
        """From here until this transaction ends nobody else changes the store's look-ups: what is
        read behind this may be written back with one more answer, and no answer is lost."""
        query = text("select pg_advisory_xact_lock(:what, :store)")
        self.session.connection().execute(query, {"what": _LOOKUPS, "store": self.store_id})

    def find(self, kind: str, name: str) -> Lookup | None:
        query = select(Lookup).where(
            Lookup.store_id == self.store_id, Lookup.kind == kind, Lookup.name == name
        )
        return self.session.exec(query).first()

    def names(self) -> set[tuple[str, str]]:
        """Kind and name of every look-up."""
        query = select(Lookup.kind, Lookup.name).where(Lookup.store_id == self.store_id)
        return {(kind, name) for kind, name in self.session.exec(query)}

    def changes(self, kind: str, name: str, until: int | None = None) -> list[LookupRevision]:
        """The newest hundred first; those up to the revision ``until``."""
        query = (
            select(LookupRevision)
            .join(Lookup, col(Lookup.id) == col(LookupRevision.lookup_id))
            .where(Lookup.store_id == self.store_id, Lookup.kind == kind, Lookup.name == name)
        )
        if until is not None:
            query = query.where(LookupRevision.number <= until)
        return list(self.session.exec(query.order_by(col(LookupRevision.number).desc()).limit(100)))

    def change(self, record: Lookup, number: int | None) -> LookupRevision | None:
        """One change by its number, None where nothing is kept of it."""
        if number is None:
            return None
        return self.session.get(LookupRevision, (known_id(record), number))

    def answers(self, kind: str, name: str, arriving: str) -> list[LookupEntry]:
        """What was ever answered to what arrives, the newest first."""
        query = (
            select(LookupEntry)
            .join(Lookup, col(Lookup.id) == col(LookupEntry.lookup_id))
            .where(
                Lookup.store_id == self.store_id,
                Lookup.kind == kind,
                Lookup.name == name,
                LookupEntry.arriving == arriving,
            )
        )
        return list(self.session.exec(query.order_by(col(LookupEntry.since).desc())))

    def answer_at(self, kind: str, name: str, arriving: str, number: int) -> LookupEntry | None:
        """The answer that stood at a revision."""
        given = self.answers(kind, name, arriving)
        stood = (e for e in given if e.since <= number and (e.until is None or e.until > number))
        return next(stood, None)

    def save(self, model: SavedLookup) -> None:
        """Keep a look-up under its name, in place of an older one. Only the entries that differ
        are written, each by the one who is at work."""
        kind = kind_of(model)
        record = self._locked(kind.name, model.name)
        lookup = known_id(record)
        before = self.as_of([(lookup, record.revision)]).get((lookup, record.revision))
        document, entries = kind.parted(model)
        if before is not None and kind.parted(before) == (document, entries):
            return
        record.revision += 1
        self.session.add_all(
            [
                record,
                LookupRevision(
                    lookup_id=lookup,
                    number=record.revision,
                    store_id=self.store_id,
                    document=document,
                    said=lookup_changes(before, model),
                    actor=at_work(self.session),
                ),
            ]
        )
        self.session.flush()
        self._write(record, kind.parted(before)[1] if before is not None else {}, entries)

    def _locked(self, kind: str, name: str) -> Lookup:
        """The look-up of that name, made when new, which nobody else changes meanwhile."""
        new = upsert(Lookup).values(store_id=self.store_id, kind=kind, name=name, revision=0)
        self.session.connection().execute(new.on_conflict_do_nothing())
        query = (
            select(Lookup)
            .where(Lookup.store_id == self.store_id, Lookup.kind == kind, Lookup.name == name)
            .with_for_update()
        )
        return self.session.exec(query.execution_options(populate_existing=True)).one()

    def _write(self, record: Lookup, before: Mapping[str, str], after: Mapping[str, str]) -> None:
        lookup, number = known_id(record), record.revision
        gone = [arriving for arriving, answer in before.items() if after.get(arriving) != answer]
        given = [(a, answer) for a, answer in after.items() if before.get(a) != answer]
        if gone:
            values = {"number": number, "lookup": lookup, "gone": gone}
            self.session.connection().execute(_END, values)
        if given:
            by, at = at_work(self.session), now()
            about = {
                "store_id": self.store_id, "lookup_id": lookup, "since": number, "at": at,
                "actor_id": by.id if by else None,
            }  # fmt: skip
            self.session.connection().execute(
                insert(LookupEntry),
                [{**about, "arriving": arriving, "answer": answer} for arriving, answer in given],
            )
