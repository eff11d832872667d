"""How a product stands in the store: one value more that runs write and take back, under a name
that no field can have."""

from __future__ import annotations

from typing import Literal

#: Where the state stands among a product's values; left out while it is live.
STATE = "$state"
STATE_LABEL = "State"
LIVE, HIDDEN, ARCHIVED = "live", "hidden", "archived"
#: Not in the catalog any more; its history is, and what comes back for its key finds it.
TAKEN_OUT = "out"
State = Literal["live", "hidden", "archived"]
STATES: tuple[State, ...] = ("live", "hidden", "archived")


def said(value: str | None) -> str:
    """A state as people read it; ``None`` is live."""
    return "taken out" if value == TAKEN_OUT else value or LIVE
