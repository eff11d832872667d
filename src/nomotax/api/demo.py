"""The demo's stand-ins: a supplier's picture host, and next week."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from nomotax.api.answers import RESPONSES, FeedPath, answer
from nomotax.core.errors import NotFound
from nomotax.demo.bank import todays_rates
from nomotax.demo.load import release_next, waiting_files
from nomotax.demo.outside.stand_ins import StandIns
from nomotax.demo.pictures import draw
from nomotax.flows.fetching import FetchLine

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
    outside = StandIns.running()
    names = waiting_files(path.feed_id, outside) if outside else []
    return answer(Waiting(file_name=names[0] if names else ""))


@api.post("/api/v1/demo/feeds/<int:feed_id>/next", responses={202: FetchLine})
def let_pass(path: FeedPath) -> Response:
    """Let a week pass: the supplier lays its next file out, and it is fetched."""
    outside = StandIns.running()
    if outside is None:
        raise NotFound("No stand-in of a supplier is running.", remedy="Begin with `make start`.")
    return answer(release_next(path.feed_id, outside), 202)
