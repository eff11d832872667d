"""The demo's suppliers for some days by a simulated clock, with nobody there."""

from datetime import UTC, datetime, timedelta

import pytest
from bench.fortnight import BEGIN, replay

from nomotax.demo.days import ROUNDS
from nomotax.records.columns import clock_at, now
from tests.api.test_path import get


@pytest.mark.parametrize("suppliers", [["Former platform"]], ids=["former"])
def test_ordinary_lists_are_applied_and_strange_ones_held_with_the_reason(client, outside):
    """Six days of two suppliers: prices in cents, half of a list, a column of another name."""
    who = ["Quarrow Pigments", "Brindlecombe Brushes"]
    found = list(replay(outside, 6, who))
    assert [(one.day, one.supplier) for one in found] == [(d, s) for d in range(1, 7) for s in who]
    wrong = [one for one in found if not one.right]
    assert not wrong
    strange = {(one.day, one.supplier.split()[0]): one.status for one in found if one.strange}
    assert strange == {
        (3, "Quarrow"): "held",
        (5, "Brindlecombe"): "held",
        (6, "Quarrow"): "failed",
    }
    assert sum(one.status == "applied" for one in found) == len(found) - len(strange)
    told = get(client, "/stores/1/messages")["messages"]
    standing = {(one["feed"].split()[0], one["kind"]) for one in told if not one["over"]}
    assert standing == {("Quarrow", "failed")}
    assert any("Cost EUR" in one["said"] for one in told if one["kind"] == "failed")


def test_a_list_is_the_same_whoever_makes_it_and_another_each_day():
    """But for the workbook, in which the moment of its making stands."""
    for supplier, rounds in ROUNDS.items():
        first, second = rounds.ordinary(1), rounds.ordinary(2)
        assert first != second, supplier
        if rounds.ending != "xlsx":
            assert first == rounds.ordinary(1), supplier
        assert all((BEGIN + timedelta(days=day - 1)).weekday() != 6 for day in rounds.strange)


def test_a_clock_that_is_set_goes_on_and_is_right_again_afterwards():
    with clock_at(BEGIN.astimezone(UTC)):
        assert timedelta(0) <= now() - BEGIN < timedelta(minutes=1)
    assert abs(now() - datetime.now(UTC)) < timedelta(minutes=1)
