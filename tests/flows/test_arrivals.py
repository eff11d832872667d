"""What a line of the first screen says of a delivery."""

from __future__ import annotations

import pytest

from nomotax.flows.arrivals import delivery_line
from nomotax.records.tables import Delivery


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
