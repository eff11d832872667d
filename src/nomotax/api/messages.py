"""What people are told, and who is told outward."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import RESPONSES, Done, FeedPath, StorePath, answer
from nomotax.flows import messages, telling
from nomotax.flows.messages import MessageList
from nomotax.flows.telling import Told, ToldView

api = APIBlueprint(
    "messages", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="messages")],
    abp_responses=RESPONSES,
)  # fmt: skip


class SeenMessages(BaseModel):
    """Those that were seen; null for all."""

    ids: list[int] | None = None


class QuietEdit(BaseModel):
    days: int | None = Field(default=None, ge=1, le=366)


@api.get("/stores/<int:store_id>/messages", responses={200: MessageList})
def get_messages(path: StorePath) -> Response:
    """What there is to know of the feeds of a store, the newest first."""
    return answer(messages.messages_of(path.store_id))


@api.post("/stores/<int:store_id>/messages/seen", responses={200: MessageList})
def mark_seen(path: StorePath, body: SeenMessages) -> Response:
    """Somebody has seen them."""
    return answer(messages.mark_seen(path.store_id, body.ids))


@api.get("/stores/<int:store_id>/told", responses={200: ToldView})
def get_told(path: StorePath) -> Response:
    """Who is told outward."""
    return answer(telling.told_of(path.store_id))


@api.put("/stores/<int:store_id>/told", responses={200: ToldView})
def set_told(path: StorePath, body: Told) -> Response:
    """Say who is told; a new web address answers with the secret that messages are signed with."""
    return answer(telling.set_told(path.store_id, body))


@api.post("/stores/<int:store_id>/told/try", responses={200: Done})
def try_told(path: StorePath) -> Response:
    """Send everybody a message that says that it works."""
    telling.try_told(path.store_id)
    return answer(Done())


@api.put("/feeds/<int:feed_id>/quiet", responses={200: Done})
def set_quiet(path: FeedPath, body: QuietEdit) -> Response:
    """Say how many days a feed may bring nothing new before that is told; null for any number."""
    messages.expect_within(path.feed_id, body.days)
    return answer(Done())
