"""Versions of a crosswalk: saved, compared, restored, copied to another feed."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel

from nomotax.core.crosswalk.compare import differences
from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.crosswalk.stating import doubted
from nomotax.core.errors import Conflict, NotFound
from nomotax.flows.crosswalks import take_bundle
from nomotax.flows.workbench import freeze_version, open_workbench
from nomotax.records.database import session
from nomotax.records.repositories import Feeds, Runs, Stores, known_id
from nomotax.records.tables import CrosswalkVersion


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


def _bundle(version: CrosswalkVersion) -> Bundle:
    return Bundle.model_validate(version.bundle)


def versions(feed_id: int, delivery_id: int | None = None) -> VersionList:
    """The history of a feed's crosswalk."""
    draft = open_workbench(feed_id, delivery_id).bundle()
    with session() as db:
        repo = Runs(db)
        found = repo.versions_of(feed_id)
        bundles = [*(_bundle(v) for v in found), _NOTHING]
        lines = [
            VersionLine(
                id=known_id(v),
                number=v.number,
                at=v.created_at,
                author=v.author,
                note=v.note,
                changes=differences(bundles[i + 1], bundles[i]),
                runs=repo.of_version(known_id(v)),
            )
            for i, v in enumerate(found)
        ]
    return VersionList(versions=lines, unsaved=differences(bundles[0], draft))


def save_version(feed_id: int, note: str) -> None:
    """Keep the draft as a version with a note."""
    freeze_version(feed_id, open_workbench(feed_id).bundle(), note)


def _of_feed(feed_id: int, number: int) -> Bundle:
    with session() as db:
        found = next((v for v in Runs(db).versions_of(feed_id) if v.number == number), None)
        if found is None:
            raise NotFound(f"This crosswalk has no version {number}.")
        return _bundle(found)


def compare_versions(feed_id: int, before: int, after: int) -> list[str]:
    """What changed from one version to another; 0 stands for the draft."""
    sides = [
        _of_feed(feed_id, n) if n else open_workbench(feed_id).bundle() for n in (before, after)
    ]
    return differences(*sides)


def restore_version(feed_id: int, number: int) -> None:
    """Make a version the draft again, look-ups and all. The draft as it was is kept as a version
    before."""
    wanted = _of_feed(feed_id, number)
    freeze_version(feed_id, open_workbench(feed_id).bundle(), f"before version {number} came back")
    take_bundle(feed_id, wanted)


def copy_crosswalk(feed_id: int, source_id: int) -> list[str]:
    """Start a feed with another feed's crosswalk; gives the columns that this feed does not have.
    Look-ups are shared. The draft as it was is kept as a version before. Raises ``Conflict``
    between different stores."""
    mine = open_workbench(feed_id).bundle()
    with session() as db:
        feeds = Feeds(db)
        feed, source = feeds.get(feed_id), feeds.get(source_id)
        if feeds.supplier(feed).store_id != feeds.supplier(source).store_id:
            raise Conflict("The other feed belongs to another store.")
        if mine.crosswalk != Crosswalk():
            note = f"before the crosswalk of {source.name} came in"
            Runs(db).freeze(feed_id, mine.model_dump(mode="json"), note)
        own, other = feeds.supplier(feed), feeds.supplier(source)
        draft = feeds.draft(source)
        if own.id != other.id:
            # Its prefix, money and units are the other supplier's until a person has agreed.
            draft = doubted(draft, Stores(db).schema(own.store_id), other.name)
        feed.draft, feed.draft_revision = draft.model_dump(mode="json"), feed.draft_revision + 1
        db.add(feed)
    return sorted(open_workbench(feed_id).missing)
