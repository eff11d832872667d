"""The scopes of a feed: fields under names that it may be run by."""

from __future__ import annotations

from collections.abc import Iterator

from pydantic import BaseModel, Field

from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.crosswalk.scope import Scope
from nomotax.core.errors import Conflict, NotFound
from nomotax.core.schema.model import StoreSchema
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.feed_changes import note_change
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.schedules import Schedules
from nomotax.records.tables import Feed


class ScopeField(BaseModel):
    """A field that the feed fills."""

    name: str
    label: str


class FeedScopes(BaseModel):
    """A feed's scopes, and the ``fields`` that they may be of."""

    scopes: list[Scope]
    fields: list[ScopeField]


class ScopesEdit(BaseModel):
    scopes: list[Scope] = Field(max_length=40)


def saved_scopes(feed: Feed) -> list[Scope]:
    return [Scope.model_validate(one) for one in feed.scopes]


def scope_named(feed: Feed, name: str) -> Scope | None:
    """A scope of a feed; None for "", all its fields. Raises ``NotFound``."""
    if not name:
        return None
    found = next((one for one in saved_scopes(feed) if one.name == name), None)
    if found is None:
        there = ", ".join(one.name for one in saved_scopes(feed))
        raise NotFound(
            f"This feed has no scope {name!r}.",
            remedy=f"It has: {there}." if there else "It has none; make one on its profile.",
        )
    return found


def scopes_of(feed_id: int) -> FeedScopes:
    """Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        schema = Stores(db).schema(feed.store_id)
        draft = Crosswalks(db, feed.store_id).by_feed()[feed_id].draft
    filled = Crosswalk.model_validate(draft).all_fills()
    fields = [
        ScopeField(name=f.name, label=f.label)
        for f in schema.fields
        if f.name in filled and f.name != schema.key
    ]
    return FeedScopes(scopes=saved_scopes(feed), fields=fields)


def set_scopes(feed_id: int, wanted: ScopesEdit) -> FeedScopes:
    """Raises ``Conflict`` for two of one name, for a field that the store does not have, and for
    one that is gone and schedules are of."""
    with session() as db:
        feeds = Feeds.holding(db, feed_id)
        feed = feeds.locked(feed_id)
        schema = Stores(db).schema(feed.store_id)
        names = [one.name for one in wanted.scopes]
        if len({name.casefold() for name in names}) < len(names):
            raise Conflict("Two scopes have the same name.", remedy="Give one of them another.")
        fresh = {f for one in wanted.scopes for f in one.fields}
        known = {f for one in saved_scopes(feed) for f in one.fields}
        strange = sorted(f for f in fresh - known if f not in schema or f == schema.key)
        if strange:
            raise Conflict(
                f"{strange[0]!r} is no field that a scope can be of.",
                remedy="Choose fields of the store other than its key.",
            )
        used = {one.scope for one in Schedules(db, feed.store_id).of_feed(feed_id)}
        lost = sorted(used - {"", *names})
        if lost:
            raise Conflict(
                f"A schedule is of the scope {lost[0]!r}.",
                remedy="Let the schedule be of another one first, or remove it.",
            )
        for said in _changed(saved_scopes(feed), wanted.scopes, schema):
            note_change(db, feed, said)
        feed.scopes = [one.model_dump(mode="json") for one in wanted.scopes]
        db.add(feed)
    return scopes_of(feed_id)


def _changed(before: list[Scope], after: list[Scope], schema: StoreSchema) -> Iterator[str]:
    known, names = {one.name: one for one in before}, {one.name for one in after}
    for one in after:
        if one != known.get(one.name):
            labels = (schema[f].label if f in schema else f for f in one.fields)
            yield f"the scope {one.name} is {', '.join(labels)}"
    yield from (f"the scope {one.name} is no more" for one in before if one.name not in names)
