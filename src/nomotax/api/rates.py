"""Exchange rates of a store: typed in, from a file, from an address."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import RESPONSES, Done, StorePath, answer
from nomotax.core.pricing.rates import Rate
from nomotax.flows import lookups, rates

api = APIBlueprint(
    "rates", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="rates")],
    abp_responses=RESPONSES,
)  # fmt: skip


class RatesFile(BaseModel):
    file: FileStorage


class RatesAddress(BaseModel):
    address: str = Field(max_length=500)


class RatesTaken(BaseModel):
    """The rates that were kept: those that are not older than the ones before."""

    rates: list[Rate]


@api.put("/stores/<int:store_id>/rates", responses={200: Done})
def put_rate(path: StorePath, body: Rate) -> Response:
    """Keep an exchange rate."""
    lookups.save(path.store_id, body)
    return answer(Done())


@api.post("/stores/<int:store_id>/rates.csv", responses={200: RatesTaken})
def import_rates(path: StorePath, form: RatesFile) -> Response:
    """Take rates from a CSV file with the columns day, source, target, rate."""
    name = form.file.filename or "a file"
    return answer(RatesTaken(rates=rates.take_rates(path.store_id, form.file.stream.read(), name)))


@api.post("/stores/<int:store_id>/rates/fetch", responses={200: RatesTaken})
def fetch_rates(path: StorePath, body: RatesAddress) -> Response:
    """Fetch such a file from an address, which is remembered."""
    return answer(RatesTaken(rates=rates.fetch_rates(path.store_id, body.address)))
