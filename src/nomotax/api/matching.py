"""Who is who: which products the rows of a feed are about, and what is decided of its articles."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import (
    MEDIA_TYPES,
    RESPONSES,
    FeedPath,
    OfDelivery,
    answer,
    attachment,
    streamed,
)
from nomotax.flows import matching, pairing, ways
from nomotax.flows.matching import Group, MatchedPage, MatchingView
from nomotax.flows.pairing import ArticleDecisions, DecidedBefore, PairingPage
from nomotax.flows.ways import Trials, TriedWays

api = APIBlueprint(
    "matching",
    __name__,
    url_prefix="/api/v1",
    abp_tags=[Tag(name="matching")],
    abp_responses=RESPONSES,
)


class RowsQuery(OfDelivery):
    group: Group = "all"
    search: str = ""
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=50, ge=1, le=200)


class GroupQuery(OfDelivery):
    group: Group = "all"


class PairingsQuery(BaseModel):
    search: str = ""
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=50, ge=1, le=200)


class PairingsFile(BaseModel):
    file: FileStorage


@api.get("/feeds/<int:feed_id>/matching", responses={200: MatchingView})
def get_matching(path: FeedPath, query: OfDelivery) -> Response:
    """How many rows find one product, several or none, by the draft."""
    return answer(matching.matching(path.feed_id, query.delivery_id))


@api.get("/feeds/<int:feed_id>/matching/ways", responses={200: TriedWays})
def get_ways(path: FeedPath, query: OfDelivery) -> Response:
    """Ways in which the rows would find products, the best first."""
    return answer(ways.propose_ways(path.feed_id, query.delivery_id))


@api.post("/feeds/<int:feed_id>/matching/ways", responses={200: TriedWays})
def try_ways(path: FeedPath, query: OfDelivery, body: Trials) -> Response:
    """What ways would find, each by itself; nothing is kept."""
    return answer(ways.try_ways(path.feed_id, body.ways, query.delivery_id))


@api.get("/feeds/<int:feed_id>/matching/rows", responses={200: MatchedPage})
def get_rows(path: FeedPath, query: RowsQuery) -> Response:
    """Rows of a group with their products, or those that they are likely about."""
    page = matching.matched_rows(
        path.feed_id, query.group, query.search, query.offset, query.limit, query.delivery_id
    )
    return answer(page)


@api.get("/feeds/<int:feed_id>/matching.csv")
def get_rows_file(path: FeedPath, query: GroupQuery) -> Response:
    """All rows of a group as CSV."""
    data = matching.matched_csv(path.feed_id, query.group, query.delivery_id)
    return attachment(data, f"matching-{query.group}.csv", MEDIA_TYPES["csv"])


@api.get("/feeds/<int:feed_id>/pairings", responses={200: PairingPage})
def get_pairings(path: FeedPath, query: PairingsQuery) -> Response:
    """What is decided of the articles of the feed's supplier."""
    page = pairing.pairing_page(path.feed_id, query.search, query.offset, query.limit)
    return answer(page)


@api.put("/feeds/<int:feed_id>/pairings", responses={200: DecidedBefore})
def decide_articles(path: FeedPath, body: ArticleDecisions) -> Response:
    """Decide about articles, or take decisions back; gives what was decided before."""
    return answer(pairing.decide_articles(path.feed_id, body.decisions))


@api.get("/feeds/<int:feed_id>/pairings.csv")
def export_pairings(path: FeedPath) -> Response:
    """All that is decided as CSV: article, decision, product."""
    return streamed(pairing.pairings_csv(path.feed_id), "pairings.csv", MEDIA_TYPES["csv"])


@api.post("/feeds/<int:feed_id>/pairings.csv", responses={200: DecidedBefore})
def import_pairings(path: FeedPath, form: PairingsFile) -> Response:
    """Take decisions from a CSV file: article, decision, product."""
    return answer(pairing.take_pairings(path.feed_id, form.file.stream.read()))
