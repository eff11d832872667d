"""What another version of a crosswalk, or another ladder, would make of a delivery."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import RESPONSES, FeedPath, OfDelivery, answer
from nomotax.flows import contrasts
from nomotax.flows.contrasts import ContrastAsked, ContrastPage, ContrastView

api = APIBlueprint(
    "contrasts", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="contrasts")],
    abp_responses=RESPONSES,
)  # fmt: skip


class ContrastPath(BaseModel):
    contrast_id: int


class LinesQuery(BaseModel):
    """``about`` is the number of a difference, from 0; all lines without."""

    about: int | None = Field(default=None, ge=0)
    search: str = ""
    worst: bool = False
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=400)


@api.post("/feeds/<int:feed_id>/contrasts", responses={201: ContrastView})
def ask_contrast(path: FeedPath, query: OfDelivery, body: ContrastAsked) -> Response:
    """Find out in the background what two crosswalks make of a delivery; nothing is saved."""
    return answer(contrasts.ask(path.feed_id, query.delivery_id, body), 201)


@api.get("/contrasts/<int:contrast_id>", responses={200: ContrastView})
def get_contrast(path: ContrastPath) -> Response:
    """In what they differ, or how far it is."""
    return answer(contrasts.view(path.contrast_id))


@api.post("/contrasts/<int:contrast_id>/stop", responses={200: ContrastView})
def stop_contrast(path: ContrastPath) -> Response:
    """Ask no more."""
    return answer(contrasts.stop(path.contrast_id))


@api.get("/contrasts/<int:contrast_id>/lines", responses={200: ContrastPage})
def get_contrast_lines(path: ContrastPath, query: LinesQuery) -> Response:
    """The lines in which they differ."""
    found = contrasts.page(
        path.contrast_id, query.about, query.search, query.worst, query.offset, query.limit
    )
    return answer(found)
