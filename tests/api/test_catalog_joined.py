"""The store's catalog joined to a delivery like any companion, always as it is now: a repair shop's
spare parts, in Italian, beside the demo's suppliers."""

from __future__ import annotations

import pytest

from nomotax.core.reading.companions import JOIN_KINDS
from tests.api.test_goods import receive
from tests.api.test_matching import apply, crosswalk, draw, prepare, seen
from tests.api.test_path import catalog, get, send

PARTS = (
    "Codice;Nome;Prezzo;Giacenza\nRX-1;Guarnizione;2,50;4\nRX-2;Molla;1,20;0\nRX-3;Perno;0,90;7\n"
)
LIST = "Nr;Testo;Listino\nrx-1;GUARN. 30;2,90\n RX-2;MOLLA;1,10\nZZ-9;???;5,00\n;senza;1,00\n"
JOIN = {"name": "Catalogo", "catalog": ["name", "stock"],
        "keys": [{"column": "Nr", "theirs": "sku"}]}  # fmt: skip


@pytest.fixture
def shop(client, work, once):
    """Three parts in the store, and a second supplier's list that is joined with them."""

    @once
    def begun():
        feeds = []
        for supplier, name, text in (
            ("Ricambi Est", "parti.csv", PARTS),
            ("Fornit", "lista.csv", LIST),
        ):
            body = {"supplier": supplier, "name": "Lista"}
            feeds.append(send(client, "post", "/stores/1/feeds", body, 201)["id"])
            receive(client, feeds[-1], name, text.encode("cp1252"))
        own = crosswalk({"sku": "Codice", "name": "Nome", "price": "Prezzo", "stock": "Giacenza"})
        own["fills"]["category"] = {"parts": [{"text": "Painting"}]}
        own["fills"]["stock"]["steps"] = [{"do": "number"}]
        draw(client, feeds[0], own)
        apply(client, work, feeds[0])
        join(client, feeds[1], JOIN)
        fills = {"sku": {"parts": [{"column": "Catalogo: sku"}]},
                 "price": {"parts": [{"column": "Listino"}], "steps": [{"do": "number"}]},
                 "spare_1": {"parts": [{"column": "Catalogo: stock"}]}}  # fmt: skip
        policy = {"products": "change", "others": "change"}
        draw(client, feeds[1], {"fills": fills, "policy": policy})
        return feeds

    return begun


def newest(client, feed):
    line = next(f for f in get(client, "/stores/1/arrivals")["feeds"] if f["id"] == feed)
    return line["deliveries"][0]["id"]


def join(client, feed, companion):
    delivery = newest(client, feed)
    reading = get(client, f"/deliveries/{delivery}")["reading"] | {"companions": [companion]}
    return send(client, "put", f"/deliveries/{delivery}/reading", {"reading": reading})


def told(client, feed):
    problems = get(client, f"/deliveries/{newest(client, feed)}")["problems"]
    return {p["kind"]: p.get("count") for p in problems if p["kind"] in JOIN_KINDS}


def test_what_matches_and_what_has_no_partner_is_told_as_of_any_join(client, shop):
    assert told(client, shop[1]) == {"companion_joined": 2, "no_partner": 2,
                                     "companion_no_partner": len(catalog(client)) - 2}  # fmt: skip
    columns = get(client, f"/deliveries/{newest(client, shop[1])}")["columns"]
    assert columns[3:] == ["Catalogo: sku", "Catalogo: name", "Catalogo: stock"]


def test_it_is_joined_as_it_is_now(client, work, shop):
    """On the bench and in a run, whatever has become of the products since."""
    window = get(client, f"/feeds/{shop[1]}/window?limit=10")
    assert [row[-1] for row in window["arriving"]] == ["4", "0", None, None]
    send(client, "put", "/stores/1/products/RX-1", {"values": {"stock": "9"}})
    send(client, "put", "/stores/1/products/RX-2", {"state": "archived"})
    window = get(client, f"/feeds/{shop[1]}/window?limit=10")
    assert [row[-1] for row in window["arriving"]] == ["9", "0", None, None]
    run = prepare(client, work, shop[1])
    assert seen(client, run)[1]["changes"][0]["after"] == "2.90"
    # What its rows were joined with changes before it is applied: it is looked at again.
    send(client, "put", "/stores/1/products/RX-1", {"values": {"stock": "1"}})
    send(client, "post", f"/runs/{run['id']}/apply", None, 202)
    work()
    again = get(client, f"/runs/{run['id']}")
    assert again["status"] == "prepared" and "joined with has changed" in again["since"]
    send(client, "post", f"/runs/{run['id']}/apply", None, 202)
    work()
    part = catalog(client)["RX-1"]
    assert (part["price"], part["spare_1"]) == ("2.90", "1")


def test_a_field_that_the_store_does_not_have_is_named(client, shop):
    delivery = newest(client, shop[1])
    reading = get(client, f"/deliveries/{delivery}")["reading"]
    wrong = reading | {"companions": [JOIN | {"keys": [{"column": "Nr", "theirs": "ean"}]}]}
    view = send(client, "put", f"/deliveries/{delivery}/reading", {"reading": wrong})
    assert "no column 'ean'" in view["error"]
    both = reading | {"companions": [JOIN | {"feed": shop[0]}]}
    send(client, "put", f"/deliveries/{delivery}/reading", {"reading": both}, 422)
