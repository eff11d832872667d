"""A web host over many weeks, beside a plain account: lists that change or do not, with and without
marks of their content, answers that break off and are gone on with. What is taken is each list as
it stood there, whole, and once."""

from __future__ import annotations

from contextlib import ExitStack

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, rule

from nomotax.intake import bringing
from nomotax.intake.failures import PassingFailure
from nomotax.intake.model import WebSource
from nomotax.intake.spool import Limits
from tests.intake.conftest import serving
from tests.intake.fetching import fetched

TRIES = 3


def listing(version: int) -> bytes:
    """The list of a week; those of two weeks are of one length."""
    return b"Varenr;Pris\n" + b"".join(b"%05d;%02d,50\n" % (n, version % 100) for n in range(2_000))


class Host(RuleBasedStateMachine):
    """``version`` is the list that lies there, ``taken`` the one that was fetched last; ``cuts``
    says after how many bytes the next answers break off."""

    def __init__(self) -> None:
        super().__init__()
        self.stack = ExitStack()
        self.host = self.stack.enter_context(serving())
        self.host.answers = [self.answer]
        self.version, self.taken, self.known = 1, None, None
        self.tagged, self.weak, self.ranges = True, False, True
        self.cuts: list[int] = []

    def teardown(self) -> None:
        self.stack.close()

    @initialize(tagged=st.booleans(), weak=st.booleans(), ranges=st.booleans())
    def of_some_kind(self, tagged, weak, ranges) -> None:
        self.tagged, self.weak, self.ranges = tagged, weak, ranges

    @property
    def tag(self) -> str:
        return f'{"W/" if self.weak else ""}"{self.version}"'

    def answer(self, handler) -> None:
        asked, data = handler.headers, listing(self.version)
        if self.tagged and asked.get("If-None-Match") == self.tag:
            handler.send_response(304)
            handler.end_headers()
            return
        start = 0
        goes_on = self.ranges and asked.get("Range") and asked.get("If-Range") == self.tag
        if goes_on:
            start = int(asked["Range"].removeprefix("bytes=").removesuffix("-"))
            handler.send_response(206)
            handler.send_header("Content-Range", f"bytes {start}-{len(data) - 1}/{len(data)}")
        else:
            handler.send_response(200)
        if self.tagged:
            handler.send_header("ETag", self.tag)
        handler.send_header("Content-Length", str(len(data) - start))
        handler.end_headers()
        whole = data[start:]
        handler.wfile.write(whole[: self.cuts.pop(0)] if self.cuts else whole)

    @rule()
    def another_week(self) -> None:
        self.version += 1

    @rule(of=st.integers(1, 3))
    def an_older_list_again(self, of) -> None:
        """A supplier who lays last week's list out once more."""
        self.version = max(1, self.version - of)

    @rule(after=st.lists(st.integers(0, 20_000), min_size=1, max_size=TRIES - 1))
    def a_bad_line(self, after) -> None:
        self.cuts = list(after)

    @rule()
    def look(self) -> None:
        source = WebSource(addresses=[self.host.address()])
        came, self.known = fetched(source, self.known, Limits(64 << 20, 120, tries=TRIES))
        self.cuts.clear()
        if self.version != self.taken:
            assert [data for _, data in came] == [listing(self.version)]
        else:
            # Without a mark it is fetched to be held beside the last one: by its bytes.
            assert [data for _, data in came] in ([], [listing(self.version)])
            assert not came or not self.tagged
        self.taken = self.version

    @rule()
    def look_while_nothing_comes_through(self) -> None:
        self.cuts = [7] * TRIES
        source = WebSource(addresses=[self.host.address()])
        try:
            came, known = fetched(source, self.known, Limits(64 << 20, 120, tries=TRIES))
        except PassingFailure:
            return
        finally:
            self.cuts.clear()
        # Nothing had to come: the host said that it is the same, or went on a few bytes each time.
        assert came == [] and self.version == self.taken
        self.known = known


def test_each_list_is_taken_whole_and_once(monkeypatch):
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", "127.0.0.1")
    monkeypatch.setattr(bringing, "FIRST_WAIT", 0.001)
    test = Host.TestCase()
    test.settings = settings(max_examples=25, stateful_step_count=20, deadline=None)
    test.runTest()


@pytest.mark.parametrize("version", [1, 7])
def test_lists_of_two_weeks_are_told_apart_by_their_bytes_alone(version):
    """What the account above rests on."""
    one, other = listing(version), listing(version + 1)
    assert len(one) == len(other) > 20_000 and one != other
