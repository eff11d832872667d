"""Guards that hold a run or some of its lines: a tea merchant's lists in Turkish, of which one
comes with a part of its prices in kuruş."""

from __future__ import annotations

import pytest

from tests.api.test_goods import receive
from tests.api.test_matching import apply, crosswalk, draw, prepare
from tests.api.test_path import catalog, get, send
from tests.api.test_path import take_back as undo

HEAD = "Kod;Ürün adı;Fiyat;Stok\n"
COLUMNS = {"sku": "Kod", "name": "Ürün adı", "price": "Fiyat", "stock": "Stok"}
USUAL = [f"CY-{n:02};Çay {n};{n + 10},50;{n}\n" for n in range(1, 13)]


def bring(client, feed, lines):
    receive(client, feed, "liste.csv", (HEAD + "".join(lines)).encode())


@pytest.fixture
def teas(client, work, once):
    """The merchant's feed; its first list is applied."""

    @once
    def begun():
        body = {"supplier": "Çınar Çay", "name": "Liste"}
        feed = send(client, "post", "/stores/1/feeds", body, 201)["id"]
        bring(client, feed, USUAL)
        document = crosswalk(COLUMNS, policy={"missing": "hide"})
        document["fills"]["stock"]["steps"] = [{"do": "number"}]
        document["fills"]["category"] = {"parts": [{"text": "Painting"}]}
        draw(client, feed, document)
        apply(client, work, feed)
        return feed

    return begun


@pytest.fixture
def strange(client, work, teas):
    """A run of a list in which four prices are a hundred times what they were, and one is lower."""
    lines = [f"CY-{n:02};Çay {n};{n + 10}50,00;{n}\n" for n in range(1, 5)]
    lines += ["CY-05;Çay 5;14,95;5\n", *USUAL[5:]]
    bring(client, teas, lines)
    return prepare(client, work, teas)["id"]


def decide(client, run, verdict, code=201, field="", reason="", value=None, keep=False, **of):
    body = {"verdict": verdict, "of": of, "field": field, "reason": reason, "value": value,
            "keep": keep}  # fmt: skip
    return send(client, "post", f"/runs/{run}/decisions", body, code)


def held(client, run):
    told = get(client, f"/runs/{run}/decisions")
    return told["writes"], told["held"], {f["guard"]: f["held"] for f in told["findings"]}


def finish(client, work, run):
    send(client, "post", f"/runs/{run}/apply", None, 202)
    work()
    assert get(client, f"/runs/{run}")["status"] == "applied"
    store = catalog(client)
    return [store[key]["price"] for key in sorted(store) if key.startswith("CY-")]


BEFORE = [f"{n + 10}.50" for n in range(1, 13)]


def test_a_part_in_hundredths_is_held_let_through_in_part_applied_and_undone(client, work, strange):
    price, scale = "price_moved:price", "scale_shifted:price"
    assert held(client, strange) == (1, 4, {price: 4, scale: 4})
    page = get(client, f"/runs/{strange}/rows", guard=scale)["rows"]
    assert [(row["key"], row["held"]) for row in page] == [(f"CY-0{n}", True) for n in range(1, 5)]
    # Accepted is not let through, and one guard's word is not the other's.
    decide(client, strange, "accept", guard=price)
    decide(client, strange, "release", reason="", guard=price, code=422)
    decide(client, strange, "release", reason="asked the merchant", guard=price)
    assert held(client, strange) == (1, 4, {price: 0, scale: 4})
    one = decide(client, strange, "release", reason="a chest of it", keys=["CY-02"])["id"]
    send(client, "delete", f"/runs/{strange}/decisions/{one}")
    decide(client, strange, "release", reason="a chest of it", keys=["CY-03"])
    assert held(client, strange) == (2, 3, {price: 0, scale: 3})
    assert get(client, f"/runs/{strange}/decisions")["decisions"][0]["reason"] == "a chest of it"
    told = client.get(f"/api/v1/runs/{strange}/result").data.decode("utf-8-sig").splitlines()
    lines = {line.split(",")[2]: line for line in told}
    assert ",held,," in lines["CY-01"] and "held: Price is about 100 times" in lines["CY-01"]
    assert ",changed,price" in lines["CY-03"]
    after = [*BEFORE]
    after[2], after[4] = "1350.00", "14.95"
    assert finish(client, work, strange) == after
    undo(client, work, strange)
    assert [catalog(client)[f"CY-{n:02}"]["price"] for n in range(1, 13)] == BEFORE


def test_a_price_is_corrected_for_this_product_and_kept(client, work, teas, strange):
    decide(client, strange, "correct", field="price", value="zwölf", keys=["CY-01"], code=422)
    decide(client, strange, "correct", field="price", value="12", keys=["CY-06"], code=409)
    decide(client, strange, "correct", field="weight", value="1", keys=["CY-01"], code=409)
    decide(client, strange, "release", reason="mended", keys=["CY-01"])
    decide(client, strange, "correct", field="price", value="11.9", keys=["CY-01"], keep=True)
    decide(client, strange, "correct", field="price", value="15.50", keys=["CY-05"])
    change = get(client, f"/runs/{strange}/rows", search="CY-01")["rows"][0]["changes"][0]
    assert (change["after"], change["corrected"]) == ("11.90", True)
    assert held(client, strange)[:2] == (1, 3)
    assert finish(client, work, strange) == ["11.90", *BEFORE[1:]]
    assert get(client, "/stores/1/products/CY-01")["product"]["kept"] == ["price"]
    # No feed changes it any more, and neither does a correction.
    bring(client, teas, ["CY-01;Çay;13,00;1\n", *USUAL[1:]])
    again = prepare(client, work, teas)["id"]
    decide(client, again, "correct", field="price", value="13", keys=["CY-01"], code=409)
    assert finish(client, work, again)[0] == "11.90"


def test_a_run_that_is_held_is_not_applied_before_it_is_let_through(client, work, teas):
    bring(client, teas, USUAL[:5])
    run = prepare(client, work, teas)["id"]
    found = get(client, f"/runs/{run}/decisions")["findings"]
    assert [(f["kind"], f["open"]) for f in found] == [
        ("rows_fewer", True), ("products_gone", True)
    ]  # fmt: skip
    refused = client.post(f"/api/v1/runs/{run}/apply")
    assert refused.status_code == 409
    assert "5 rows: 58 % fewer than the 12 that the last one had" in refused.text
    decide(client, run, "release", reason="no such guard", guard="prices_moved:price", code=404)
    # A part of what a guard found is not the run.
    decide(client, run, "release", reason="those", guard="products_gone:", search="CY-12")
    assert client.post(f"/api/v1/runs/{run}/apply").status_code == 409
    told = get(client, f"/runs/{run}/decisions")
    send(client, "delete", f"/runs/{run}/decisions/{told['decisions'][0]['id']}")
    decide(client, run, "release", reason="the spring harvest", guard="rows_fewer:")
    finish(client, work, run)
    # What is gone was held, and is as it was; it is asked about the next time again.
    assert get(client, "/stores/1/products/CY-12")["product"]["state"] == "live"


def test_a_delivery_without_rows_is_held(client, work, teas):
    bring(client, teas, [])
    run = prepare(client, work, teas)["id"]
    found = get(client, f"/runs/{run}/decisions")["findings"]
    assert found[0]["said"].startswith("0 rows: 100 % fewer than the 12")
    assert client.post(f"/api/v1/runs/{run}/apply").status_code == 409


def test_guards_are_set_for_a_feed_and_tried_before(client, work, teas, strange):
    own = get(client, f"/feeds/{teas}/guards")
    assert {sort["kind"] for sort in own["sorts"]} == {guard["kind"] for guard in own["guards"]}
    assert own["blind"] == {}
    wanted = [{"kind": "price_moved", "limit": "10000"}, {"kind": "scale_shifted", "on": False,
              "limit": 5}]  # fmt: skip
    tried = send(client, "post", f"/feeds/{teas}/guards/tried", {"guards": wanted})["runs"]
    assert (tried[0]["run_id"], tried[0]["findings"]) == (strange, [])
    assert len(tried) == 2 and len(held(client, strange)[2]) == 2
    send(client, "put", f"/feeds/{teas}/guards", {"guards": wanted * 2}, 422)
    made = send(client, "put", f"/feeds/{teas}/guards", {"guards": wanted})["guards"]
    assert {g["kind"]: g["on"] for g in made}["scale_shifted"] is False
    again = prepare(client, work, teas)["id"]
    assert held(client, again) == (5, 0, {})
