"""Price lists that hold from a day on: in a column of the file, or said of the whole run. A tile
maker's lists, in Portuguese, beside the demo's suppliers."""

from __future__ import annotations

import datetime as dt

import pytest

from nomotax.flows import dated
from nomotax.flows.waiting import today
from tests.api.test_goods import receive
from tests.api.test_matching import apply, crosswalk, draw, prepare, seen
from tests.api.test_path import catalog, get, send, unguarded
from tests.api.test_path import take_back as undo

SOON, LATER = today() + dt.timedelta(days=5), today() + dt.timedelta(days=40)
COLUMNS = {"sku": "Ref", "name": "Produto", "cost": "Custo", "price": "Preço"}


def line(n, cost, price, since=""):
    return f"AZ-{n};Azulejo {n};{cost};{price};{since and since.strftime('%d/%m/%y')}\n"


def listing(*lines):
    return "Ref;Produto;Custo;Preço;Válido\n" + "".join(lines)


FIRST = listing(line(1, "2,00", "4,00"), line(2, "3,00", "6,00"), line(3, "5,00", "9,00"))


@pytest.fixture
def tiles(client, work, once):
    """The maker's feed, its first list applied; its prices hold from the day in their rows."""

    @once
    def begun():
        body = {"supplier": "Olaria do Cais", "name": "Tabela"}
        feed = unguarded(client, send(client, "post", "/stores/1/feeds", body, 201)["id"])
        bring(client, feed, FIRST)
        document = crosswalk(COLUMNS)
        document["fills"]["category"] = {"parts": [{"text": "Painting"}]}
        for name in ("cost", "price"):
            document["fills"][name]["since"] = {"column": "Válido"}
        draw(client, feed, document)
        apply(client, work, feed)
        return feed

    return begun


def bring(client, feed, text):
    receive(client, feed, "tabela.csv", text.encode("cp1252"))


def waiting(client, key):
    found = get(client, f"/stores/1/products/{key}")["dated"]
    return [(d["field"], d["value"], d["day"]) for d in found]


def comes(work, day):
    begun = dated.write_due(day)
    work()
    return begun


def test_a_list_of_coming_prices_waits_is_seen_and_holds_on_its_day(client, work, tiles):
    before = catalog(client)
    new = line(4, "1,00", "2,00", SOON)
    bring(client, tiles, listing(line(1, "2,50", "4,50", SOON), line(2, "3,00", "6,00", SOON),
                                 line(3, "5,50", "9,00", today()), new))  # fmt: skip
    run = prepare(client, work, tiles)
    assert (run["waits"], run["counts"]["changed"], run["counts"]["same"]) == (2, 2, 1)
    lines = seen(client, run)
    assert {(c["field"], c["after"], c["day"]) for c in lines[1]["changes"]} == {
        ("cost", "2.50", str(SOON)), ("price", "4.50", str(SOON))
    }  # fmt: skip
    assert [(c["field"], c["day"]) for c in lines[3]["changes"]] == [("cost", None)]
    assert "a new product has it at once" in lines[4]["reason"]
    later = get(client, f"/runs/{run['id']}/rows", later=True)
    assert [r["key"] for r in later["rows"]] == ["AZ-1"]
    told = client.get(f"/api/v1/runs/{run['id']}/result").data.decode()
    assert f"cost from {SOON}, price from {SOON}" in told
    send(client, "post", f"/runs/{run['id']}/apply", None, 202)
    work()
    now = catalog(client)
    assert now["AZ-1"] == before["AZ-1"] and now["AZ-3"]["cost"] == "5.50"
    assert now["AZ-4"]["price"] == "2.00"
    assert waiting(client, "AZ-1") == [("cost", "2.50", str(SOON)), ("price", "4.50", str(SOON))]
    # The same list again has nothing more to say.
    assert prepare(client, work, tiles)["counts"]["changed"] == 0

    assert get(client, f"/runs/{run['id']}")["waits"] == 2
    (day,) = comes(work, SOON)
    assert get(client, f"/runs/{run['id']}")["waits"] == 0
    assert catalog(client)["AZ-1"]["price"] == "4.50" and waiting(client, "AZ-1") == []
    assert any(
        f"given by run {run['id']}" in one["text"] for one in get(client, f"/runs/{day}")["log"]
    )
    origin = get(client, "/stores/1/trace", key="AZ-1", field="price")
    assert origin["file_name"] == "tabela.csv" and origin["trace"]["value"] == "4.50"


def test_what_waits_is_undone_with_its_run_and_what_it_had_replaced_waits_again(
    client, work, tiles
):
    bring(client, tiles, listing(line(1, "2,00", "4,40", SOON), line(2, "3,00", "6,60", LATER)))
    first = apply(client, work, tiles)
    bring(client, tiles, listing(line(1, "2,00", "4,80", SOON), line(2, "3,00", "7,00", SOON)))
    second = apply(client, work, tiles)
    both = [waiting(client, key) for key in ("AZ-1", "AZ-2")]
    assert both == [[("price", "4.80", str(SOON))],
                    [("price", "7.00", str(SOON)), ("price", "6.60", str(LATER))]]  # fmt: skip
    back = undo(client, work, second["id"])
    assert "2 values that wait for their day" in "".join(one["text"] for one in back["log"])
    assert waiting(client, "AZ-1") == [("price", "4.40", str(SOON))]
    assert waiting(client, "AZ-2") == [("price", "6.60", str(LATER))]
    again = undo(client, work, back["id"])
    assert [waiting(client, key) for key in ("AZ-1", "AZ-2")] == both
    undo(client, work, again["id"])
    undo(client, work, first["id"])
    assert waiting(client, "AZ-1") == waiting(client, "AZ-2") == []
    assert comes(work, LATER) == []


def test_one_day_for_the_prices_of_a_whole_run(client, work, tiles):
    bring(client, tiles, listing("AZ-1;Azulejo novo;2,20;4,20;\n", line(2, "3,00", "6,10", LATER)))
    path = f"/feeds/{tiles}/runs?day={SOON}"
    run = send(client, "post", path, status=201)
    work()
    lines = seen(client, run)
    assert {(c["field"], c["day"]) for c in lines[1]["changes"]} == {
        ("name", None), ("cost", str(SOON)), ("price", str(SOON))
    }  # fmt: skip
    assert [(c["field"], c["day"]) for c in lines[2]["changes"]] == [("price", str(LATER))]
    assert get(client, f"/runs/{run['id']}")["day"] == str(SOON)
    answer = client.post(f"/api/v1/feeds/{tiles}/runs?day={today()}")
    assert answer.status_code == 422 and "has come already" in answer.json["detail"]


def test_a_day_in_two_forms_holds_up_its_row_alone(client, work, tiles):
    bring(client, tiles, listing(f"AZ-1;Azulejo 1;2,00;4,40;{SOON.isoformat()}\n",
                                 line(2, "3,00", "6,60", SOON)))  # fmt: skip
    lines = seen(client, apply(client, work, tiles))
    assert lines[1]["status"] == "rejected" and "is no date in the order dmy" in lines[1]["reason"]
    assert waiting(client, "AZ-2") == [("price", "6.60", str(SOON))]


def test_what_is_kept_by_hand_meanwhile_does_not_wait(client, work, tiles):
    bring(client, tiles, listing(line(1, "2,00", "4,40", SOON), line(2, "3,30", "6,60", SOON)))
    run = prepare(client, work, tiles)
    send(client, "put", "/stores/1/kept", {"key": "AZ-1", "field": "price", "keep": True})
    send(client, "post", f"/runs/{run['id']}/apply", None, 202)
    work()
    assert waiting(client, "AZ-1") == []
    assert len(waiting(client, "AZ-2")) == 2
    # Nor is it written on its day, if a person keeps it since.
    send(client, "put", "/stores/1/kept", {"key": "AZ-2", "field": "price", "keep": True})
    comes(work, SOON)
    assert (catalog(client)["AZ-2"]["cost"], catalog(client)["AZ-2"]["price"]) == ("3.30", "6.00")
    (left,) = get(client, "/stores/1/products/AZ-2")["dated"]
    assert "kept by hand" in left["reason"]


def test_a_coming_cost_is_no_offer_before_its_day(client, work, tiles):
    body = {"supplier": "Cerâmica Alta", "name": "Tabela"}
    other = unguarded(client, send(client, "post", "/stores/1/feeds", body, 201)["id"])
    bring(client, other, listing(line(1, "2,10", "4,00")))
    document = crosswalk(COLUMNS)
    document["fills"]["category"] = {"parts": [{"text": "Painting"}]}
    draw(client, other, document)
    send(client, "put", "/stores/1/sources", {"order": [tiles, other], "choose": "cheapest"})
    bring(client, tiles, listing(line(1, "2,90", "4,40", SOON)))
    apply(client, work, tiles)
    # Read once more it says nothing new, and is still to come.
    assert apply(client, work, tiles)["counts"]["same"] == 1
    # Until then the first one is cheaper.
    lines = seen(client, prepare(client, work, other))
    assert lines[1]["status"] == "same" and "the offer of Olaria do Cais" in lines[1]["reason"]
