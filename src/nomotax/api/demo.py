"""The demo's stand-ins: a supplier's picture host, and next week."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from nomotax.api.answers import RESPONSES, FeedPath, Made, answer
from nomotax.core.errors import NotFound
from nomotax.demo.bank import todays_rates
from nomotax.demo.load import next_delivery, waiting_deliveries
from nomotax.demo.pictures import draw
from nomotax.records.repository import known_id

api = APIBlueprint("demo", __name__, abp_tags=[Tag(name="demo")], abp_responses=RESPONSES)


class StandInPath(BaseModel):
    host: str
    folder: str
    name: str


class Waiting(BaseModel):
    """The file that would come next on this feed, "" when there is none."""

    file_name: str


@api.get("/stand-in/<host>/<folder>/<name>")
def picture(path: StandInPath) -> Response:
    """A picture as the supplier's host would serve it, drawn from the article number; or the
    bank's rates of today."""
    if not path.host.endswith(".example"):
        raise NotFound("There is no stand-in for this host.")
    if path.folder == "rates":
        return Response(todays_rates(), mimetype="text/csv")
    return Response(
        draw(path.name), mimetype="image/svg+xml", headers={"Cache-Control": "max-age=86400"}
    )


@api.get("/api/v1/demo/feeds/<int:feed_id>/next", responses={200: Waiting})
def get_next(path: FeedPath) -> Response:
    """Which file the demo's supplier would send next."""
    names = waiting_deliveries(path.feed_id)
    return answer(Waiting(file_name=names[0] if names else ""))


@api.post("/api/v1/demo/feeds/<int:feed_id>/next", responses={201: Made})
def let_arrive(path: FeedPath) -> Response:
    """Let a week pass: the supplier's next file arrives."""
    return answer(Made(id=known_id(next_delivery(path.feed_id))), 201)
