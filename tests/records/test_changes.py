"""Any history of applies, values kept by hand and undos, against a plain model of the catalog: of
each product and field the last write that stands is what the catalog holds."""

from __future__ import annotations

import json
from dataclasses import dataclass, field

import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text
from sqlmodel import select

from nomotax.core.errors import StaleChangeset
from nomotax.records.changes import Changes
from nomotax.records.database import session
from nomotax.records.repositories import Catalog, Feeds, Runs, Stores, known_id
from nomotax.records.tables import CrosswalkVersion, Delivery, KeptValue, Product, Run
from nomotax.records.taking_back import TakingBack

HEADING = {"title": "title", "category": "", "variant_group": ""}
KEYS, FIELDS = ("a", "b", "c"), ("title", "price", "note")
VALUES = st.one_of(st.none(), st.sampled_from(["1", "2", 'é "q", {x}', "two\nlines", ""]))
WRITES = st.dictionaries(
    st.sampled_from(KEYS), st.dictionaries(st.sampled_from(FIELDS), VALUES, min_size=1), min_size=1
)
STEPS = st.lists(
    st.one_of(
        st.tuples(st.just("apply"), WRITES),
        st.tuples(st.just("undo"), st.integers(0, 9)),
        st.tuples(st.just("undo"), st.integers(0, 9)),
        st.tuples(st.just("keep"), st.tuples(st.sampled_from(KEYS), st.sampled_from(FIELDS))),
    ),
    max_size=14,
)


@dataclass
class Written:
    """What one run of the model did. ``made`` are products, each with a number of its own."""

    made: dict[int, tuple[str, dict[str, str]]] = field(default_factory=dict)
    wrote: dict[int, dict[str, str | None]] = field(default_factory=dict)
    takes: int | None = None
    undone: bool = False
    removed: set[int] = field(default_factory=set)
    took: set[int] = field(default_factory=set)


class Model:
    """The catalog as a list of runs, replayed. A product is its number; keys may come again."""

    def __init__(self) -> None:
        self.runs: dict[int, Written] = {}
        self.gone: set[int] = set()
        #: Writes by run and product that do not stand.
        self.out: set[tuple[int, int]] = set()

    def alive(self) -> dict[str, int]:
        """The products there are, by key."""
        return {
            key: number
            for run in self.runs.values()
            for number, (key, _) in run.made.items()
            if number not in self.gone
        }

    def catalog(self) -> dict[str, dict[str, str]]:
        found: dict[int, dict[str, str | None]] = {}
        for number, run in self.runs.items():
            found |= {n: dict(content) for n, (_, content) in run.made.items()}
            for product, values in run.wrote.items():
                if (number, product) not in self.out:
                    found[product] |= values
        return {
            key: {f: v for f, v in found[n].items() if v is not None}
            for key, n in self.alive().items()
        }

    def writers(self) -> dict[tuple[str, str], int]:
        """The run that wrote each value there is."""
        keys, found = {n: k for k, n in self.alive().items()}, {}
        for number, run in self.runs.items():
            found |= {(keys[n], f): number for n in run.made if n in keys for f in FIELDS}
            for product, values in run.wrote.items():
                if product in keys and (number, product) not in self.out:
                    found |= {(keys[product], f): number for f in values}
        return found

    def take_back(self, target: int, by: int) -> None:
        chain = [target]
        while (takes := self.runs[chain[-1]].takes) is not None:
            chain.append(takes)
        run, there = Written(takes=target), set(self.alive().values())
        root = chain[-1]
        if len(chain) % 2:
            stands = {p for n, r in self.runs.items() for p in r.wrote if (n, p) not in self.out}
            run.removed = {p for p in self.runs[root].made if p in there and p not in stands}
            self.gone |= run.removed
            run.took = {p for p in self.runs[root].wrote
                        if p in there and (root, p) not in self.out}  # fmt: skip
            self.out |= {(root, p) for p in run.took}
        else:
            back = self.runs[target]
            keys = {n: key for r in self.runs.values() for n, (key, _) in r.made.items()}
            returns = {p for p in back.removed if keys[p] not in self.alive()}
            self.gone -= returns
            back.removed -= returns
            self.out -= {(root, p) for p in back.took if p not in self.gone}
            back.took = {p for p in back.took if p in self.gone}
        self.runs[by] = run
        for one in chain:
            self.runs[one].undone = not self.runs[one].undone


class Shop:
    """The same in the database."""

    def __init__(self) -> None:
        with session() as db:
            for table in ("removed_products", "product_changes", "products", "kept_values", "runs"):
                db.connection().execute(text(f"delete from {table}"))
            self.store = known_id(Stores(db).add("Shop", {"fields": []}))
            supplier = Feeds(db).supplier_named(self.store, "S")
            self.supplier = known_id(supplier)
            self.feed = known_id(Feeds(db).add(supplier, "F"))
            delivery = Delivery(feed_id=self.feed, file_name="f", sha256="", size=0)
            version = CrosswalkVersion(feed_id=self.feed, number=1, bundle={})
            db.add_all([delivery, version])
            db.flush()
            self.about = {"delivery_id": delivery.id, "version_id": version.id}

    def catalog(self) -> dict[str, dict[str, str]]:
        with session() as db:
            found = db.exec(select(Product).where(Product.store_id == self.store)).all()
            assert all(p.title == p.content.get("title", "") for p in found)
            return {p.key: p.content for p in found}

    def writer(self, key: str, name: str) -> int:
        with session() as db:
            return Catalog(db).writer(self.store, key, name)

    def apply(self, made: dict, before: dict, after: dict) -> int:
        with session() as db:
            run = Runs(db).add(Run(store_id=self.store, feed_id=self.feed, **self.about))
            changes = Changes(db, self.store, known_id(run))
            sides = [(k, json.dumps(before[k]), json.dumps(after[k])) for k in before]
            changes.stage(
                pl.DataFrame(sides, schema=["key", "before", "after"], orient="row").cast(
                    pl.String
                ),
                lambda done: None,
            )
            changes.leave_kept()
            stale = changes.stale()
            if stale:
                raise StaleChangeset(str(stale))
            changes.write(HEADING)
            rows = [
                (k, c.get("title", ""), "", "", json.dumps(c), self.supplier)
                for k, c in made.items()
            ]
            names = ["key", "title", "category", "variant_group", "content", "supplier_id"]
            frame = pl.DataFrame(rows, schema=names, orient="row")
            changes.make(frame, lambda done: None)
            return known_id(run)

    def take_back(self, number: int) -> int:
        with session() as db:
            chain = [Runs(db).get(number)]
            while chain[-1].undoes is not None:
                chain.append(Runs(db).get(chain[-1].undoes))
            about = {"store_id": self.store, "feed_id": self.feed, "undoes": number, **self.about}
            run = Runs(db).add(Run(kind="undo", **about))
            TakingBack(db, run, chain).write(HEADING)
            return known_id(run)

    def keep(self, key: str, name: str) -> None:
        with session() as db:
            db.add(KeptValue(store_id=self.store, key=key, field=name))


def split(now, wanted):
    """New products, and what differs of the others, as a preparation finds it."""
    made = {k: {f: v for f, v in w.items() if v is not None}
            for k, w in wanted.items() if k not in now}  # fmt: skip
    before, after = {}, {}
    for key in wanted.keys() - made.keys():
        differ = [f for f, v in wanted[key].items() if v != now[key].get(f)]
        if differ:
            before[key] = {f: now[key][f] for f in differ if f in now[key]}
            after[key] = {f: wanted[key][f] for f in differ}
    return made, before, after


@settings(max_examples=40, deadline=None,
          suppress_health_check=[HealthCheck.function_scoped_fixture])  # fmt: skip
@given(STEPS)
def test_any_history_of_runs_and_undos_equals_the_model(database, steps):
    shop, model, kept = Shop(), Model(), set()
    for what, about in steps:
        if what == "apply":
            made, before, after = split(model.catalog(), about)
            number, alive = shop.apply(made, before, after), model.alive()
            wrote = {
                alive[k]: {f: v for f, v in after[k].items() if (k, f) not in kept} for k in before
            }  # fmt: skip
            model.runs[number] = Written(
                {number * 10 + n: (k, c) for n, (k, c) in enumerate(made.items())},
                {k: v for k, v in wrote.items() if v},
            )
        elif what == "keep" and about not in kept:
            shop.keep(*about)
            kept.add(about)
        elif what == "undo":
            standing = [n for n, r in model.runs.items() if not r.undone]
            if standing:
                number = standing[about % len(standing)]
                model.take_back(number, shop.take_back(number))
        assert shop.catalog() == model.catalog()
    writers = model.writers()
    for key, content in model.catalog().items():
        assert {f: shop.writer(key, f) for f in content} == {f: writers[key, f] for f in content}


@settings(max_examples=15, deadline=None,
          suppress_health_check=[HealthCheck.function_scoped_fixture])  # fmt: skip
@given(st.lists(WRITES, min_size=1, max_size=5), st.randoms(use_true_random=False))
def test_when_all_runs_are_undone_in_any_order_the_catalog_is_as_before_them(
    database, writes, random
):
    shop = Shop()
    first = {k: {"title": k, "price": "1"} for k in KEYS}
    shop.apply(first, {}, {})
    numbers = [shop.apply(*split(shop.catalog(), wanted)) for wanted in writes]
    end = shop.catalog()
    random.shuffle(numbers)
    undos = [shop.take_back(number) for number in numbers]
    assert shop.catalog() == first
    random.shuffle(undos)
    for number in undos:
        shop.take_back(number)
    assert shop.catalog() == end, "and when the undos are undone in any order, as after them"


def test_another_value_than_was_found_is_stale_and_only_that(database):
    shop = Shop()
    shop.apply({k: {"title": k, "price": "1"} for k in KEYS}, {}, {})
    before, after = {"a": {"price": "1"}}, {"a": {"price": "2"}}
    shop.apply(
        {}, {"a": {"title": "a"}, "b": {"price": "1"}}, {"a": {"title": "A"}, "b": {"price": None}}
    )
    shop.apply({}, before, after)
    with pytest.raises(StaleChangeset, match="price"):
        shop.apply({}, before, {"a": {"price": "3"}})
    with pytest.raises(StaleChangeset, match="gone"):
        shop.apply({}, {"gone": {}}, {"gone": {"price": "3"}})
    with pytest.raises(StaleChangeset, match="a"):
        shop.apply({"a": {"title": "again"}}, {}, {})
    assert shop.catalog() == {"a": {"title": "A", "price": "2"}, "b": {"title": "b"},
                              "c": {"title": "c", "price": "1"}}  # fmt: skip


def test_disjoint_runs_commute(database):
    """Two runs of other fields, prepared against the same catalog, in either order."""
    ends = []
    for order in ((0, 1), (1, 0)):
        shop = Shop()
        shop.apply({k: {"title": k, "price": "1"} for k in KEYS}, {}, {})
        runs = [
            (
                {"a": {"price": "1"}, "c": {"price": "1"}},
                {"a": {"price": "5"}, "c": {"price": None}},
            ),
            ({"a": {"title": "a"}, "b": {}}, {"a": {"title": "A"}, "b": {"note": "new"}}),
        ]
        for at in order:
            shop.apply({}, *runs[at])
        ends.append(shop.catalog())
    assert ends[0] == ends[1]
    assert ends[0]["a"] == {"title": "A", "price": "5"} and "price" not in ends[0]["c"]
