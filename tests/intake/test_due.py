"""Many schedules of many feeds, looked after by several workers that come and go, beside a plain
account of who is to be fetched when."""

from __future__ import annotations

import random
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import text

from nomotax.core.cron import Cron
from nomotax.demo.outside.layout import FOLDER
from nomotax.flows import fetching, schedules
from nomotax.records.database import database_url, engine_for
from tests.api.test_path import get, send
from tests.intake.test_feeds import set_source

#: Of five feeds: each a few times, in zones whose clocks change in the weeks that are looked at.
TIMES = (
    ("0 * * * *", "UTC"), ("30 2 * * *", "Europe/Paris"), ("0 6 * * 1-5", "America/Toronto"),
    ("15,45 7-19 * * *", "Europe/Paris"), ("0 3 1 * *", "UTC"), ("0 22 * * 0", "Asia/Tokyo"),
)  # fmt: skip


@pytest.fixture
def feeds(client, outside):
    """Feeds of a candle maker's suppliers, each with its times."""
    made = {}
    for n in range(5):
        body = {"supplier": f"Voks {n}", "name": "Liste"}
        feed = send(client, "post", "/stores/1/feeds", body, 201)["id"]
        set_source(client, feed, {"kind": "folder", "folder": str(outside.root / FOLDER)})
        own = TIMES[n : n + 2]
        for expression, zone in own:
            send(client, "post", f"/feeds/{feed}/schedules",
                 {"expression": expression, "zone": zone}, 201)  # fmt: skip
        made[feed] = own
    return made


def all_fetched():
    """How often each feed was asked for; what was asked for has ended since."""
    with engine_for(database_url()).begin() as db:
        found = dict(db.execute(text("select feed_id, count(*) from fetches group by 1")).all())
        db.execute(text("update fetches set status = 'unchanged', finished_at = now()"))
    return found


@pytest.mark.parametrize("seed", range(3))
def test_each_time_that_has_come_asks_once_and_those_of_one_feed_together(client, feeds, seed):
    rng = random.Random(seed)
    now = datetime.now(UTC)
    due = {
        (feed, one): Cron(expression=one[0], zone=one[1]).after(now)[0]
        for feed, own in feeds.items()
        for one in own
    }
    asked = dict.fromkeys(feeds, 0)
    for _ in range(40):
        now += timedelta(minutes=rng.choice((1, 20, 55, 600, 4000, 30_000)))
        ready = [one for one, at in due.items() if at <= now]
        for feed in {feed for feed, _ in ready}:
            asked[feed] += 1
        for feed, one in ready:
            due[feed, one] = Cron(expression=one[0], zone=one[1]).after(now)[0]
        # Whoever looks first has them all.
        assert [schedules.fire_due(now) for _ in range(2)] == [len(ready), 0]
        found = all_fetched()
        assert {feed: found.get(feed, 0) for feed in feeds} == asked


def test_a_worker_that_dies_while_it_asks_leaves_all_to_the_next(client, feeds, monkeypatch):
    later = datetime.now(UTC) + timedelta(days=40)
    asks, enough = fetching.ask, []

    def dies(*given, **more):
        enough.append(1)
        if len(enough) == 3:
            raise KeyboardInterrupt
        return asks(*given, **more)

    with monkeypatch.context() as patched, pytest.raises(KeyboardInterrupt):
        patched.setattr(schedules, "ask", dies)
        schedules.fire_due(later)
    assert all_fetched() == {}
    assert schedules.fire_due(later) == sum(map(len, feeds.values()))
    assert set(all_fetched()) == set(feeds)


def test_one_that_cannot_begin_holds_up_none_of_the_others(client, feeds, caplog):
    """A feed whose source is gone, and one that is removed: their times go by."""
    gone, removed, *others = feeds
    send(client, "put", f"/feeds/{gone}/source", {"source": None})
    client.put(f"/api/v1/removals/feed/{removed}")
    later = datetime.now(UTC) + timedelta(days=40)
    schedules.fire_due(later)
    assert set(all_fetched()) == set(others)
    for feed in (gone, *others):
        told = get(client, f"/feeds/{feed}/schedules")["schedules"]
        assert all(one["last_at"] for one in told)
    assert schedules.fire_due(later) == 0
