"""The time zones there are (IANA)."""

from __future__ import annotations

from functools import cache
from zoneinfo import available_timezones


@cache
def zones() -> frozenset[str]:
    """Their names; to find them, folders are walked through, so that it is done once."""
    return frozenset(available_timezones())
