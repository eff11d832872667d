"""What becomes of a delivery that comes by itself: prepared, and applied as far as its feed may."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, get_args

from nomotax.core.crosswalk.scope import Scope
from nomotax.flows.offers import scope_of
from nomotax.flows.runs import start_run
from nomotax.flows.scopes import scope_named
from nomotax.records.actors import acting
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.repositories import Feeds
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Delivery, Run

#: *wait*: prepared, and looked at by a person. *clean*: applied when nothing at all is open of it.
#: *rest*: what is clean is applied, and what guards or questions hold waits.
Policy = Literal["wait", "clean", "rest"]
POLICIES: tuple[Policy, ...] = get_args(Policy)
SAID: Mapping[Policy, str] = {
    "wait": "waits to be looked at",
    "clean": "is applied when nothing is open",
    "rest": "is applied as far as it is clean",
}


def parse_policy(text: str) -> Policy | None:
    """A saved policy; None where there is none."""
    return next((one for one in POLICIES if one == text), None)


def begin(delivery: Delivery, may: Policy | None = None, scope: str = "") -> Run | None:
    """Prepare a delivery that has come by itself, of all fields or of a scope of its feed; ``may``
    is what becomes of it then, None for what its feed says. None where it is not to be prepared: it
    could not be read, or its feed is not mapped, or only completes others, or a run of that has
    begun. Raises ``CrosswalkError``, ``Conflict`` for a file that broke off, ``NotFound`` for a
    scope that the feed does not have."""
    if delivery.status != "waiting" or not delivery.table_artifact:
        return None
    with session() as db:
        feed = Feeds(db, delivery.store_id).get(delivery.feed_id)
        mapped = Crosswalks(db, delivery.store_id).by_feed()[delivery.feed_id].draft.get("fills")
        begun = Runs(db, delivery.store_id).of_delivery(known_id(delivery))
    asked = scope_named(feed, scope)
    if not mapped or feed.removed_at or any(_covers(scope_of(run), asked) for run in begun):
        return None
    with acting("schedule", f"{feed.name}, by itself"):
        return start_run(
            delivery.feed_id, known_id(delivery), then=may or feed.may, scope=asked
        )  # fmt: skip


def _covers(begun: Scope | None, asked: Scope | None) -> bool:
    """Whether what is asked for is a part of what has begun; None is all fields."""
    if begun is None or asked is None:
        return begun is None
    return set(asked.fields) <= set(begun.fields)
