"""A feed's range: what it said of each article last, and which of them are picked; and whose offer
of a product holds where several feeds have it."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import (
    MEDIA_TYPES,
    RESPONSES,
    FeedPath,
    StorePath,
    answer,
    attachment,
)
from nomotax.core.changes.picking import PickRule
from nomotax.core.resolve.sources import Sources
from nomotax.flows import offers, picking, ranges
from nomotax.flows.offers import ProductOffers, SourcesView
from nomotax.flows.ranges import PickEdit, PickedNow, RangePage, RangeView, Shown

api = APIBlueprint(
    "range", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="range")], abp_responses=RESPONSES
)


class OfferedPath(BaseModel):
    store_id: int
    key: str


class ArticlesQuery(Shown):
    sort: str = "row"
    descending: bool = False
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=500)


class PickRules(BaseModel):
    rules: list[PickRule] = Field(max_length=50)


@api.get("/feeds/<int:feed_id>/range", responses={200: RangeView})
def get_range(path: FeedPath) -> Response:
    """How many articles there are, and how many of them are picked, new, changed or gone."""
    return answer(ranges.range_view(path.feed_id))


@api.get("/feeds/<int:feed_id>/range/articles", responses={200: RangePage})
def get_articles(path: FeedPath, query: ArticlesQuery) -> Response:
    """Articles that a filter shows."""
    page = ranges.range_page(
        path.feed_id, query, query.sort, query.descending, query.offset, query.limit
    )
    return answer(page)


@api.get("/feeds/<int:feed_id>/range.csv")
def get_articles_file(path: FeedPath, query: Shown) -> Response:
    """All articles that a filter shows, as CSV."""
    data = ranges.range_csv(path.feed_id, query)
    return attachment(data, f"range-{query.group}.csv", MEDIA_TYPES["csv"])


@api.put("/feeds/<int:feed_id>/picks", responses={200: PickedNow})
def pick_articles(path: FeedPath, body: PickEdit) -> Response:
    """Pick articles of the range, or pick them no more; gives those that changed."""
    return answer(ranges.pick(path.feed_id, body))


@api.put("/feeds/<int:feed_id>/picking", responses={200: PickRules})
def set_pick_rules(path: FeedPath, body: PickRules) -> Response:
    """What goes on picking from now on; gives what did before."""
    return answer(PickRules(rules=picking.set_rules(path.feed_id, body.rules)))


@api.get("/stores/<int:store_id>/sources", responses={200: SourcesView})
def get_sources(path: StorePath) -> Response:
    """Whose values hold where several feeds offer one product."""
    return answer(offers.sources_view(path.store_id))


@api.put("/stores/<int:store_id>/sources", responses={200: SourcesView})
def set_sources(path: StorePath, body: Sources) -> Response:
    """Say whose values hold, from the next run of each feed on."""
    return answer(offers.set_sources(path.store_id, body))


@api.get("/stores/<int:store_id>/offers/<path:key>", responses={200: ProductOffers})
def get_offers(path: OfferedPath) -> Response:
    """What every feed says of a product, and whose values hold."""
    return answer(offers.product_offers(path.store_id, path.key))
