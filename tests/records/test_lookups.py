"""Look-ups entry by entry against plain dicts, revision by revision; no store sees another's."""

from __future__ import annotations

import threading

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.crosswalk.saved import KINDS
from nomotax.core.errors import NotFound
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.pricing.ladder import Ladder, Rung
from nomotax.records.actors import at_work, set_person
from nomotax.records.catalog import Catalog
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Deliveries, Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs, Snapshots

WORDS = st.dictionaries(
    st.sampled_from(["a", "A", " a", "b/c", "ü", "'", "x" * 3000, "%s", "null"]),
    st.sampled_from(["", "red", "Rot | Blau", "{}", "1,50"]),
)
PEOPLE = st.sampled_from(["", "Ada", "Bo"])


@st.composite
def saves(draw):
    """One table, ladder or rule after another, each by somebody."""
    name = draw(st.sampled_from(["one", "two"]))
    kind = draw(st.sampled_from(["value", "value", "place", "ladder"]))
    if kind == "value":
        match = draw(st.sampled_from(["exact", "fold"]))
        model = ValueTable(name=name, match=match, entries=draw(WORDS))
    elif kind == "place":
        model = CategoryTable(name=name, placements=draw(WORDS))
    else:
        rungs = (Rung(start=0, amount=draw(st.integers(1, 3))),)
        model = Ladder(name=name, rungs=rungs)
    return draw(PEOPLE), model


def entries_of(model):
    return getattr(model, "entries", None) or getattr(model, "placements", {})


@pytest.fixture
def store(database):
    with session() as db:
        return known_id(Stores(db).add("Shop", {"fields": []}))


@settings(max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(history=st.lists(saves(), min_size=1, max_size=10))
def test_any_history_of_look_ups_reads_back_at_every_revision(store, history):
    with session() as db:
        for table in ("lookup_entries", "lookup_revisions", "lookups"):
            db.connection().execute(text(f"delete from {table}"))
    present, revisions, given_by = {}, {}, {}
    for person, model in history:
        set_person(person)
        key = (type(model), model.name)
        with session() as db:
            lookups = LookupsRepository(db, store)
            lookups.save(model)
            now = lookups.now()
        kind = next(k for k in KINDS if k.model is type(model))
        at = now.at[kind.name, model.name]
        if present.get(key) != model:
            assert at not in revisions, "what differs is another revision"
            old = entries_of(present[key]) if key in present else {}
            for arriving, answer in entries_of(model).items():
                if old.get(arriving) != answer:
                    given_by[kind.name, model.name, arriving] = person
        present[key] = model
        revisions[at] = model
    with session() as db:
        lookups = LookupsRepository(db, store)
        assert lookups.as_of(revisions) == revisions
        held = lookups.all()
        for kind in KINDS:
            mine = {n: m for (t, n), m in present.items() if t is kind.model}
            assert dict(getattr(held, kind.where)) == mine
            for name, model in mine.items():
                newest = max(n for (i, n), m in revisions.items() if m is model)
                assert len(lookups.changes(kind.name, name)) == newest
                for arriving, answer in entries_of(model).items():
                    found = lookups.answer_at(kind.name, name, arriving, newest)
                    assert (found.answer, found.author) == (
                        answer,
                        given_by[kind.name, name, arriving],
                    )
    set_person("")


def test_a_version_keeps_its_look_ups_and_only_refers_to_them(store):
    table = ValueTable(name="colour", entries={f"word {n}": "Red" for n in range(300)})
    with session() as db:
        feeds, walks = Feeds(db, store), Crosswalks(db, store)
        lookups = LookupsRepository(db, store)
        feed = known_id(feeds.add(feeds.supplier_named("S"), "F"))
        record = walks.add(feed)
        frozen = []
        for n in range(5):
            table = table.model_copy(update={"entries": table.entries | {"more": str(n)}})
            lookups.save(table)
            lookup, number = lookups.now().at["value_table", "colour"]
            bundle = Bundle(crosswalk=Crosswalk(), value_tables=(table,))
            version = walks.freeze(record, bundle, {str(lookup): number})
            again = walks.freeze(record, bundle, {str(lookup): number}, "the same")
            assert again.id == version.id and again.note == "the same"
            frozen.append((version, table))
        assert [v.number for v in walks.versions(record)] == [5, 4, 3, 2, 1]
        found = walks.bundles([version for version, _ in frozen])
        assert [b.value_tables for b in found] == [(t,) for _, t in frozen]
        count = db.connection().execute(text("select count(*) from lookup_entries")).scalar()
        assert count == 300 + 5, "an entry that nobody touched is kept once"


def test_two_who_make_a_table_at_once_make_one(store):
    begin = threading.Barrier(6)

    def save(n):
        begin.wait()
        with session() as db:
            set_person(f"Person {n % 2}")
            LookupsRepository(db, store).save(ValueTable(name="new", entries={"a": str(n)}))

    threads = [threading.Thread(target=save, args=(n,)) for n in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    with session() as db:
        lookups = LookupsRepository(db, store)
        assert lookups.now().at.keys() == {("value_table", "new")}
        said = lookups.answers("value_table", "new", "a")
        assert len(said) == 6 and sum(one.until is None for one in said) == 1
        names = db.connection().execute(text("select name from actors order by name")).scalars()
        assert list(names) == ["Person 0", "Person 1"]


def test_a_person_is_known_by_one_name_once(store):
    with session() as db:
        set_person("")
        assert at_work(db) is None
        set_person("  Ada   Lovelace ")
        first, again = at_work(db), at_work(db)
        assert first is again and (first.kind, first.name) == ("person", "Ada Lovelace")
        set_person("")


def test_no_store_finds_what_belongs_to_another(demo):
    """The same ids, asked of another store, are not there."""
    with session() as db:
        other = known_id(Stores(db).add("Other", {"fields": []}))
        feed, _ = Feeds(db, demo).all()[0]
        delivery = Deliveries(db, demo).newest(known_id(feed))
        run = Runs(db, demo).add(feed_id=feed.id, delivery_id=delivery.id)
        snapshot = Snapshots(db, demo).add(None)
        record = Crosswalks(db, demo).from_feed(known_id(feed))
        version = Crosswalks(db, demo).freeze(record, Bundle(crosswalk=Crosswalk()), {})
        LookupsRepository(db, demo).save(ValueTable(name="mine", entries={"a": "b"}))
        at = LookupsRepository(db, demo).now().at["value_table", "mine"]
        key = next(iter(Catalog(db, demo).keys_among(["QP-004000", "QP-001000"])), "QP-004000")
        asked = [
            lambda store: Feeds(db, store).get(known_id(feed)),
            lambda store: Deliveries(db, store).get(known_id(delivery)),
            lambda store: Deliveries(db, store).newest(known_id(feed)),
            lambda store: Runs(db, store).get(known_id(run)),
            lambda store: Snapshots(db, store).get(known_id(snapshot)),
            lambda store: Crosswalks(db, store).from_feed(known_id(feed)),
            lambda store: Crosswalks(db, store).version(known_id(version)),
        ]
        for find in asked:
            assert find(demo)
            with pytest.raises(NotFound):
                find(other)
        mine, its = LookupsRepository(db, demo), LookupsRepository(db, other)
        assert mine.as_of([at]) and not its.as_of([at])
        assert mine.answers("value_table", "mine", "a") and not its.answers(
            "value_table", "mine", "a"
        )
        assert Deliveries(db, demo).last_of_each(9) and not Deliveries(db, other).last_of_each(9)
        assert Runs(db, demo).of_deliveries([known_id(delivery)])
        assert not Runs(db, other).of_deliveries([known_id(delivery)])
        assert Runs.holding(db, known_id(run)).store_id == demo
        with pytest.raises(NotFound, match="no run"):
            Runs.holding(db, 10**6)
        with pytest.raises(NotFound):
            Catalog(db, other).product(key)
