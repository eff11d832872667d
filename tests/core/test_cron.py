"""Cron expressions beside a plain reading of the standard, day by day and minute by minute."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from itertools import islice, pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from pydantic import ValidationError

from nomotax.core.cron import Cron

RANGES = ((0, 59), (0, 23), (1, 31), (1, 12), (0, 6))
#: Long enough for a 29th of February on any day of the week.
_DAYS = 366 * 42


@st.composite
def items(draw, low, high):
    """One part of a list: a number, a span, with or without a step, or all."""
    kind = draw(st.sampled_from(["number", "span", "step", "all"]))
    a, b = sorted(draw(st.tuples(st.integers(low, high), st.integers(low, high))))
    step = draw(st.integers(1, high - low + 1))
    if kind == "step" and a == b:
        # A span of one has no steps; many a cron takes it for the beginning of a longer one.
        kind = "number"
    return {"number": f"{a}", "span": f"{a}-{b}", "step": f"{a}-{b}/{step}", "all": f"*/{step}"}[
        kind
    ]


@st.composite
def parts(draw, low, high):
    if draw(st.integers(0, 2)) == 0:
        return "*"
    return ",".join(draw(st.lists(items(low, high), min_size=1, max_size=3)))


expressions = st.tuples(*(parts(*both) for both in RANGES)).map(" ".join)


def meant(part: str, low: int, high: int) -> set[int]:
    """The numbers that a part of an expression stands for."""
    found: set[int] = set()
    for item in part.split(","):
        span, _, step = item.partition("/")
        first, _, last = span.partition("-")
        begin, end = (low, high) if span == "*" else (int(first), int(last or first))
        found |= set(range(begin, end + 1, int(step or 1)))
    return found


class Plain:
    """A clock that looks at every day whether it is one, and then at every minute of it."""

    def __init__(self, expression: str) -> None:
        parts = expression.split()
        self.minutes, self.hours, self.days, self.months, self.weekdays = (
            meant(part, *both) for part, both in zip(parts, RANGES, strict=True)
        )
        # Where both are said, either will do; where one is any, the other counts.
        self.either = not parts[2].startswith("*") and not parts[4].startswith("*")

    def is_day(self, day: date) -> bool:
        number, weekday = day.day in self.days, day.isoweekday() % 7 in self.weekdays
        fits = number or weekday if self.either else number and weekday
        return fits and day.month in self.months

    def after(self, moment: datetime) -> Iterator[datetime]:
        for n in range(_DAYS):
            day = moment.date() + timedelta(days=n)
            if not self.is_day(day):
                continue
            for hour in sorted(self.hours):
                for minute in sorted(self.minutes):
                    at = datetime(day.year, day.month, day.day, hour, minute, tzinfo=moment.tzinfo)
                    if at > moment:
                        yield at


moments = st.datetimes(datetime(2024, 1, 1), datetime(2031, 12, 31), timezones=st.just(UTC))


@given(expressions, moments)
@example("0 0 29 2 1", datetime(2026, 11, 28, tzinfo=UTC))
@example("0 0 31 4,6 *", datetime(2026, 11, 28, tzinfo=UTC))
@example("59 23 31 12 *", datetime(2026, 12, 31, 23, 59, tzinfo=UTC))
def test_the_next_times_are_those_of_a_plain_reading(expression, moment):
    expected = list(islice(Plain(expression).after(moment), 4))
    if not expected:
        with pytest.raises(ValidationError, match="never comes"):
            Cron(expression=expression)
        return
    assert Cron(expression=expression).after(moment, 4) == expected


@given(expressions, st.sampled_from(["Europe/Paris", "America/Toronto", "Australia/Lord_Howe"]),
       st.sampled_from([datetime(2026, 3, 7), datetime(2026, 3, 28), datetime(2026, 10, 3),
                        datetime(2026, 10, 24), datetime(2026, 10, 31)]))  # fmt: skip
def test_around_a_change_of_the_clock_no_time_comes_twice_and_none_is_lost(expression, zone, begin):
    """Each local time that a plain reading has comes once: as it is, or after the gap it is in."""
    place = ZoneInfo(zone)
    moment = begin.replace(tzinfo=place)
    plain = Plain(expression)
    try:
        cron = Cron(expression=expression, zone=zone)
    except ValidationError:
        return
    found = cron.after(moment, 40)
    assert all(a < b for a, b in pairwise(found)) and found[0] > moment
    local = [one.astimezone(place).replace(tzinfo=None) for one in found]
    told = list(islice(plain.after(begin), 400))
    there = {at for at in told if _is_there(at, place)}
    for at in local:
        gap = any(
            not _is_there(other, place) and other <= at < other + timedelta(hours=2)
            for other in told
        )
        assert at in there or gap
    assert {at for at in there if at <= local[-1]} <= set(local)


def _is_there(naive: datetime, place: ZoneInfo) -> bool:
    """Whether the clock of a place ever shows a time."""
    through = naive.replace(tzinfo=place).astimezone(UTC).astimezone(place)
    return through.replace(tzinfo=None) == naive


@given(expressions)
@example("0 2 * * 1,*/3")
def test_every_time_is_said_in_words(expression):
    """Whatever is taken can be told; where words fail, by the expression itself."""
    try:
        cron = Cron(expression=expression)
    except ValidationError:
        return
    assert cron.said[:1].isupper()
    assert "*" not in cron.said or cron.said == f"At the times of {expression}"
