"""Prices of a feed, and the ladders that make them."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from nomotax.api.answers import RESPONSES, FeedPath, OfDelivery, StorePath, answer
from nomotax.core.pricing.ladder import Ladder
from nomotax.flows import prices
from nomotax.flows.prices import PriceView

api = APIBlueprint(
    "prices", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="prices")],
    abp_responses=RESPONSES,
)  # fmt: skip


class LevelQuery(OfDelivery):
    """``level`` is the field that is priced; the first one where it is left out."""

    level: str = ""


class LadderTrial(BaseModel):
    ladder: Ladder


@api.get("/feeds/<int:feed_id>/prices", responses={200: PriceView})
def get_prices(path: FeedPath, query: LevelQuery) -> Response:
    """The ladder over the real products."""
    return answer(prices.price_view(path.feed_id, query.delivery_id, level=query.level))


@api.post("/feeds/<int:feed_id>/prices/try", responses={200: PriceView})
def try_prices(path: FeedPath, query: LevelQuery, body: LadderTrial) -> Response:
    """A ladder that is not saved, over the real products."""
    found = prices.price_view(path.feed_id, query.delivery_id, body.ladder, query.level)
    return answer(found)


@api.put("/stores/<int:store_id>/ladders", responses={200: Ladder})
def save_ladder(path: StorePath, body: Ladder) -> Response:
    """Keep a price ladder under its name."""
    prices.save_ladder(path.store_id, body)
    return answer(body)
