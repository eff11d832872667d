"""Versions of a crosswalk: saved, compared, restored, copied to another feed."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel

from nomotax.core.crosswalk.compare import differences
from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.crosswalk.stating import doubted
from nomotax.core.errors import NotFound
from nomotax.flows.crosswalks import take_bundle
from nomotax.flows.workbench import Workbench, open_workbench
from nomotax.records.crosswalks import Crosswalks, draft_of
from nomotax.records.database import session
from nomotax.records.repositories import Feeds
from nomotax.records.repository import known_id


class VersionLine(BaseModel):
    """One version. ``changes`` says what it changed against the one before it; ``runs`` are the
    runs that used it."""

    id: int
    number: int
    at: datetime
    author: str
    note: str
    changes: list[str]
    runs: list[int]


class VersionList(BaseModel):
    """Newest first. ``unsaved`` is what the draft changes against the newest."""

    versions: list[VersionLine]
    unsaved: list[str]


_NOTHING = Bundle(crosswalk=Crosswalk())


def versions(feed_id: int, delivery_id: int | None = None) -> VersionList:
    """The history of a feed's crosswalk."""
    bench = open_workbench(feed_id, delivery_id)
    draft = bench.bundle()
    with session() as db:
        walks = Crosswalks(db, bench.store_id)
        found = walks.versions(bench.record)
        bundles = [*walks.bundles(found), _NOTHING]
        lines = [
            VersionLine(
                id=known_id(v),
                number=v.number,
                at=v.created_at,
                author=v.author,
                note=v.note,
                changes=differences(bundles[i + 1], bundles[i]),
                runs=walks.runs(v),
            )
            for i, v in enumerate(found)
        ]
    return VersionList(versions=lines, unsaved=differences(bundles[0], draft))


def save_version(feed_id: int, note: str) -> None:
    """Keep the draft as a version with a note."""
    open_workbench(feed_id).freeze(note)


def numbered(bench: Workbench, number: int) -> Bundle:
    """A version of the crosswalk by its number. Raises ``NotFound``."""
    with session() as db:
        walks = Crosswalks(db, bench.store_id)
        found = next((v for v in walks.versions(bench.record) if v.number == number), None)
        if found is None:
            raise NotFound(f"This crosswalk has no version {number}.")
        return walks.bundle(found)


def compare_versions(feed_id: int, before: int, after: int) -> list[str]:
    """What changed from one version to another; 0 stands for the draft."""
    bench = open_workbench(feed_id)
    return differences(*(numbered(bench, n) if n else bench.bundle() for n in (before, after)))


def restore_version(feed_id: int, number: int) -> None:
    """Make a version the draft again, look-ups and all. The draft as it was is kept as a version
    before."""
    bench = open_workbench(feed_id)
    wanted = numbered(bench, number)
    bench.freeze(f"before version {number} came back")
    take_bundle(feed_id, wanted)


def copy_crosswalk(feed_id: int, source_id: int) -> list[str]:
    """Start a feed with another feed's crosswalk; gives the columns that this feed does not have.
    Look-ups are shared. The draft as it was is kept as a version before. Raises ``NotFound`` for a
    feed of another store."""
    bench = open_workbench(feed_id)
    with session() as db:
        feeds, walks = Feeds(db, bench.store_id), Crosswalks(db, bench.store_id)
        source = feeds.get(source_id)
        other, draft = feeds.supplier(source), draft_of(walks.from_feed(source_id))
    if bench.crosswalk != Crosswalk():
        bench.freeze(f"before the crosswalk of {source.name} came in")
    if bench.source.feed.supplier_id != other.id:
        # Its prefix, money and units are the other supplier's until a person has agreed.
        draft = doubted(draft, bench.schema, other.name)
    with session() as db:
        walks = Crosswalks(db, bench.store_id)
        walks.edit(walks.from_feed(feed_id, alone=True), draft)
    return sorted(open_workbench(feed_id).missing)
