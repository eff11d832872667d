"""What is decided of articles, against a plain model: the last word counts, of one supplier of one
store."""

from __future__ import annotations

import json

import polars as pl
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from nomotax.core.matching.pairing import Decided
from nomotax.records.changes import Changes
from nomotax.records.database import session
from nomotax.records.pairings import Pairings
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs

ARTICLES = st.sampled_from(["1", "10", "1%", "a_b", "Ä'\\x"])
DECISIONS = st.one_of(
    st.tuples(ARTICLES, st.just("product"), st.sampled_from(["p", "q", "nowhere"])),
    st.tuples(ARTICLES, st.sampled_from(["new", "leave"]), st.none()),
)
STEPS = st.lists(
    st.tuples(
        st.sampled_from(["decide", "decide", "forget", "lose"]),
        st.integers(0, 1),
        st.lists(DECISIONS, max_size=4),
    ),
    max_size=8,
)


def shop():
    """A store with products p and q, and two suppliers."""
    with session() as db:
        for table in ("pairings", "products", "runs"):
            db.connection().execute(text(f"delete from {table}"))
        store = known_id(Stores(db).add("Shop", {"fields": []}))
        suppliers = [known_id(Feeds(db, store).supplier_named(name)) for name in "ST"]
        run = Runs(db, store).add(kind="edit", status="applied")
        rows = [(k, "T" + k, "", "", json.dumps({"title": "T" + k}), suppliers[0]) for k in "pq"]
        names = ["key", "title", "category", "variant_group", "content", "supplier_id"]
        made = pl.DataFrame(rows, schema=names, orient="row")
        Changes(db, store, known_id(run)).make(made, lambda done: None)
        return store, suppliers


@settings(max_examples=8, deadline=None,
          suppress_health_check=[HealthCheck.function_scoped_fixture])  # fmt: skip
@given(STEPS)
def test_any_decisions_equal_the_model(database, steps):
    store, suppliers = shop()
    model, there = ({}, {}), {"p", "q"}
    for what, whose, decided in steps:
        own, supplier = model[whose], suppliers[whose]
        with session() as db:
            repo = Pairings(db, store)
            if what == "decide":
                unknown = repo.decide(supplier, [Decided(*one) for one in decided])
                assert set(unknown) == {k for _, said, k in decided if said == "product"} - there
                # Of one article the last word counts.
                last = {one[0]: one for one in decided}
                own |= {a: one[1:] for a, one in last.items() if one[2] is None or one[2] in there}
            elif what == "forget":
                repo.forget(supplier, [article for article, *_ in decided])
                for article, *_ in decided:
                    own.pop(article, None)
            else:
                db.connection().execute(text("delete from products where key = 'q'"))
                there = {"p"}
        check(store, suppliers, model, there)


def check(store, suppliers, model, there):
    with session() as db:
        repo = Pairings(db, store)
        for supplier, own in zip(suppliers, model, strict=True):
            wanted = {
                article: (("lost", None) if said == "product" and key not in there else (said, key))
                for article, (said, key) in own.items()
            }
            found = {a: (said, key) for a, said, key in repo.of_supplier(supplier).iter_rows()}
            assert found == wanted and repo.count(supplier) == len(own)
            assert {a for piece in repo.lines(supplier) for a in piece["article"]} == own.keys()
            for search in ("1", "1%", "a_", "Ä", "q"):
                total, page = repo.page(supplier, search, 0, 50)
                begin = {
                    a for a, (_, key) in wanted.items()
                    if a.lower().startswith(search.lower()) or (key or "").startswith(search)
                }  # fmt: skip
                assert {one.article for one, _ in page} == begin and total == len(begin)
            now = {one.article: one.decision for one in repo.of_articles(supplier, [*own])}
            assert now == {article: said for article, (said, _) in own.items()}


def test_every_decision_is_noticed_by_what_hangs_on_it(database):
    store, (supplier, other) = shop()

    def number(one):
        query = text("select decided from suppliers where id = :id")
        with session() as db:
            return db.connection().execute(query, {"id": one}).scalar_one()

    seen = [number(supplier)]
    with session() as db:
        Pairings(db, store).decide(supplier, [Decided("1", "product", "p")])
    seen.append(number(supplier))
    with session() as db:
        Pairings(db, store).forget(supplier, ["1"])
    seen.append(number(supplier))
    assert seen == sorted(set(seen)) and number(other) == 0
