"""Who may run a feed, and who may change it. A name is what a browser says; it is no lock."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from nomotax.core.errors import Conflict
from nomotax.records.actors import person
from nomotax.records.database import session
from nomotax.records.feed_changes import note_change
from nomotax.records.repositories import Feeds
from nomotax.records.tables import Delivery, Feed, Fetch, Run, Schedule

Name = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^\S(.*\S)?$")]


class FeedPeople(BaseModel):
    """The names of those who may ``run`` a feed, and of those who may ``edit`` it; nobody named is
    everybody. Who may edit a feed may run it."""

    run: list[Name] = Field(default=[], max_length=50)
    edit: list[Name] = Field(default=[], max_length=50)


def people_of(feed_id: int) -> FeedPeople:
    """Raises ``NotFound``."""
    with session() as db:
        return FeedPeople.model_validate(Feeds.holding(db, feed_id).get(feed_id).people)


def set_people(feed_id: int, wanted: FeedPeople) -> FeedPeople:
    """Say who may do what. Raises ``Conflict`` for somebody who would shut themselves out."""
    if wanted.edit and person() not in wanted.edit:
        raise Conflict(
            "You could not change this feed yourself any more.",
            remedy="Name yourself among those who may, as you are called at the top of the page.",
        )
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        if feed.people != wanted.model_dump():
            note_change(db, feed, "; ".join(_said(wanted)))
        feed.people = wanted.model_dump()
        db.add(feed)
    return wanted


def _said(people: FeedPeople) -> list[str]:
    names = {"run": people.run, "changed": people.edit}
    return [f"may be {what} by {', '.join(who) or 'everybody'}" for what, who in names.items()]


def refusal(feed: Feed, editing: bool) -> str:
    """Why the person at work may not do so, "" where they may."""
    people = FeedPeople.model_validate(feed.people)
    allowed = people.edit if editing else [*people.run, *people.edit] if people.run else []
    if not allowed or person() in allowed:
        return ""
    return f"{feed.name} may be {'changed' if editing else 'run'} by {', '.join(allowed)} alone."


#: What is done with a feed, and what of it, by how it is asked for.
Of = Literal["feeds", "runs", "deliveries", "fetches", "schedules"]
_RECORDS: Mapping[Of, type[Run | Delivery | Fetch | Schedule]] = {
    "runs": Run, "deliveries": Delivery, "fetches": Fetch, "schedules": Schedule,
}  # fmt: skip


def why_not(of: Of, key: int, editing: bool) -> str:
    """Why the person at work may not change a feed, or run it, by something of it; "" where they
    may, or where there is no such thing."""
    with session() as db:
        if of != "feeds":
            key = int(getattr(db.get(_RECORDS[of], key), "feed_id", None) or 0)
        feed = db.get(Feed, key)
        return refusal(feed, editing) if feed else ""
