"""A review in which lines are decided before they are written: a lamp maker's list in French,
beside the demo's suppliers."""

from __future__ import annotations

import pytest

from tests.api.test_goods import receive
from tests.api.test_matching import apply, crosswalk, draw, prepare, seen
from tests.api.test_path import catalog, get, send, unguarded
from tests.api.test_path import take_back as undo

HEAD = "Réf;Nom;Prix;Stock\n"
COLUMNS = {"sku": "Réf", "name": "Nom", "price": "Prix", "stock": "Stock"}
FIRST = [f"LU-{n};Lampe {n};{n},00;{n}\n" for n in range(1, 7)]
#: One dearer with another name, one dearer, one with another stock, two new; one is gone.
NEXT = ["LU-1;Lampe une;9,00;1\n", "LU-2;Lampe 2;9,00;2\n", "LU-3;Lampe 3;3,00;0\n", FIRST[3],
        FIRST[4], "LU-7;Spot;7,00;7\n", "LU-8;Spot;8,00;8\n"]  # fmt: skip


@pytest.fixture
def lamps(client, work, once):
    """A run of the second week, prepared; the first is applied."""

    @once
    def begun():
        body = {"supplier": "Lumière Vidal", "name": "Liste"}
        feed = unguarded(client, send(client, "post", "/stores/1/feeds", body, 201)["id"])
        receive(client, feed, "liste.csv", (HEAD + "".join(FIRST)).encode("cp1252"))
        document = crosswalk(COLUMNS, policy={"missing": "hide"})
        document["fills"]["stock"]["steps"] = [{"do": "number"}]
        document["fills"]["category"] = {"parts": [{"text": "Painting"}]}
        draw(client, feed, document)
        apply(client, work, feed)
        receive(client, feed, "liste.csv", (HEAD + "".join(NEXT)).encode("cp1252"))
        return prepare(client, work, feed)["id"]

    return begun


def decide(client, run, verdict, field="", code=201, **of):
    body = {"verdict": verdict, "of": of, "field": field}
    return send(client, "post", f"/runs/{run}/decisions", body, code)


def written(client, work, run):
    send(client, "post", f"/runs/{run}/apply", None, 202)
    work()
    assert get(client, f"/runs/{run}")["status"] == "applied"
    store = catalog(client)
    return {k: (store[k]["name"], store[k]["price"], store[k]["stock"])
            for k in sorted(store) if k.startswith("LU-")}  # fmt: skip


def test_lines_are_declined_by_product_field_and_filter_and_apply_leaves_them(client, work, lamps):
    before = get(client, f"/runs/{lamps}/decisions")
    assert (before["writes"], before["declined"], before["decisions"]) == (6, 0, [])
    decide(client, lamps, "decline", keys=["LU-2", "LU-7"])
    decide(client, lamps, "decline", "price", status="changed", search="une")
    decide(client, lamps, "decline", status="gone")
    told = get(client, f"/runs/{lamps}/decisions")
    assert (told["writes"], told["declined"]) == (3, 4)
    assert [(d["said"], d["lines"]) for d in told["decisions"]] == [
        ("all gone", 1), ("Price of all changed with “une”", 1), ("LU-2, LU-7", 2)
    ]  # fmt: skip
    changes = {c["field"]: c["declined"] for c in seen(client, {"id": lamps})[1]["changes"]}
    assert changes == {"name": False, "price": True}
    assert written(client, work, lamps) == {
        "LU-1": ("Lampe une", "1.00", "1"), "LU-2": ("Lampe 2", "2.00", "2"),
        "LU-3": ("Lampe 3", "3.00", "0"), "LU-4": ("Lampe 4", "4.00", "4"),
        "LU-5": ("Lampe 5", "5.00", "5"), "LU-6": ("Lampe 6", "6.00", "6"),
        "LU-8": ("Spot", "8.00", "8"),
    }  # fmt: skip
    told = client.get(f"/api/v1/runs/{lamps}/result").data.decode("utf-8-sig").splitlines()
    said = {line.split(",")[2]: line for line in told}
    assert said["LU-7"].endswith(',declined,,"declined: category, name, price, sku, stock"')
    assert said["LU-1"].endswith(",changed,name,declined: price")
    assert ",gone," not in said["LU-6"] and "declined: $state" in said["LU-6"]
    state = get(client, "/stores/1/products/LU-6")["product"]["state"]
    assert state == "live"
    # It is too late now, and undone all is as before.
    decide(client, lamps, "accept", keys=["LU-2"], code=409)
    undo(client, work, lamps)
    assert catalog(client)["LU-1"]["name"] == "Lampe 1" and "LU-8" not in catalog(client)


def test_the_last_word_counts_and_each_can_be_taken_back(client, work, lamps):
    all_of_it = decide(client, lamps, "decline")["id"]
    assert get(client, f"/runs/{lamps}/decisions")["writes"] == 0
    decide(client, lamps, "accept", keys=["LU-3", "LU-8"])
    assert get(client, f"/runs/{lamps}/decisions")["writes"] == 2
    send(client, "delete", f"/runs/{lamps}/decisions/{all_of_it}")
    assert get(client, f"/runs/{lamps}/decisions")["writes"] == 6
    send(client, "delete", f"/runs/{lamps}/decisions/{all_of_it}", status=404)
    decide(client, lamps, "decline", keys=["XX-1"], code=404)
    decide(client, 999, "decline", code=404)
    send(client, "delete", f"/runs/999/decisions/{all_of_it}", status=404)
    decide(client, lamps, "decline", keys=[], code=422)


def test_what_was_decided_stays_when_the_run_is_prepared_again(client, work, lamps):
    decide(client, lamps, "decline", keys=["LU-1"])
    send(client, "put", "/stores/1/products/LU-2", {"values": {"price": "2.50"}})
    send(client, "post", f"/runs/{lamps}/apply", None, 202)
    work()
    assert get(client, f"/runs/{lamps}")["again"] == 1
    assert get(client, f"/runs/{lamps}/decisions")["declined"] == 1
    store = written(client, work, lamps)
    assert (store["LU-1"], store["LU-2"]) == (("Lampe 1", "1.00", "1"), ("Lampe 2", "9.00", "2"))


def test_what_moves_is_drawn_filtered_by_its_bars_and_shown_worst_first(client, work, lamps):
    # Prices go 1 -> 9 and 2 -> 9; stocks 1, 2 and 3 -> 0.
    spreads = {s["field"]: s["bars"] for s in get(client, f"/runs/{lamps}/summary")["spreads"]}
    counted = {f: [(b["least"], b["most"], b["count"]) for b in bars if b["count"]]
               for f, bars in spreads.items()}  # fmt: skip
    assert counted == {"price": [("100", None, 2)], "stock": [(None, "-75", 1)]}

    def page(**query):
        found = get(client, f"/runs/{lamps}/rows", status="changed", **query)
        return found["total"], [row["key"] for row in found["rows"]]

    assert page(field="price") == (2, ["LU-1", "LU-2"])
    assert page(field="price", least="400") == (1, ["LU-1"])
    assert page(field="price", least="100", most="350") == (0, [])
    assert page(field="price", least="350", most="350.01") == (1, ["LU-2"])
    assert page(field="name", least="0") == (0, [])
    assert page(field="price", worst="true") == (2, ["LU-1", "LU-2"])
    assert page(field="price", worst="true", offset=1) == (2, ["LU-2"])
    assert page(field="stock", worst="true")[1] == ["LU-3"]
    body = {"verdict": "decline", "of": {"field": "price", "least": "400"}, "field": "price"}
    send(client, "post", f"/runs/{lamps}/decisions", body, 201)
    assert written(client, work, lamps)["LU-1"] == ("Lampe une", "1.00", "1")


def test_two_people_decide_the_same_line_and_the_later_word_counts(client, work, lamps):
    def says(person, verdict, **of):
        body = {"verdict": verdict, "of": of, "field": ""}
        head = {"X-Person": person}
        answer = client.post(f"/api/v1/runs/{lamps}/decisions", json=body, headers=head)
        assert answer.status_code == 201, answer.text
        return answer.json["id"]

    first = says("Ines", "decline", keys=["LU-2"])
    says("Omar", "accept", keys=["LU-2"])
    told = get(client, f"/runs/{lamps}/decisions")
    assert [(d["author"], d["verdict"]) for d in told["decisions"]] == [
        ("Omar", "accept"), ("Ines", "decline")
    ]  # fmt: skip
    assert told["declined"] == 0
    # Who comes second to take it back is told that it is gone.
    send(client, "delete", f"/runs/{lamps}/decisions/{first}")
    send(client, "delete", f"/runs/{lamps}/decisions/{first}", status=404)
    assert written(client, work, lamps)["LU-2"] == ("Lampe 2", "9.00", "2")
    send(client, "delete", f"/runs/{lamps}/decisions/{first}", status=409)


def test_a_correction_stays_when_its_line_has_changed_since(client, work, lamps):
    """Prepared again beside another catalog, a person's value is written all the same."""
    fix = {"verdict": "correct", "of": {"keys": ["LU-2"]}, "field": "price", "value": "2.20"}
    send(client, "post", f"/runs/{lamps}/decisions", fix, 201)
    send(client, "put", "/stores/1/products/LU-2", {"values": {"price": "2.10"}})
    send(client, "post", f"/runs/{lamps}/apply", None, 202)
    work()
    told = get(client, f"/runs/{lamps}")
    assert (told["status"], told["again"]) == ("prepared", 1)
    change = get(client, f"/runs/{lamps}/rows", search="LU-2")["rows"][0]["changes"]
    assert [(c["before"], c["after"], c["corrected"]) for c in change] == [("2.10", "2.20", True)]
    assert written(client, work, lamps)["LU-2"] == ("Lampe 2", "2.20", "2")
    undo(client, work, lamps)
    assert catalog(client)["LU-2"]["price"] == "2.10"
