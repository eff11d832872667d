"""The guards of a feed."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag

from nomotax.api.answers import RESPONSES, FeedPath, answer
from nomotax.flows import guarding
from nomotax.flows.guarding import FeedGuards, Guards, Tried

api = APIBlueprint(
    "guards", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="guards")], abp_responses=RESPONSES
)


@api.get("/feeds/<int:feed_id>/guards", responses={200: FeedGuards})
def get_guards(path: FeedPath) -> Response:
    """The guards, and what each kind of them holds."""
    return answer(guarding.guards(path.feed_id))


@api.put("/feeds/<int:feed_id>/guards", responses={200: FeedGuards})
def put_guards(path: FeedPath, body: Guards) -> Response:
    """Set them for what is prepared from now on; kinds that are not named are as for all feeds."""
    return answer(guarding.set_guards(path.feed_id, body))


@api.post("/feeds/<int:feed_id>/guards/tried", responses={200: Tried})
def post_tried(path: FeedPath, body: Guards) -> Response:
    """What such guards would have seen in the last deliveries; nothing is changed."""
    return answer(guarding.try_guards(path.feed_id, body))
