"""Exchange rates: typed in or received, each with its day and where it came from."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from nomotax.core.errors import UnreadableFile
from nomotax.core.listing import read_listing

Currency = Annotated[str, StringConstraints(pattern=r"^[A-Z]{3}$")]


class Rate(BaseModel):
    """One ``source`` is worth ``rate`` of ``target`` on ``day``. ``origin`` says who said so."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    source: Currency
    target: Currency
    rate: Decimal = Field(gt=0, lt=10**9, decimal_places=10)
    day: date
    origin: str = "typed in"

    @property
    def name(self) -> str:
        """Both codes, as ``USD/EUR``."""
        return f"{self.source}/{self.target}"

    def age(self, on: str) -> int | None:
        """Days between the rate's day and an ISO date; None for no date."""
        return (date.fromisoformat(on) - self.day).days if on else None


HEADER = ("day", "source", "target", "rate")


def read_rates(data: bytes, origin: str) -> list[Rate]:
    """The rates of a CSV file (UTF-8) with the columns day, source, target and rate, in any order:
    ``2026-11-23,USD,EUR,0.9125``. The newest of each pair; an ISO 8601 day, ISO 4217 currencies,
    a point before the decimals.

    Raises ``UnreadableFile`` naming the line; then none is taken.
    """
    found: dict[str, Rate] = {}
    for number, values in read_listing(data, HEADER, "rates"):
        rate = _rate(dict(zip(HEADER, values, strict=True)), number, origin)
        if rate.name not in found or rate.day >= found[rate.name].day:
            found[rate.name] = rate
    return list(found.values())


def _rate(values: dict[str, str], number: int, origin: str) -> Rate:
    try:
        return Rate.model_validate(values | {"origin": origin})
    except ValidationError as error:
        first = error.errors()[0]
        raise UnreadableFile(
            f"The {first['loc'][0]} is wrong: {first['msg']}.",
            where=f"line {number}",
            remedy="Write 2026-11-23,USD,EUR,0.9125.",
        ) from error
