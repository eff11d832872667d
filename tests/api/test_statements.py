"""What an edit asks of the database, however many feeds there are; and that nothing kept between
requests outlives a change."""

from __future__ import annotations

import io
import json
from contextlib import contextmanager

import pytest
from sqlalchemy import event, text

from nomotax.flows import messages
from nomotax.flows.receive import keep_once
from nomotax.records.database import database_url, engine_for, session
from nomotax.records.fetches import LEFT
from nomotax.records.repositories import Deliveries
from nomotax.records.tables import Delivery, Fetch
from tests.api.test_first_hour import GARDEN, by_hand, feed_of
from tests.api.test_path import BUNDLE, get, next_week, send

FEEDS = 40
#: One of them asks who may change the feed.
MOST = 21


@contextmanager
def counted():
    """The statements that are sent meanwhile."""
    engine, sent = engine_for(database_url()), []

    def note(conn, cursor, statement, *rest):
        sent.append(statement)

    event.listen(engine, "before_cursor_execute", note)
    try:
        yield sent
    finally:
        event.remove(engine, "before_cursor_execute", note)


@pytest.fixture
def many(client, once):
    """Quarrow's mapped feed among forty small ones."""

    @once
    def begun():
        send(client, "put", "/feeds/1/crosswalk", BUNDLE)
        for n in range(FEEDS - 1):
            feed_of(client, f"Garden {n}", "list", GARDEN)
        get(client, "/feeds/1/bench")

    return client


def edit(client):
    """An edit, and all that the bench with an open field asks for after it."""
    bench = get(client, "/feeds/1/bench")
    crosswalk = bench["crosswalk"]
    crosswalk["fills"]["name"]["steps"] = [{"do": "trim"}, {"do": "cut", "length": 70}]
    body = {"crosswalk": crosswalk, "revision": bench["revision"]}
    with counted() as sent:
        send(client, "put", "/feeds/1/draft?delivery_id=1", body)
        get(client, "/feeds/1/questions", delivery_id=1)
        get(client, "/feeds/1/window", delivery_id=1, limit=200)
        get(client, "/feeds/1/fields/name", row=1, delivery_id=1)
    return sent


def test_an_edit_sends_few_statements_however_many_feeds_there_are(many):
    sent = edit(many)
    assert len(sent) <= MOST, "\n".join(s.split("\n")[0] for s in sent)
    # Looking again asks only whether anything has changed.
    with counted() as again:
        get(many, "/feeds/1/questions", delivery_id=1)
    assert len(again) <= 1


def test_the_first_screen_asks_each_feed_once_whether_it_has_changed(many):
    """Not each delivery; and no feed is worked out again that is the same."""
    first = [{"questions": None}]
    while any(feed["questions"] is None for feed in first):
        # What takes long is counted little by little, so that nobody waits for all of it.
        first = get(many, "/stores/1/arrivals")["feeds"]
    with counted() as sent:
        again = get(many, "/stores/1/arrivals")["feeds"]
    assert again == first and sum(f["questions"] > 0 for f in first) >= FEEDS - 1
    assert len(sent) <= FEEDS + 4 + 6


def words(client):
    return send(client, "put", "/feeds/1/values",
                {"table": "Quarrow Pigments colour", "words": {"W": None}})  # fmt: skip


def rate(client):
    rate = {"source": "USD", "target": "EUR", "rate": "0.5", "day": "2026-11-20"}
    return send(client, "put", "/stores/1/rates", rate)


def refusal(client):
    body = {"verdict": "later", "subject": "column:Remark", "proposal": ""}
    return send(client, "post", "/feeds/1/decisions", body)


def places(client):
    body = {"table": "Quarrow Pigments categories", "places": {"Sets": None, "Pigment": "New > X"}}
    return send(client, "put", "/feeds/1/categories", body)


CHANGES = [words, rate, refusal, places, next_week]


@pytest.mark.parametrize("change", CHANGES, ids=lambda c: c.__name__)
def test_nothing_that_is_kept_outlives_a_change(client, change):
    """After any change the bench answers as one that was opened for the first time."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    asked = ("/feeds/1/bench", "/feeds/1/questions", "/feeds/1/values", "/feeds/1/categories")
    before = [get(client, path) for path in asked]
    change(client)
    kept = [get(client, path) for path in asked]
    from nomotax.flows import workbench

    workbench._benches.clear()
    workbench._memory.clear()
    assert [get(client, path) for path in asked] == kept
    assert kept != before or change in (rate, refusal)


def test_two_feeds_with_the_same_columns_keep_apart(client):
    """A second feed's bench is not the first one's."""
    one = feed_of(client, "Harrow Garden", "a", GARDEN)
    two = feed_of(client, "Harrow Garden", "b", GARDEN)
    by_hand(client, one, {"net_weight": "Gewicht g"})
    assert get(client, f"/feeds/{two}/bench")["crosswalk"]["fills"] == {}


@pytest.fixture
def long_known(client):
    """Quarrow with 3,000 deliveries, each with a profile of some size, and as many fetches."""
    profile = json.dumps([{"name": f"column {n}", "text": "x" * 300} for n in range(30)])
    with session() as db:
        db.connection().execute(
            text(
                "insert into deliveries (store_id, feed_id, file_name, sha256, size, received_at, "
                "status, why, columns, rows, problems, profile, error, stage, offers, uses, "
                "because, complete, accepted) select 1, 1, 'week-' || n, 'hash ' || n, 60, now(), "
                "'unreadable', '{}', '[]', 0, '[]', cast(:profile as jsonb), 'no table', '', '[]', "
                "'{}', '', true, false from generate_series(1, 3000) n"
            ),
            {"profile": profile},
        )
        db.connection().execute(
            text(
                "insert into fetches (store_id, feed_id, because, may, status, stage, said, "
                "remedy, done, files, deliveries, log, at) "
                "select 1, 1, '', '', 'unchanged', '', '', '', 0, '[]', '[]', '[]', now() "
                "from generate_series(1, 3000)"
            )
        )
    return client


def test_what_a_page_and_a_fetch_load_does_not_grow_with_what_has_come(long_known, monkeypatch):
    """Of 3,000 deliveries some are looked at, and what is under way is found by an index."""
    loaded = []
    for table in (Delivery, Fetch):
        event.listen(table, "load", lambda one, _: loaded.append(one))
    get(long_known, "/stores/1/arrivals")
    get(long_known, "/feeds/1/fetches")
    get(long_known, "/feeds/1/contract")
    with session() as db:
        deliveries = Deliveries(db, 1)
        assert [d.file_name for d in deliveries.last(1, 2)] == ["week-3000", "week-2999"]
        messages.works(db, 1, "It works.")
    keep_once(1, "one.csv", io.BytesIO(b"a\n1\n"))
    assert 0 < len(loaded) < 200
    with session() as db:
        db.connection().execute(text("analyze fetches"))
        plan = db.connection().execute(text(f"explain {LEFT.text}")).scalars().all()
    assert "fetches_under_way" in "\n".join(plan)
