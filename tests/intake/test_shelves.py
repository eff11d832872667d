"""What is taken from a folder that its supplier goes on filling, beside a plain list of what lies
there: whatever is laid out, overwritten or taken away, and wherever a look breaks off."""

from __future__ import annotations

import io
import os
import shutil
import tempfile
import time
import zipfile
from itertools import islice
from pathlib import Path

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, precondition, rule

from nomotax.intake.model import FolderSource
from tests.intake.fetching import each_fetched

#: Long enough ago that nobody writes there any more.
_LONG_AGO = 7 * 86_400


class Shelf(RuleBasedStateMachine):
    """``there`` are the files by name, each its content and when it was written; ``known`` is what
    has been fetched of it, as the program keeps it."""

    take = "each"

    def __init__(self) -> None:
        super().__init__()
        self.folder = Path(tempfile.mkdtemp(prefix="nomotax-shelf-"))
        self.began = time.time() - _LONG_AGO
        self.there: dict[str, tuple[str, int]] = {}
        self.known, self.writes = None, 0
        self.seen: set[tuple[str, str]] | None = None

    def teardown(self) -> None:
        shutil.rmtree(self.folder)

    @initialize()
    def allowed(self) -> None:
        os.environ["NOMOTAX_FOLDERS"] = str(self.folder)

    @rule(number=st.integers(1, 12), moment=st.integers(0, 3600))
    def lay(self, number: int, moment: int) -> None:
        """A new file, or another content of one; it may be older than what lies there, as where it
        was copied with its time."""
        self.writes += 1
        name, at = f"list-{number}.csv", moment * 1000 + self.writes
        (self.folder / name).write_text(f"content {self.writes}")
        stamp = int(self.began * 1000 + at) * 1_000_000
        os.utime(self.folder / name, ns=(stamp, stamp))
        self.there[name] = (f"content {self.writes}", at)

    @precondition(lambda self: self.there)
    @rule(data=st.data())
    def remove(self, data: st.DataObject) -> None:
        name = data.draw(st.sampled_from(sorted(self.there)))
        (self.folder / name).unlink()
        del self.there[name]

    def lying(self) -> list[tuple[str, str]]:
        """Name and content of each, the oldest first."""
        return [(name, self.there[name][0]) for name in sorted(self.there, key=self._written)]

    def _written(self, name: str) -> int:
        return self.there[name][1]

    def expected(self) -> list[list[tuple[str, str]]]:
        """The files of each delivery that is new."""
        lying = self.lying()
        if self.seen is None:
            return [lying[-1:]] if lying else []
        return [[one] for one in lying if one not in self.seen]

    def note(self, done: list[list[tuple[str, str]]], left: list[list[tuple[str, str]]]) -> None:
        """What counts as fetched once ``done`` is."""
        if done:
            self.seen = set(self.lying()) - {one for group in left for one in group}

    @rule(many=st.one_of(st.none(), st.integers(0, 2)))
    def look(self, many: int | None) -> None:
        """A look that goes to its end, or breaks off after so many deliveries."""
        expected = self.expected()
        source = FolderSource(folder=str(self.folder), names="list-*.csv", take=self.take)
        came = list(islice(each_fetched(source, self.known), many))
        if came:
            self.known = came[-1][1]
        done = expected[:many]
        self.compare([told for told, _ in came], done)
        self.note(done, expected[len(done) :])

    def compare(self, came: list[tuple[str, bytes]], expected: list[list[tuple[str, str]]]) -> None:
        assert [(name, data.decode()) for name, data in came] == [g for (g,) in expected]


class NewestOfShelf(Shelf):
    """The newest file alone, whenever it is another one than was taken last."""

    take = "newest"

    def expected(self) -> list[list[tuple[str, str]]]:
        newest = self.lying()[-1:]
        return [newest] if newest and set(newest) != self.seen else []

    def note(self, done: list[list[tuple[str, str]]], left: list[list[tuple[str, str]]]) -> None:
        if done:
            self.seen = set(done[0])


class WholeShelf(NewestOfShelf):
    """All files as one delivery, whenever one of them is another or is gone."""

    take = "together"

    def expected(self) -> list[list[tuple[str, str]]]:
        lying = self.lying()
        return [lying] if lying and set(lying) != self.seen else []

    def compare(self, came: list[tuple[str, bytes]], expected: list[list[tuple[str, str]]]) -> None:
        assert len(came) == len(expected)
        for (_, data), group in zip(came, expected, strict=True):
            if len(group) == 1:
                assert data.decode() == group[0][1]
            else:
                assert _unpacked(data) == dict(group)


def _unpacked(data: bytes) -> dict[str, str]:

    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name).decode() for name in archive.namelist()}


@pytest.mark.parametrize("shelf", [Shelf, NewestOfShelf, WholeShelf])
def test_what_is_taken_is_what_a_plain_list_has(shelf, monkeypatch):
    monkeypatch.setenv("NOMOTAX_FOLDERS", "")
    test = shelf.TestCase()
    test.settings = settings(max_examples=60, stateful_step_count=25, deadline=None)
    test.runTest()
