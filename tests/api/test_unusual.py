"""What is unusual in a delivery: a bee-keeper's supplier in Italian, whose lists are ordinary for
three weeks, and then are not."""

from __future__ import annotations

import random

import pytest

from tests.api.test_matching import apply, crosswalk, draw
from tests.api.test_path import get, send
from tests.api.test_reading import upload

COLUMNS = ["Codice", "Articolo", "Prezzo", "Giacenza", "Reparto"]
NAMES = {"sku": "Codice", "name": "Articolo", "price": "Prezzo", "stock": "Giacenza"}


def rows(week, many=30):
    """A week's list: prices creep, stocks go down or are filled up."""
    made = []
    for n in range(many):
        rng = random.Random(f"{n}")
        price, stock = rng.uniform(4, 80), rng.randint(4, 60)
        for at in range(week):
            chance = random.Random(f"{n} {at}")
            price *= chance.uniform(0.99, 1.02) if chance.random() < 0.3 else 1
            stock = int(stock * chance.uniform(0.5, 1)) + 80 * (chance.random() < 0.15)
        part = ("Arnie", "Telaini", "Cera")[n % 3]
        made.append(
            [f"MI-{n:03}", f"Melario {n}", f"{price:.2f}".replace(".", ","), str(stock), part]
        )
    return made


def text(lines, columns=COLUMNS):
    return "\n".join(";".join(line) for line in [columns, *lines]).encode() + b"\n"


def bring(client, feed, lines, columns=COLUMNS):
    return upload(client, feed, text(lines, columns), "listino.csv")["id"]


def unusual(client, delivery):
    return get(client, f"/deliveries/{delivery}/unusual")


def said(client, delivery):
    return {(t["kind"], t["column"], t["severity"]) for t in unusual(client, delivery)["things"]}


@pytest.fixture
def bees(client, work, once):
    """The feed, with three ordinary weeks of which the first is applied."""

    @once
    def begun():
        body = {"supplier": "Melaria Ronco", "name": "Listino"}
        feed = send(client, "post", "/stores/1/feeds", body, 201)["id"]
        bring(client, feed, rows(0))
        document = crosswalk(NAMES)
        document["fills"]["stock"]["steps"] = [{"do": "number"}]
        document["fills"]["category"] = {"parts": [{"text": "Painting"}]}
        draw(client, feed, document)
        apply(client, work, feed)
        for week in (1, 2):
            bring(client, feed, rows(week))
        return feed

    return begun


def line(client, feed):
    feeds = get(client, "/stores/1/arrivals")["feeds"]
    return next(f for f in feeds if f["id"] == feed)["deliveries"][0]


def test_ordinary_weeks_are_quiet_and_the_first_has_nothing_beside_it(client, bees):
    found = get(client, "/stores/1/arrivals")["feeds"]
    weeks = next(f for f in found if f["id"] == bees)["deliveries"]
    first, *_, last = (unusual(client, d["id"]) for d in reversed(weeks))
    assert (first["before"], first["known"], first["things"]) == (None, 0, [])
    assert (last["before"]["id"], last["known"], last["things"]) == (weeks[1]["id"], 2, [])
    assert [d["unusual"] for d in weeks] == [0, 0, 0]


def test_a_price_that_cannot_be_read_holds_the_run(client, work, bees):
    """What is severe is told in Arrivals, with its field, and holds the run until somebody lets it
    through."""
    strange = [[c, a, "su richiesta", g, r] for c, a, _, g, r in rows(3)]
    delivery = bring(client, bees, strange)
    (thing,) = unusual(client, delivery)["things"]
    assert (thing["kind"], thing["severity"], thing["rows"]) == ("kind_changed", "hold", 30)
    assert thing["fields"] == ["Price"] and thing["since"] is None
    assert line(client, bees)["unusual"] == 1 and "su richiesta" in line(client, bees)["said"]
    run = send(client, "post", f"/feeds/{bees}/runs", status=201)["id"]
    work()
    told = get(client, f"/runs/{run}/decisions")["findings"]
    held = [f for f in told if f["kind"] == "delivery_unusual"]
    assert len(held) == 1 and held[0]["open"] and held[0]["said"] in thing["said"]
    send(client, "post", f"/runs/{run}/apply", None, 409)


def test_what_was_wrong_is_never_what_is_usual(client, bees):
    """A second list with the same fault is told it once more, since which delivery; the one that is
    right again is not held against it."""
    strange = [[c, a, "su richiesta", g, r] for c, a, _, g, r in rows(3)]
    first = bring(client, bees, strange)
    second = bring(client, bees, [[c, a, "chiamare", g, r] for c, a, _, g, r in rows(4)])
    (thing,) = unusual(client, second)["things"]
    assert (thing["kind"], thing["since"]["id"]) == ("kind_changed", first)
    right = bring(client, bees, rows(5))
    assert said(client, right) == set()
    assert unusual(client, right)["known"] == 3


def test_a_column_without_use_is_a_note(client, bees):
    without = bring(client, bees, [line[:4] for line in rows(3)], COLUMNS[:4])
    assert said(client, without) == {("column_gone", "Reparto", "note")}
    assert line(client, bees)["unusual"] == 0


def test_a_new_name_is_taken_once_and_for_all(client, work, bees):
    """A renamed column holds; with its new name taken the run is as any other, the next delivery
    of either name too; and the reading before it brings everything back."""
    columns = ["Codice", "Articolo", "Netto", "Giacenza", "Reparto"]
    delivery = bring(client, bees, rows(3), columns)
    assert said(client, delivery) == {("column_renamed", "Prezzo", "warn")}
    before = get(client, f"/deliveries/{delivery}")["reading"]
    read = send(
        client, "post", f"/deliveries/{delivery}/names", {"column": "Prezzo", "to": "Netto"}
    )
    assert read["columns"] == COLUMNS
    told = unusual(client, delivery)
    assert (told["things"], told["renames"]) == ([], {"Netto": "Prezzo"})
    run = prepare_of(client, work, bees)
    assert run["counts"].get("rejected", 0) == 0 and run["counts"]["changed"] == 30
    assert said(client, bring(client, bees, rows(4), columns)) == set()
    assert said(client, bring(client, bees, rows(5))) == set()
    send(client, "put", f"/deliveries/{delivery}/reading", {"reading": before})
    assert said(client, delivery) == {("column_renamed", "Prezzo", "warn")}


def prepare_of(client, work, feed):
    run = send(client, "post", f"/feeds/{feed}/runs", status=201)["id"]
    work()
    return get(client, f"/runs/{run}")


def test_a_name_that_is_not_there_is_refused(client, bees):
    delivery = line(client, bees)["id"]
    body = {"column": "Prezzo", "to": "Lordo"}
    problem = send(client, "post", f"/deliveries/{delivery}/names", body, 404)
    assert "no column 'Lordo'" in problem["detail"]


def test_both_names_at_once_are_left_as_they_are(client, bees):
    columns = [*COLUMNS, "Netto"]
    delivery = bring(client, bees, [[*r, r[2]] for r in rows(3)], columns)
    read = send(
        client, "post", f"/deliveries/{delivery}/names", {"column": "Prezzo", "to": "Netto"}
    )
    assert read["columns"] == columns
    assert "both_names" in {p["kind"] for p in read["problems"]}


def test_another_reading_by_hand_is_no_doing_of_the_suppliers(client, bees):
    """Deliveries that were read into another shape say nothing of what is usual."""
    delivery = line(client, bees)["id"]
    reading = get(client, f"/deliveries/{delivery}")["reading"]
    keep = {"do": "keep", "column": "Reparto", "test": "is", "values": ["Cera"]}
    changed = reading | {"reshape": [keep]}
    send(client, "put", f"/deliveries/{delivery}/reading", {"reading": changed})
    told = unusual(client, delivery)
    assert (told["before"], told["things"]) == (None, [])
    again = bring(client, bees, rows(3))
    assert unusual(client, again)["before"]["id"] == delivery


def test_a_delivery_from_before_is_looked_at_when_it_is_asked_for(client, bees):
    """One that came with an earlier version has no imprint, and neither have those before it."""
    from sqlmodel import select

    from nomotax.artifacts.store import artifacts
    from nomotax.records.database import session
    from nomotax.records.tables import Delivery

    with session() as db:
        for one in db.exec(select(Delivery).where(Delivery.feed_id == bees)):
            name = (one.table_artifact or "").removeprefix("tables/").removesuffix(".parquet")
            artifacts().remove(f"imprints/{name}.json")
            one.drift = None
            db.add(one)
    told = unusual(client, line(client, bees)["id"])
    assert (told["known"], told["things"]) == (2, [])


def test_a_guard_that_is_off_holds_nothing(client, work, bees):
    own = get(client, f"/feeds/{bees}/guards")["guards"]
    off = [g | {"on": g["kind"] != "delivery_unusual" and g["on"]} for g in own]
    send(client, "put", f"/feeds/{bees}/guards", {"guards": off})
    bring(client, bees, [[c, f"Ù{a}"[::-1], p, g, r] for c, a, p, g, r in rows(3)])
    run = prepare_of(client, work, bees)
    told = get(client, f"/runs/{run['id']}/decisions")["findings"]
    assert "delivery_unusual" not in {f["kind"] for f in told}


def test_what_could_not_be_read_has_nothing_to_be_told_of(client, bees):
    page = b"<!doctype html><p>Accesso negato</p>"
    delivery = upload(client, bees, page, "pagina.html")["id"]
    problem = client.get(f"/api/v1/deliveries/{delivery}/unusual")
    assert problem.status_code == 404 and "could not be read" in problem.json["detail"]
