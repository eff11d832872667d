"""A feed as one document: where from, when, what it may do, guards and crosswalk."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from nomotax.core.contract.model import Contract
from nomotax.core.crosswalk.model import Bundle
from nomotax.core.crosswalk.scope import Scope
from nomotax.core.errors import Conflict, NotFound
from nomotax.core.guards.model import Guard
from nomotax.flows.contracts import contract_of, set_contract
from nomotax.flows.crosswalks import refuse_unknown, take_bundle
from nomotax.flows.guarding import Guards, guards, set_guards
from nomotax.flows.receive import save_reading
from nomotax.flows.schedules import ScheduleEdit, keep_schedule, schedules_of, set_policy
from nomotax.flows.scopes import ScopesEdit, scopes_of, set_scopes
from nomotax.flows.sources import SourceEdit, set_source, source_of_feed
from nomotax.flows.stores import add_feed
from nomotax.flows.turns import Policy
from nomotax.flows.workbench import open_workbench
from nomotax.intake.describing import without_secrets
from nomotax.intake.model import Source
from nomotax.records.database import session
from nomotax.records.repositories import Feeds, Stores


class FeedProfile(BaseModel):
    """A feed without its deliveries and without what signs in anywhere; see docs/feeds.md.
    ``crosswalk`` is null for a feed that has no delivery yet."""

    format: Literal["nomotax-feed-profile"] = "nomotax-feed-profile"
    version: Literal[1] = 1
    supplier: str = Field(min_length=1, max_length=80)
    name: str = Field(min_length=1, max_length=80)
    source: Source | None = None
    scopes: list[Scope] = Field(default=[], max_length=40)
    schedules: list[ScheduleEdit] = Field(default=[], max_length=50)
    may: Policy = "wait"
    guards: list[Guard] = []
    contract: Contract | None = None
    crosswalk: Bundle | None = None


def profile_of(feed_id: int) -> FeedProfile:
    """A feed as a document. Raises ``NotFound``."""
    with session() as db:
        feeds = Feeds.holding(db, feed_id)
        feed = feeds.get(feed_id)
        supplier = feeds.supplier(feed).name
    when = schedules_of(feed_id)
    return FeedProfile(
        supplier=supplier, name=feed.name, source=_given_out(feed_id), may=when.may,
        scopes=scopes_of(feed_id).scopes,
        schedules=[
            ScheduleEdit(
                expression=one.expression, zone=one.zone, paused=one.paused, scope=one.scope
            )
            for one in when.schedules
        ],
        guards=guards(feed_id).guards, contract=contract_of(feed_id).contract,
        crosswalk=_crosswalk(feed_id),
    )  # fmt: skip


def _given_out(feed_id: int) -> Source | None:
    source = source_of_feed(feed_id).source
    return without_secrets(source) if source else None


def _crosswalk(feed_id: int) -> Bundle | None:
    try:
        return open_workbench(feed_id).bundle()
    except NotFound:
        return None


def feed_from_profile(store_id: int, profile: FeedProfile) -> int:
    """Make a feed as a profile says, and give its id. What signs in has to be entered, and its
    schedules stay paused until somebody lets them go on. Look-ups that the store has under the same
    name stay as they are.

    Raises ``Conflict`` where the supplier has a feed of that name, ``CrosswalkError`` for fields
    that the store does not have, ``UnfitValue`` for a contract that nothing keeps.
    """
    with session() as db:
        schema = Stores(db).schema(store_id)
        known = {(supplier.name, feed.name) for feed, supplier in Feeds(db, store_id).all()}
    if (profile.supplier, profile.name) in known:
        raise Conflict(
            f"{profile.supplier} has a feed called {profile.name!r} already.",
            remedy="Give it another name.",
        )
    bundle = profile.crosswalk
    if bundle is not None:
        refuse_unknown(schema, bundle.crosswalk)
    if profile.contract is not None:
        profile.contract.refuse_crossed()
    feed_id = add_feed(store_id, profile.supplier, profile.name)
    if bundle is not None:
        take_bundle(feed_id, bundle, replace=False)
        if bundle.reading is not None:
            save_reading(feed_id, bundle.reading)
    set_source(feed_id, SourceEdit(source=profile.source))
    set_guards(feed_id, Guards(guards=profile.guards))
    set_contract(feed_id, profile.contract)
    set_policy(feed_id, profile.may)
    set_scopes(feed_id, ScopesEdit(scopes=profile.scopes))
    for one in profile.schedules:
        keep_schedule(feed_id, one.model_copy(update={"paused": True}))
    return feed_id
