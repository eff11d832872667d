"""Cron expressions beside a plain reading of the standard, day by day and minute by minute."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from itertools import islice
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


#: A place, and the day before its clock goes forward or back there.
CHANGES = [
    ("Europe/Paris", datetime(2026, 3, 28)),
    ("Europe/Paris", datetime(2026, 10, 24)),
    ("America/Toronto", datetime(2026, 3, 7)),
    ("America/Toronto", datetime(2026, 10, 31)),
    ("Australia/Lord_Howe", datetime(2026, 10, 3)),
    ("Australia/Lord_Howe", datetime(2026, 4, 4)),
    ("America/Asuncion", datetime(2024, 10, 5)),
]
times = st.tuples(*(parts(*both) for both in RANGES[:2])).map(" ".join)


class Wall:
    """A clock on the wall of a place, watched minute by minute."""

    def __init__(self, zone: str) -> None:
        self.place = ZoneInfo(zone)

    def shows(self, moment: datetime) -> datetime:
        return moment.astimezone(self.place).replace(tzinfo=None)

    def after(self, expression: str, moment: datetime, hours: int) -> Iterator[datetime]:
        """The moments at which it first shows a time that is meant, or goes past one; where any
        hour is meant, each at which it shows one."""
        minutes, hours_of_day = (
            meant(part, *both) for part, both in zip(expression.split()[:2], RANGES, strict=False)
        )
        # What it showed before is not shown for the first time.
        furthest = max(self.shows(moment - timedelta(minutes=n)) for n in range(180))
        for n in range(1, hours * 60 + 1):
            at = moment + timedelta(minutes=n)
            gone = [
                furthest + timedelta(minutes=one + 1)
                for one in range(int((self.shows(at) - furthest).total_seconds() // 60))
            ]
            furthest = max(furthest, self.shows(at))
            if expression.split()[1].startswith("*"):
                gone.append(self.shows(at))
            if any(one.hour in hours_of_day and one.minute in minutes for one in gone):
                yield at


@given(times, st.sampled_from(CHANGES), st.integers(0, 40 * 60))
@example("30 *", ("Australia/Lord_Howe", datetime(2026, 10, 3)), 0)
@example("*/15 2", ("Australia/Lord_Howe", datetime(2026, 4, 4)), 0)
@example("30 2", ("Europe/Paris", datetime(2026, 3, 28)), 0)
@example("0 0", ("America/Asuncion", datetime(2024, 10, 5)), 0)
def test_around_a_change_of_the_clock_a_time_comes_once_and_none_is_lost(both, change, began):
    """Wherever one begins: as it is first shown, or right after the gap that it is in."""
    expression, (zone, day) = f"{both} * * *", change
    wall = Wall(zone)
    moment = day.replace(tzinfo=wall.place).astimezone(UTC) + timedelta(minutes=began)
    expected = list(wall.after(expression, moment, 60))
    found = Cron(expression=expression, zone=zone).after(moment, len(expected) + 1)
    assert found[:-1] == expected
    assert found[-1] > moment + timedelta(hours=60)


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
