"""What a feed is called, who may do what with it, and what was changed of it."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag

from nomotax.api.answers import RESPONSES, FeedPath, answer
from nomotax.flows import feeds, history, people
from nomotax.flows.feeds import FeedCode
from nomotax.flows.history import FeedHistory
from nomotax.flows.people import FeedPeople

api = APIBlueprint(
    "profiles", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="profiles")],
    abp_responses=RESPONSES,
)  # fmt: skip


@api.get("/feeds/<int:feed_id>/code", responses={200: FeedCode})
def get_code(path: FeedPath) -> Response:
    """What programs call a feed by."""
    return answer(feeds.code_of(path.feed_id))


@api.put("/feeds/<int:feed_id>/code", responses={200: FeedCode})
def set_code(path: FeedPath, body: FeedCode) -> Response:
    """Set it; "" for none."""
    return answer(feeds.set_code(path.feed_id, body))


@api.get("/feeds/<int:feed_id>/people", responses={200: FeedPeople})
def get_people(path: FeedPath) -> Response:
    """Who may run a feed, and who may change it."""
    return answer(people.people_of(path.feed_id))


@api.put("/feeds/<int:feed_id>/people", responses={200: FeedPeople})
def set_people(path: FeedPath, body: FeedPeople) -> Response:
    """Say who may do what with a feed."""
    return answer(people.set_people(path.feed_id, body))


@api.get("/feeds/<int:feed_id>/history", responses={200: FeedHistory})
def get_history(path: FeedPath) -> Response:
    """What was changed of a feed, and by whom."""
    return answer(history.history_of(path.feed_id))
