"""Two people, or two workers, at the same thing at once: one of them is told what the other did."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import text

from nomotax.core.crosswalk.model import Fill, Part
from nomotax.core.errors import Conflict, NomotaxError
from nomotax.core.reading.model import parse_reading
from nomotax.flows import fetching, messages, receive, runs, stores, undoing
from nomotax.flows.bench import save_draft
from nomotax.flows.messages import say
from nomotax.flows.workbench import open_workbench
from nomotax.jobs import app as jobs
from nomotax.records.database import session, waiting_at_most
from nomotax.records.fetches import Fetches
from nomotax.records.messages import Messages
from nomotax.records.repositories import Deliveries, Stores
from nomotax.records.tables import Fetch, Schedule

FEED = 1


def at_once(*works):
    """What each gave, or the error that it ended with; all begin at the same moment."""
    gate = threading.Barrier(len(works))

    def run(work):
        gate.wait(10)
        try:
            return work()
        except NomotaxError as error:
            return error

    with ThreadPoolExecutor(len(works)) as pool:
        return list(pool.map(run, works))


def test_of_a_hundred_pairs_of_saves_none_is_lost_unseen(demo):
    """One is kept, the other is refused, and what is kept is there."""
    start = open_workbench(FEED)
    for n in range(100):
        bench = open_workbench(FEED)

        def saving(field, bench=bench, n=n):
            fill = Fill(parts=(Part(text=f"{field} {n}"),))
            walk = bench.crosswalk.model_copy(
                update={"fills": dict(bench.crosswalk.fills) | {field: fill}}
            )
            return lambda: save_draft(FEED, walk, bench.record.revision)

        first, second = at_once(saving("name"), saving("brand"))
        kept = [field for field, end in (("name", first), ("brand", second)) if type(end) is int]
        refused = [end for end in (first, second) if isinstance(end, Conflict)]
        assert len(kept) == len(refused) == 1, (first, second)
        assert "edited elsewhere" in refused[0].message
        now = open_workbench(FEED).crosswalk.fills
        assert now[kept[0]].parts[0].text == f"{kept[0]} {n}"
    assert open_workbench(FEED).record.revision == start.record.revision + 100


@pytest.mark.parametrize(
    "work",
    [
        lambda: runs.start_run(FEED).id,
        lambda: stores.add_feed(1, "Harrow Garden", "list"),
        lambda: stores.add_categories(1, ["Garden > Tools > Spades"]),
    ],
    ids=["prepare", "supplier", "categories"],
)
def test_what_two_make_at_once_is_made(demo, work):
    ends = at_once(work, work, work)
    assert not [end for end in ends if isinstance(end, Exception)], ends


def test_two_undos_of_a_run_are_one(demo, work):
    run = runs.start_run(FEED)
    work()
    from nomotax.flows.applying import request_apply

    request_apply(run.id)
    work()
    made = at_once(*[lambda: undoing.start_undo(run.id).id] * 3)
    assert len(set(made)) == 1 and isinstance(made[0], int), made


def test_what_is_told_of_a_feed_by_two_workers_is_told_once(demo):
    def telling():
        with session() as db:
            say(db, FEED, "silent", "Nothing new for 9 days.", "feeds/1/profile")

    assert at_once(*[telling] * 4) == [None] * 4
    (told,) = messages.messages_of(1).messages
    assert told.times == 4


def test_a_reading_that_is_changed_while_one_is_under_way_is_the_one_that_counts(demo, monkeypatch):
    """Nothing of the other is kept, neither here nor for the next delivery."""
    with session() as db:
        (first,) = Deliveries(db, 1).of_feed(FEED)
    receive.read(first.id)
    before = receive.delivery(first.id)
    wanted = parse_reading(before.reading | {"decimal": "."})
    whole = receive.read_source

    def changed_meanwhile(*given, **more):
        made = whole(*given, **more)
        monkeypatch.setattr(receive, "read_source", whole)
        monkeypatch.setattr(receive, "awaited", lambda one: one)
        receive.change_reading(first.id, wanted)
        return made

    monkeypatch.setattr(receive, "read_source", changed_meanwhile)
    receive.read(first.id)
    now = receive.delivery(first.id)
    assert now.status == "reading" and now.wanted == wanted.model_dump(mode="json")
    assert receive.read_queued(first.id).reading["decimal"] == "."
    assert receive.delivery(first.id).wanted is None


def test_nobody_waits_without_end_for_what_another_changes(demo):
    """An edit while a run is applied: it is told, after a while, what is under way."""
    with session() as held:
        Stores(held).locked(1)
        told = pytest.raises(Conflict, match="being applied")
        with waiting_at_most(200), told, session() as db:
            Stores(db).locked(1)


def test_a_worker_that_was_slow_leaves_a_fetch_to_the_one_that_took_it_up(demo):
    with session() as db:
        fetches = Fetches(db, 1)
        one = fetches.add(FEED, "by hand")
        fetches.take_up(one)
        slow = Fetch(**one.model_dump())
        fetches.take_up(one)
    with pytest.raises(NomotaxError, match="taken this fetch up"), session() as db:
        Fetches(db, 1).alone(slow)
    tell = fetching._Telling(slow)
    with pytest.raises(NomotaxError, match="taken this fetch up"):
        tell("looking")


def test_a_duty_that_fails_keeps_no_other_from_being_done(demo, monkeypatch):
    """Whatever the error; the next time it is tried again."""
    import asyncio

    done = []

    def broken():
        done.append("broken")
        raise ValueError("no such zone")

    async def two_rounds():
        monkeypatch.setattr(jobs, "_BEAT", 0.01)
        monkeypatch.setattr(jobs, "_DUTIES", (broken, lambda: done.append("next")))
        monkeypatch.setattr(jobs, "take_up", lambda *_: asyncio.sleep(0))
        watch = asyncio.create_task(jobs._watch(None))
        while len(done) < 4:
            await asyncio.sleep(0.01)
        watch.cancel()

    asyncio.run(asyncio.wait_for(two_rounds(), 20))
    assert done[:4] == ["broken", "next", "broken", "next"]


def test_a_schedule_that_cannot_be_worked_out_is_paused_and_told(demo):
    from nomotax.flows import schedules
    from nomotax.records.columns import now

    with session() as db:
        db.add(Schedule(store_id=1, feed_id=FEED, expression="0 6 * * *", zone="Atlantis/Poseidon",
                        next_at=now()))  # fmt: skip
    schedules.fire_due()
    with session() as db:
        told = Messages(db, 1).standing(FEED, "failed")
        rows = db.connection().execute(text("select paused, next_at from schedules")).all()
    assert rows == [(True, None)] and "Atlantis/Poseidon" in told.said
