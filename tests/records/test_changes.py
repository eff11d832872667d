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

from nomotax.core.changes.staging import deltas_of
from nomotax.core.changes.states import LIVE, STATE, TAKEN_OUT
from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.errors import StaleChangeset
from nomotax.records.catalog import Catalog
from nomotax.records.changes import Changes
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.products import Product
from nomotax.records.repositories import Deliveries, Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.taking_back import Instead, TakingBack

HEADING = {"title": "title", "category": "", "variant_group": ""}
KEYS, FIELDS = ("a", "b"), ("title", "price")
VALUES = st.one_of(st.none(), st.sampled_from(["1", "2", "3", 'é "q", {x}', "two\nlines", ""]))
WRITES = st.dictionaries(
    st.sampled_from(KEYS), st.dictionaries(st.sampled_from(FIELDS), VALUES, min_size=1), min_size=1
)
#: What is done, and what the step needs of it: what is written, which run, whether the earlier
#: values go back over later ones, and the field that is kept by hand, or no longer.
STEPS = st.lists(
    st.tuples(
        st.sampled_from(["apply"] * 4 + ["undo"] * 6 + ["hand", "keep", "snapshot", "restore"]),
        WRITES,
        st.integers(0, 5),
        st.booleans(),
        st.tuples(st.sampled_from(KEYS), st.sampled_from(FIELDS)),
    ),
    min_size=12,
    max_size=30,
)


@dataclass
class Written:
    """What one run of the model did. ``made`` are products, each with a number of its own."""

    made: dict[int, tuple[str, dict[str, str]]] = field(default_factory=dict)
    wrote: dict[int, dict[str, str | None]] = field(default_factory=dict)
    kind: str = "delivery"
    takes: int | None = None
    undone: bool = False


class Model:
    """The catalog as a list of runs, replayed. A product is its number; keys may come again."""

    def __init__(self) -> None:
        self.runs: dict[int, Written] = {}
        self.gone: set[int] = set()
        #: Of writes by run and product that a run which took theirs back, or put it in again, could
        #: not reach: whether they stand.
        self.said: dict[tuple[int, int], bool] = {}
        #: Fields that are kept by hand, of products by their numbers.
        self.kept: set[tuple[int, str]] = set()

    def alive(self) -> dict[str, int]:
        """The products there are, by key, those that a restore took out among them."""
        return {key: n for n, key in self.keys().items() if n not in self.gone}

    def keys(self) -> dict[int, str]:
        return {n: key for run in self.runs.values() for n, (key, _) in run.made.items()}

    def standing(self, number: int, product: int) -> bool:
        """Whether what a run wrote of a product stands."""
        return self.said.get((number, product), not self.runs[number].undone)

    def content(self, product: int, before: int | None = None) -> dict[str, str | None]:
        """Of a product, as the runs that stand made it, those from ``before`` on left out."""
        found: dict[str, str | None] = {}
        for number, run in self.runs.items():
            if before is not None and number >= before:
                break
            if product in run.made:
                found = dict(run.made[product][1])
            if product in run.wrote and self.standing(number, product):
                found |= run.wrote[product]
        return found

    def everything(self) -> dict[str, dict[str, str]]:
        """With those that are out of the catalog, which say so."""
        return {
            key: {f: v for f, v in self.content(n).items() if v is not None}
            for key, n in self.alive().items()
        }

    def catalog(self) -> dict[str, dict[str, str]]:
        return {k: c for k, c in self.everything().items() if c.get(STATE) != TAKEN_OUT}

    def writers(self) -> dict[tuple[str, str], int]:
        """The run that wrote each value there is."""
        keys, found = {n: k for k, n in self.alive().items()}, {}
        for number, run in self.runs.items():
            found |= {(keys[n], f): number for n in run.made if n in keys for f in FIELDS}
            for product, values in run.wrote.items():
                if product in keys and self.standing(number, product):
                    found |= {(keys[product], f): number for f in values}
        return found

    def stands(self, product: int) -> bool:
        """Whether any change of it does."""
        return any(product in r.wrote and self.standing(n, product) for n, r in self.runs.items())

    def chain(self, target: int) -> list[int]:
        """The run, the one it took back, down to the first."""
        found = [target]
        while (takes := self.runs[found[-1]].takes) is not None:
            found.append(takes)
        return found

    def may_be_undone(self, target: int) -> bool:
        """It stands, and what it took back has not been taken back by another since."""
        return all(self.runs[n].undone == at % 2 for at, n in enumerate(self.chain(target)))

    def take_back(self, target: int, by: int, chosen: bool) -> None:
        chain = self.chain(target)
        root, outs, ins = chain[-1], chain[::2], chain[1::2]
        # What comes back is as it was; only what is there can be kept as it is.
        old = {n: self.content(n) for n in self.alive().values()}
        self.come_back(root if root in ins else None, ins)
        there = set(self.alive().values())
        touched: dict[tuple[int, str], int] = {}
        for part in outs + ins[::-1]:
            for product in self.runs[part].wrote:
                said = self.said.get((part, product))
                if said is False if part in outs else said is not None:
                    continue
                if product not in there:
                    self.said[part, product] = part in outs
                else:
                    self.said.pop((part, product), None)
                    for name in self.runs[part].wrote[product]:
                        touched[product, name] = max(part, touched.get((product, name), 0))
        for one in chain:
            self.runs[one].undone = not self.runs[one].undone
        self.runs[by] = Written(kind="undo", takes=target)
        makers = {n: number for number, r in self.runs.items() for n in r.made}
        leaving = {
            n for n in there
            if self.runs[makers[n]].undone and not self.stands(n)
            and (makers[n] == root or n in {p for p, _ in touched})
        }  # fmt: skip
        self.gone |= leaving
        for (product, name), at in touched.items():
            if product not in leaving:
                self.decide(product, name, at, by, chosen, old, self.runs[root].kind != "edit")

    def come_back(self, root: int | None, ins: list[int]) -> None:
        for product, key in self.keys().items():
            back = (root is not None and product in self.runs[root].made) or any(
                product in self.runs[n].wrote and (n, product) not in self.said for n in ins
            )
            if product in self.gone and back and key not in self.alive():
                self.gone.remove(product)

    def decide(self, product, name, at, by, chosen, old, heeds_kept) -> None:
        """What taking back writes by itself of one field."""
        later = [n for n, r in self.runs.items()
                 if n > at and n != by and name in r.wrote.get(product, {})
                 and self.standing(n, product)]  # fmt: skip
        own = self.runs[by].wrote
        if later and chosen:
            was = self.content(product, before=min(later)).get(name)
            own.setdefault(product, {})[name] = was
        elif not later and not chosen and heeds_kept and product in old:
            kept = (product, name) in self.kept
            if kept and self.content(product).get(name) != old[product].get(name):
                own.setdefault(product, {})[name] = old[product].get(name)


class Shop:
    """The same in the database."""

    def __init__(self) -> None:
        with session() as db:
            for table in ("removed_products", "product_changes", "products", "kept_values", "runs"):
                db.connection().execute(text(f"delete from {table}"))
            self.store = known_id(Stores(db).add("Shop", {"fields": []}))
            feeds, walks = Feeds(db, self.store), Crosswalks(db, self.store)
            supplier = feeds.supplier_named("S")
            self.supplier = known_id(supplier)
            self.feed = known_id(feeds.add(supplier, "F"))
            delivery = Deliveries(db, self.store).add(
                feed_id=self.feed, file_name="f", sha256="", size=0
            )
            version = walks.freeze(walks.add(self.feed), Bundle(crosswalk=Crosswalk()), {})
            self.about = {"delivery_id": delivery.id, "version_id": version.id}

    def catalog(self) -> dict[str, dict[str, str]]:
        with session() as db:
            found = db.exec(select(Product).where(Product.store_id == self.store)).all()
            assert all(p.title == p.content.get("title", "") for p in found)
            assert all(p.state == p.content.get(STATE, LIVE) for p in found)
            return {p.key: p.content for p in found}

    def writer(self, key: str, name: str) -> int:
        with session() as db:
            return Catalog(db, self.store).writer(key, name)

    def apply(self, made: dict, before: dict, after: dict, kind: str = "delivery") -> int:
        with session() as db:
            about = {"feed_id": self.feed, **self.about} if kind == "delivery" else {}
            run = Runs(db, self.store).add(kind=kind, status="applied", **about)
            changes = Changes(db, self.store, known_id(run))
            sides = {k: (before[k], after[k]) for k in before}
            changes.stage(deltas_of(sides), lambda done: None)
            if kind == "delivery":
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

    def take_back(self, number: int, chosen: bool = False) -> int:
        with session() as db:
            runs = Runs(db, self.store)
            chain = [runs.get(number)]
            while chain[-1].undoes is not None:
                chain.append(runs.get(chain[-1].undoes))
            about = {"feed_id": self.feed, "undoes": number, **self.about}
            run = runs.add(kind="undo", status="applied", **about)
            taking = TakingBack(db, run, chain)
            taking.write(HEADING, taking.fields(Instead(all=chosen)))
            for one in chain:
                one.status = "undone" if one.status == "applied" else "applied"
                db.add(one)
            return known_id(run)

    def keep(self, key: str, name: str, keep: bool) -> None:
        with session() as db:
            Catalog(db, self.store).keep(key, name, keep)


def split(now, wanted):
    """New products, and what differs of the others, as a preparation finds it. One that was taken
    out comes back."""
    wanted = {
        k: w | {STATE: None} if now.get(k, {}).get(STATE) == TAKEN_OUT and STATE not in w else w
        for k, w in wanted.items()
    }
    made = {k: {f: v for f, v in w.items() if v is not None}
            for k, w in wanted.items() if k not in now}  # fmt: skip
    before, after = {}, {}
    for key in wanted.keys() - made.keys():
        differ = [f for f, v in wanted[key].items() if v != now[key].get(f)]
        if differ:
            before[key] = {f: now[key][f] for f in differ if f in now[key]}
            after[key] = {f: wanted[key][f] for f in differ}
    return made, before, after


def write(shop, model, wanted, kind):
    """The same in both."""
    made, before, after = split(model.everything(), wanted)
    number, alive = shop.apply(made, before, after, kind), model.alive()
    free = model.kept if kind == "delivery" else set()
    wrote = {
        alive[k]: {f: v for f, v in after[k].items() if (alive[k], f) not in free} for k in before
    }
    model.runs[number] = Written(
        {number * 10 + n: (k, c) for n, (k, c) in enumerate(made.items())},
        {k: v for k, v in wrote.items() if v},
        kind,
    )


@settings(max_examples=18, deadline=None,
          suppress_health_check=[HealthCheck.function_scoped_fixture])  # fmt: skip
@given(STEPS)
def test_any_history_of_runs_and_undos_equals_the_model(database, steps):
    shop, model, snapshots = Shop(), Model(), [{}]
    for what, writes, which, chosen, place in steps:
        if what == "apply":
            write(shop, model, writes, "delivery")
        elif what == "hand":
            there = model.everything()
            write(shop, model, {k: w for k, w in writes.items() if k in there}, "edit")
        elif what == "snapshot":
            snapshots.append(model.catalog())
        elif what == "restore":
            then, there = snapshots[which % len(snapshots)], model.everything()
            empty = dict.fromkeys((*FIELDS, STATE))
            wanted = {k: {STATE: TAKEN_OUT} for k in there if k not in then}
            write(shop, model, wanted | {k: empty | c for k, c in then.items()}, "restore")
            assert model.catalog() == then
        elif what == "keep" and place[0] in model.catalog():
            kept = (model.alive()[place[0]], place[1])
            shop.keep(*place, keep=kept not in model.kept)
            model.kept ^= {kept}
        elif what == "undo":
            standing = [n for n in model.runs if model.may_be_undone(n)]
            if standing:
                number = standing[-1 - which % len(standing)]
                model.take_back(number, shop.take_back(number, chosen), chosen)
        assert shop.catalog() == model.everything()
    writers = model.writers()
    for key, content in model.catalog().items():
        assert {f: shop.writer(key, f) for f in content} == {f: writers[key, f] for f in content}


@settings(max_examples=8, deadline=None,
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
    shop.apply({k: {"title": k, "price": "1"} for k in "abc"}, {}, {})
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
        shop.apply({k: {"title": k, "price": "1"} for k in "abc"}, {}, {})
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


@pytest.fixture
def two_suppliers(database):
    """A shop where one run made a product, and another changed its price after that."""
    shop = Shop()
    made = shop.apply({"a": {"title": "a", "price": "1"}}, {}, {})
    changed = shop.apply({}, {"a": {"price": "1"}}, {"a": {"price": "2"}})
    return shop, made, changed


@pytest.mark.parametrize("first", [0, 1])
@pytest.mark.parametrize("back", [0, 1])
def test_a_product_is_gone_when_its_maker_and_all_its_changes_are_undone(
    two_suppliers, first, back
):
    shop, *runs = two_suppliers
    undos = [shop.take_back(runs[first]), shop.take_back(runs[1 - first])]
    assert shop.catalog() == {}
    again = [shop.take_back(undos[back]), shop.take_back(undos[1 - back])]
    assert shop.catalog() == {"a": {"title": "a", "price": "2"}}
    shop.take_back(again[0])
    shop.take_back(again[1])
    assert shop.catalog() == {}


def test_a_value_kept_by_hand_stays_when_the_run_that_wrote_it_is_undone(two_suppliers):
    shop, _, changed = two_suppliers
    shop.keep("a", "price", keep=True)
    undo = shop.take_back(changed)
    assert shop.catalog()["a"]["price"] == "2" and shop.writer("a", "price") == undo
    shop.take_back(undo)
    assert shop.catalog()["a"]["price"] == "2" and shop.writer("a", "price") == changed
    shop.take_back(changed, chosen=True)
    assert shop.catalog()["a"]["price"] == "1", "a person may put it back all the same"


def test_the_earlier_value_goes_back_over_a_later_one_where_that_is_chosen(two_suppliers):
    shop, _, changed = two_suppliers
    later = shop.apply({}, {"a": {"price": "2"}}, {"a": {"price": "3"}})
    undo = shop.take_back(changed, chosen=True)
    assert shop.catalog()["a"]["price"] == "1" and shop.writer("a", "price") == undo
    shop.take_back(later)
    assert shop.catalog()["a"]["price"] == "1"
    shop.take_back(undo)
    assert shop.catalog()["a"]["price"] == "2" and shop.writer("a", "price") == changed
