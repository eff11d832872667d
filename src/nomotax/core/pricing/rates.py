"""Exchange rates: typed in or received, each with its day and where it came from."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

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
