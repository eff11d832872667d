"""What a line of the first screen says of a delivery."""

from __future__ import annotations

import pytest

from nomotax.flows.arrivals import FeedLine, delivery_line, needs_of
from nomotax.records.tables import Delivery, Run


def delivery(number, sha256="a", **more):
    return Delivery(id=number, feed_id=1, file_name="list.csv", sha256=sha256, size=9, **more)


@pytest.mark.parametrize(
    ("newer", "earlier", "same"),
    [
        ({}, {}, True),
        ({"sha256": "b"}, {}, False),
        # The same bytes joined with another delivery of a companion bring something else.
        ({"uses": {"stock": 9}}, {"uses": {"stock": 4}}, False),
        ({"uses": {"stock": 4}}, {"uses": {"stock": 4}}, True),
        ({"because": "stock has a new delivery"}, {}, False),
    ],
)
def test_the_same_bytes_are_the_same_only_with_the_same_companions(newer, earlier, same):
    line = delivery_line(delivery(2, **newer), [delivery(1, **earlier)], None)
    assert (line.same_as == 1) is same


def test_growth_is_told_against_the_delivery_before():
    line = delivery_line(delivery(2, rows=9), [delivery(1, sha256="b", rows=4)], None)
    assert (line.rows, line.rows_before, line.run_id) == (9, 4, None)


def feed(newest=None, run=None, **more):
    runs = Run(id=4, store_id=1, status=run) if run else None
    lines = [delivery_line(delivery(2, **({"status": "ready"} | (newest or {}))), [], runs)]
    about = {"id": 1, "name": "List", "supplier": "Kiln", "versions": 1, "questions": 0,
             "mapped": 3, "needs": "calm", "held": 0, "joined_to": [],
             "rows": [], "prices": []}  # fmt: skip
    return FeedLine.model_validate(about | {"deliveries": lines} | more)


@pytest.mark.parametrize(
    ("needs", "about"),
    [
        ("unreadable", {"newest": {"status": "unreadable"}}),
        ("unreadable", {"newest": {"complete": False}}),
        ("busy", {"newest": {"status": "reading"}}),
        ("busy", {"run": "preparing", "questions": 2}),
        ("map", {"mapped": 0}),
        ("calm", {"mapped": 0, "joined_to": ["Forge, List"]}),
        # What has fields of its own waits, whatever it completes besides.
        ("prepare", {"joined_to": ["Forge, List"]}),
        ("failed", {"run": "failed"}),
        ("held", {"run": "prepared", "held": -1, "questions": 1}),
        ("question", {"run": "prepared", "questions": 1}),
        ("apply", {"run": "prepared"}),
        # While questions are not counted, nothing is said of them.
        ("apply", {"run": "prepared", "questions": None}),
        ("prepare", {"run": "stopped"}),
        ("calm", {"run": "applied", "questions": 1}),
        ("calm", {"deliveries": []}),
    ],
)
def test_a_feed_needs_what_is_most_urgent(needs, about):
    assert needs_of(feed(**about)) == needs
