"""Where a feed's deliveries come from: set, tried, fetched; and deliveries that are sent to us."""

from __future__ import annotations

from flask import Response, request
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import (
    RESPONSES,
    Done,
    FeedPath,
    Made,
    Problem,
    StorePath,
    answer,
    attachment,
    problem,
)
from nomotax.core.cron import Cron
from nomotax.flows import fetching, profiles, schedules, scopes, sources
from nomotax.flows.fetching import FetchLine
from nomotax.flows.profiles import FeedProfile
from nomotax.flows.schedules import FeedSchedules, ScheduleEdit, Times
from nomotax.flows.scopes import FeedScopes, ScopesEdit
from nomotax.flows.sources import FeedSource, SourceEdit, SourceTried
from nomotax.flows.turns import Policy

api = APIBlueprint(
    "sources", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="sources")],
    abp_responses=RESPONSES,
)  # fmt: skip


class FetchPath(BaseModel):
    fetch_id: int


class SchedulePath(BaseModel):
    schedule_id: int


class MayEdit(BaseModel):
    may: Policy


class ScopeQuery(BaseModel):
    """``scope`` is what is to be taken, "" for all fields."""

    scope: str = Field(default="", max_length=40)


class FetchList(BaseModel):
    fetches: list[FetchLine]


class FeedToken(BaseModel):
    """A token, which is shown this once."""

    token: str


class SentFileName(BaseModel):
    """What the file is called."""

    name: str = Field(min_length=1, max_length=200, pattern=r"^[^/\\\x00-\x1f]+$")


class SentFile(BaseModel):
    """What became of a file that was sent: ``status`` is *new*, or *unchanged* for the same bytes
    as before; then ``delivery_id`` is null."""

    status: str
    said: str
    delivery_id: int | None


@api.get("/feeds/<int:feed_id>/source", responses={200: FeedSource})
def get_source(path: FeedPath) -> Response:
    """Where a feed's deliveries come from."""
    return answer(sources.source_of_feed(path.feed_id))


@api.put("/feeds/<int:feed_id>/source", responses={200: FeedSource})
def set_source(path: FeedPath, body: SourceEdit) -> Response:
    """Set where a feed's deliveries come from; null for files that are brought by hand."""
    return answer(sources.set_source(path.feed_id, body))


@api.post("/feeds/<int:feed_id>/source/try", responses={200: SourceTried})
def try_source(path: FeedPath, body: SourceEdit) -> Response:
    """Look what is there, and what the first file looks like; nothing is kept."""
    return answer(sources.try_source(path.feed_id, body))


@api.get("/feeds/<int:feed_id>/profile.json")
def export_profile(path: FeedPath) -> Response:
    """A feed as one document, without its deliveries and secrets."""
    profile = profiles.profile_of(path.feed_id)
    data = profile.model_dump_json(indent=1, exclude_none=True, by_alias=True).encode()
    return attachment(data, "feed-profile.json", "application/json")


@api.post("/stores/<int:store_id>/feeds/from-profile", responses={201: Made})
def make_from_profile(path: StorePath, body: FeedProfile) -> Response:
    """Make a feed as such a document says; its schedules are paused."""
    return answer(Made(id=profiles.feed_from_profile(path.store_id, body)), 201)


@api.get("/feeds/<int:feed_id>/schedules", responses={200: FeedSchedules})
def get_schedules(path: FeedPath) -> Response:
    """When a feed is fetched by itself, and what becomes of what comes."""
    return answer(schedules.schedules_of(path.feed_id))


@api.post("/feeds/<int:feed_id>/schedules", responses={201: FeedSchedules})
def add_schedule(path: FeedPath, body: ScheduleEdit) -> Response:
    """Fetch a feed by itself from now on."""
    return answer(schedules.add_schedule(path.feed_id, body), 201)


@api.put("/feeds/<int:feed_id>/may", responses={200: FeedSchedules})
def set_policy(path: FeedPath, body: MayEdit) -> Response:
    """Say what becomes of a delivery that comes by itself."""
    return answer(schedules.set_policy(path.feed_id, body.may))


@api.put("/schedules/<int:schedule_id>", responses={200: FeedSchedules})
def set_schedule(path: SchedulePath, body: ScheduleEdit) -> Response:
    """Change or pause a schedule."""
    return answer(schedules.set_schedule(path.schedule_id, body))


@api.delete("/schedules/<int:schedule_id>", responses={200: FeedSchedules})
def drop_schedule(path: SchedulePath) -> Response:
    """Take a schedule away."""
    return answer(schedules.drop_schedule(path.schedule_id))


@api.get("/feeds/<int:feed_id>/scopes", responses={200: FeedScopes})
def get_scopes(path: FeedPath) -> Response:
    """Fields under names that a feed may be run by."""
    return answer(scopes.scopes_of(path.feed_id))


@api.put("/feeds/<int:feed_id>/scopes", responses={200: FeedScopes})
def set_scopes(path: FeedPath, body: ScopesEdit) -> Response:
    """Set them; one that a schedule is of cannot be left out."""
    return answer(scopes.set_scopes(path.feed_id, body))


@api.post("/schedules/times", responses={200: Times})
def get_times(body: Cron) -> Response:
    """When a cron expression comes, in plain words, and the next times; nothing is kept."""
    return answer(schedules.times_of(body))


@api.get("/feeds/<int:feed_id>/fetches", responses={200: FetchList})
def get_fetches(path: FeedPath) -> Response:
    """The last looks at where a feed's deliveries come from."""
    return answer(FetchList(fetches=fetching.fetches_of(path.feed_id)))


@api.post("/feeds/<int:feed_id>/fetches", responses={202: FetchLine})
def fetch_now(path: FeedPath, query: ScopeQuery) -> Response:
    """Have a worker look for the next delivery now."""
    return answer(fetching.ask_for_fetch(path.feed_id, scope=query.scope), 202)


@api.post("/fetches/<int:fetch_id>/stop", responses={200: FetchLine})
def stop_fetch(path: FetchPath) -> Response:
    """Stop a fetch."""
    return answer(fetching.stop_fetch(path.fetch_id))


@api.get("/fetches/<int:fetch_id>/log.txt")
def get_log(path: FetchPath) -> Response:
    """How a fetch went, as text."""
    text = fetching.fetch_log(path.fetch_id)
    return attachment(text.encode(), f"fetch-{path.fetch_id}.txt", "text/plain")


@api.post("/feeds/<int:feed_id>/token", responses={201: FeedToken})
def make_token(path: FeedPath) -> Response:
    """A new token to send deliveries with, in place of the one before."""
    return answer(FeedToken(token=sources.make_token(path.feed_id)), 201)


@api.delete("/feeds/<int:feed_id>/token", responses={200: Done})
def drop_token(path: FeedPath) -> Response:
    """Take the token back: nothing can be sent any more."""
    sources.drop_token(path.feed_id)
    return answer(Done())


@api.post("/feeds/<int:feed_id>/incoming", responses={200: SentFile, 201: SentFile, 401: Problem})
def send_in(path: FeedPath, query: SentFileName) -> Response:
    """Send a delivery: the file as the body, and the feed's token as a bearer (RFC 6750)."""
    sign = request.authorization
    if (
        sign is None
        or sign.type != "bearer"
        or not sources.is_token(path.feed_id, sign.token or "")
    ):
        refused = Problem(
            title="Who sends this is not known.", status=401,
            remedy="Send the token of the feed as 'Authorization: Bearer …'.",
        )  # fmt: skip
        answered = problem(refused)
        answered.headers["WWW-Authenticate"] = "Bearer"
        return answered
    line, delivery_id = fetching.take_sent(
        path.feed_id, query.name, request.stream, request.content_length
    )
    sent = SentFile(status=line.status, said=line.said, delivery_id=delivery_id)
    return answer(sent, 201 if delivery_id is not None else 200)
