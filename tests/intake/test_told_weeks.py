"""Weeks of a feed in which anything may go wrong, beside a plain account of what people are to
hear: each thing once while it is so, and that it is over once nothing is wrong any more."""

from __future__ import annotations

import json
import random
import shutil
from dataclasses import dataclass, field

import pytest

from nomotax.core.errors import Conflict
from nomotax.demo.load import DATA
from nomotax.demo.outside.layout import FOLDER
from nomotax.demo.outside.post import calls
from nomotax.flows import runs
from tests.api.test_path import BUNDLE, get, send
from tests.intake.test_feeds import fetch, set_source

WEEK = (DATA / "quarrow-week-2.csv").read_bytes()
#: What comes, what the program makes of it, and whether another look says so once more.
COMES = {
    "ordinary": (WEEK, "fine"),
    "no list": (b"%PDF-1.7", "unfit"),
    "other columns": (b"ArtNo;EAN\r\n1;2\r\n", "unfit"),
    "a fault of ours": (WEEK, "faulty"),
}
STEPS = [*COMES, "nothing new", "the folder is gone"]


@dataclass
class Account:
    """What people are to hear; ``newest`` is what became of the last list that came."""

    newest: str = "fine"
    heard: list[list[object]] = field(default_factory=list)

    @property
    def standing(self) -> list[object] | None:
        return self.heard[-1] if self.heard and self.heard[-1][0] == "failed" else None

    def failed(self) -> None:
        if self.standing:
            self.standing[1] += 1
        else:
            self.heard.append(["failed", 1])

    def week(self, step: str) -> None:
        if step == "the folder is gone":
            self.failed()
            return
        fresh = step in COMES
        if fresh:
            self.newest = COMES[step][1]
        if self.newest == "unfit" or (self.newest == "faulty" and fresh):
            self.failed()
        elif self.newest == "fine" and self.standing:
            self.heard.append(["recovered", 1])


class Weeks:
    """The feed, and the folder that its supplier fills."""

    def __init__(self, client, work, outside, monkeypatch) -> None:
        self.client, self.work, self.outside = client, work, outside
        self.monkeypatch, self.number = monkeypatch, 0
        self.folder = outside.root / FOLDER / "weeks"
        self.folder.mkdir()
        send(client, "put", "/feeds/1/crosswalk", BUNDLE)
        source = {"kind": "folder", "folder": str(self.folder), "names": "*.csv"}
        set_source(client, 1, source)
        send(client, "put", "/stores/1/told", {"hook": outside.hook})

    def week(self, step: str) -> None:
        self.number += 1
        away = self.folder.with_name("away")
        if step == "the folder is gone":
            self.folder.rename(away)
            assert fetch(self.client, self.work, 1)["status"] == "failed"
            away.rename(self.folder)
            return
        if step in COMES:
            # Another file each time, and the newest by its name.
            data = COMES[step][0] + b"\r\n" * self.number
            (self.folder / f"list-{self.number}.csv").write_bytes(data)
        with self.monkeypatch.context() as patched:
            if step == "a fault of ours":
                patched.setattr(runs, "_prepare", _fails)
            fetch(self.client, self.work, 1)

    def heard(self) -> list[list[object]]:
        """Of what goes wrong and is over; that its delivery asks something is told as well."""
        told = get(self.client, "/stores/1/messages")["messages"]
        return [
            [one["kind"], one["times"]]
            for one in sorted(told, key=lambda m: m["id"])
            if one["kind"] != "question"
        ]


def _fails(run_id, tell):
    raise Conflict("There is no room left.", remedy="Make some.")


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_people_hear_of_what_is_wrong_once_and_when_nothing_is(
    client, work, outside, monkeypatch, seed
):
    rng = random.Random(seed)
    weeks, account = Weeks(client, work, outside, monkeypatch), Account()
    try:
        for step in [rng.choice(STEPS) for _ in range(14)] + ["ordinary"]:
            weeks.week(step)
            account.week(step)
            assert weeks.heard() == account.heard, step
    finally:
        shutil.rmtree(weeks.folder)
    # Outward each went once, however often it was so.
    said = [json.loads(one["body"])["kind"] for one in reversed(calls(outside.root))]
    assert [kind for kind in said if kind != "question"] == [kind for kind, _ in account.heard]
    now = get(client, "/stores/1/messages")["messages"]
    assert all(one["over"] for one in now if one["kind"] != "question")
