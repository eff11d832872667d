"""What a fill takes for granted: by which evidence, and whether a person has agreed."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

About = Literal["unit", "currency", "numbers", "date", "path", "list", "prefix", "since"]


class Assumption(BaseModel):
    """``says`` gives the evidence in plain words. One that is ``open`` has none, or evidence that
    contradicts itself: its rows wait until a person has chosen. ``choice`` is what is assumed: a
    unit's or a currency's code, ``point`` or ``comma``, an order of dates (``date`` of the value,
    ``since`` of the day from which it holds), a separator, a prefix.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    about: About
    says: str
    choice: str = ""
    state: Literal["open", "taken", "confirmed"] = "taken"
