"""Reading through the API: any supplier's file to the bench, and what a person decides."""

from __future__ import annotations

import io

import pytest

from nomotax.demo.load import DATA, SENDERS
from tests.api.test_path import get, next_week, send
from tests.core.reading import files

PRICES = b"sku;cost\n001;10,00\n002;20,00\n003;30,00\n"
STOCK = b"sku;qty\n001;5\n002;6\n"


def upload(client, feed, data, name="list.csv", status=201):
    form = {"file": (io.BytesIO(data), name)}
    answer = client.post(f"/api/v1/feeds/{feed}/deliveries", data=form)
    assert answer.status_code == status, answer.text
    return answer.json


@pytest.fixture
def suppliers():
    return list(SENDERS)


@pytest.fixture
def feeds(client):
    """Two feeds of a new supplier: prices, and stock."""
    make = {"supplier": "Hallwyn", "name": "Prices"}
    prices = send(client, "post", "/stores/1/feeds", make, status=201)["id"]
    make = {"supplier": "Hallwyn", "name": "Stock"}
    return prices, send(client, "post", "/stores/1/feeds", make, status=201)["id"]


def lines(client, feed):
    found = get(client, "/stores/1/arrivals")["feeds"]
    return next(f for f in found if f["id"] == feed)["deliveries"]


@pytest.mark.parametrize("supplier", SENDERS)
def test_every_demo_supplier_comes_to_the_bench_twice(client, supplier):
    """Both files are read without a hand edit, the second by what was saved with the first."""
    found = get(client, "/stores/1/arrivals")["feeds"]
    feed = next(f for f in found if f["supplier"] == supplier)["id"]
    first = get(client, f"/deliveries/{lines(client, feed)[0]['id']}")
    arrived = next_week(client, feed, supplier)["id"]
    second = get(client, f"/deliveries/{arrived}")
    assert first["status"] == second["status"] == "waiting" and second["complete"]
    assert second["reading"] == first["reading"] and second["columns"] == first["columns"]
    assert "changed" not in {p["kind"] for p in second["problems"]}
    bench = get(client, f"/feeds/{feed}/bench")
    assert bench["delivery_id"] == arrived and len(bench["suggestions"]) >= 4


def test_a_delivery_that_no_longer_fits_says_what_changed(client, feeds):
    upload(client, feeds[0], PRICES)
    renamed = upload(client, feeds[0], b"sku;cost EUR;note\n001;10,00;x\n")
    said = get(client, f"/deliveries/{renamed['id']}/unusual")["things"]
    told = {(one["kind"], one["column"], one["to"]) for one in said}
    assert {("column_renamed", "cost", "cost EUR"), ("column_new", "note", "")} <= told
    other = upload(client, feeds[0], b"sku,cost EUR,note\n001,10.00,x\n002,11.00,y\n")
    said = " ".join(p["message"] for p in other["problems"] if p["kind"] == "changed")
    assert "the delimiter ';'; this file looks like ','" in said
    workbook = upload(client, feeds[0], files.xlsx(["sku"], [["1"]]), "list.xlsx")
    assert workbook["status"] == "unreadable" and "this file is a workbook" in workbook["error"]
    found = get(client, f"/deliveries/{workbook['id']}/detection")["reading"]
    fixed = send(client, "put", f"/deliveries/{workbook['id']}/reading", {"reading": found})
    assert fixed["status"] == "waiting" and fixed["columns"] == ["sku"]


def companion(feed, name="stock"):
    return {"name": name, "feed": feed, "keys": [{"column": "sku", "theirs": "sku"}]}


def test_a_new_stock_file_alone_brings_the_prices_again(client, feeds):
    """The feed that leans on it gets a delivery of its own; the earlier one stays as it was."""
    prices, stock = feeds
    first = upload(client, prices, PRICES)
    upload(client, stock, STOCK)
    reading = first["reading"] | {"companions": [companion(stock)]}
    joined = send(client, "put", f"/deliveries/{first['id']}/reading", {"reading": reading})
    assert joined["columns"] == ["sku", "cost", "stock: sku", "stock: qty"]
    newer = upload(client, stock, STOCK.replace(b"001;5", b"001;77"), "stock-2.csv")
    again, before = lines(client, prices)
    assert again["because"] == "'Stock' brought stock-2.csv" and before["id"] == first["id"]
    rows = get(client, f"/deliveries/{again['id']}/rows")["rows"]
    assert [r[3] for r in rows] == ["77", "6", None]
    assert get(client, f"/deliveries/{again['id']}")["uses"] == {"stock": newer["id"]}
    assert [r[3] for r in get(client, f"/deliveries/{first['id']}/rows")["rows"]] == [
        "5",
        "6",
        None,
    ]


def test_companions_in_a_circle_are_refused(client, feeds):
    prices, stock = feeds
    a, b = upload(client, prices, PRICES), upload(client, stock, STOCK)
    lean = {"reading": a["reading"] | {"companions": [companion(stock)]}}
    send(client, "put", f"/deliveries/{a['id']}/reading", lean)
    back = {"reading": b["reading"] | {"companions": [companion(prices, "prices")]}}
    refused = send(client, "put", f"/deliveries/{b['id']}/reading", back, status=409)
    assert "circle" in refused["detail"] and refused["remedy"]


def test_an_exported_crosswalk_names_no_feed_of_this_installation(client, feeds):
    prices, stock = feeds
    first = upload(client, prices, PRICES)
    upload(client, stock, STOCK)
    reading = {"reading": first["reading"] | {"companions": [companion(stock)]}}
    send(client, "put", f"/deliveries/{first['id']}/reading", reading)
    document = get(client, f"/feeds/{prices}/crosswalk.json")
    assert document["reading"]["companions"][0]["name"] == "stock"
    assert "feed" not in document["reading"]["companions"][0]


def test_a_password_is_asked_for_kept_and_never_given_out(client, feeds):
    data = files.zipped({"list.csv": PRICES}, "cobalt-9")
    locked = upload(client, feeds[0], data, "list.zip")
    assert locked["status"] == "unreadable" and "password" in locked["error"]
    send(client, "put", f"/feeds/{feeds[0]}/password", {"password": "cobalt-9"})
    opened = send(client, "post", f"/deliveries/{locked['id']}/read")
    assert opened["rows"] == 3 and opened["has_password"]
    assert upload(client, feeds[0], data, "list-2.zip")["rows"] == 3
    assert "cobalt-9" not in client.get(f"/api/v1/deliveries/{locked['id']}").text


def test_a_file_that_broke_off_goes_no_further_until_somebody_says_so(client, feeds):
    cut = upload(client, feeds[0], b'[{"sku": "001", "cost": "1"}, {"sku": "002"', "list.json")
    assert not cut["complete"] and cut["rows"] == 1
    run = f"/feeds/{feeds[0]}/runs?delivery_id={cut['id']}"
    refused = send(client, "post", run, status=409)
    assert "broke off" in refused["detail"] and refused["remedy"]
    asked = f"/feeds/{feeds[0]}/questions?delivery_id={cut['id']}"
    first = get(client, asked)["questions"][0]
    assert first["kind"] == "reading" and first["touches"] == cut["rows"]
    assert send(client, "post", f"/deliveries/{cut['id']}/accept")["accepted"]
    assert "reading" not in {q["kind"] for q in get(client, asked)["questions"]}
    send(client, "post", run, status=201)
    send(client, "post", f"/deliveries/{cut['id']}/accept")


def test_a_preview_shows_the_head_and_saves_nothing(client, feeds):
    first = upload(client, feeds[0], b"sku;size\nA;S|M\nB;L\n")
    change = {"do": "unfold", "columns": ["size"], "separator": "|", "key": "sku"}
    reading = first["reading"] | {"reshape": [change]}
    head = send(client, "post", f"/deliveries/{first['id']}/preview", {"reading": reading})
    assert head["rows"] == [["A", "S", "A"], ["A", "M", "A"], ["B", "L", "B"]]
    assert get(client, f"/deliveries/{first['id']}")["rows"] == 2
    wrong = first["reading"] | {"reshape": [change | {"columns": ["gone"]}]}
    refused = send(
        client, "post", f"/deliveries/{first['id']}/preview", {"reading": wrong}, status=422
    )
    assert "'gone'" in refused["detail"]


def test_the_file_as_it_is_can_be_looked_at(client):
    raw = get(client, "/deliveries/4/raw")
    assert raw["file"] == "castelune/items.csv" and raw["lines"][0].startswith("item;ean")
    assert {f["kind"] for f in raw["files"]} == {"table", "picture"}
    part = get(client, "/deliveries/4/raw", part="castelune/stock.csv")
    assert part["lines"][0].startswith("article;free")
    sheet = get(client, "/deliveries/3/raw", part="Terms")
    assert sheet["cells"][0] == ["Terms of trade"]
    one = get(client, "/deliveries/4/detection", part="castelune/tree.csv")["reading"]
    assert one["files"] == ["castelune/tree.csv"] and one["companions"] == []


def test_a_large_file_is_read_by_a_worker_and_can_be_stopped(client, work, feeds, monkeypatch):
    from nomotax.flows import receive

    monkeypatch.setattr(receive, "AT_ONCE", 10)
    waiting = upload(client, feeds[0], PRICES)
    assert waiting["status"] == "reading"
    stopped = send(client, "post", f"/deliveries/{waiting['id']}/stop")
    assert stopped["status"] == "stopped"
    send(client, "post", f"/deliveries/{waiting['id']}/stop", status=409)
    assert send(client, "post", f"/deliveries/{waiting['id']}/read")["status"] == "reading"
    work()
    done = get(client, f"/deliveries/{waiting['id']}")
    assert done["status"] == "waiting" and done["rows"] == 3
    again = {"reading": done["reading"] | {"header_row": 0}}
    assert send(client, "put", f"/deliveries/{waiting['id']}/reading", again)["status"] == "reading"
    work()
    assert get(client, f"/deliveries/{waiting['id']}")["rows"] == 4


def test_a_reading_under_way_hears_that_it_is_stopped(client, feeds, monkeypatch):
    from nomotax.core.reading import spool
    from nomotax.flows import receive

    monkeypatch.setattr(spool, "_PACK", 1)
    monkeypatch.setattr(spool, "_BATCH", 2)
    monkeypatch.setattr(receive, "AT_ONCE", 10)
    lines_ = b"".join(b'{"sku": "%d"}\n' % i for i in range(9))
    waiting = upload(client, feeds[0], lines_, "list.jsonl")
    send(client, "post", f"/deliveries/{waiting['id']}/stop")
    assert receive.read(waiting["id"]).status == "stopped"
    assert receive.read_queued(waiting["id"]).status == "stopped"
    assert get(client, f"/deliveries/{waiting['id']}")["rows"] == 0


def test_the_former_platforms_reading_is_a_document(client):
    """What the demo ships as a file is what its feed reads with."""
    reading = get(client, "/deliveries/5")["reading"]
    assert [r["do"] for r in reading["reshape"]] == ["gather", "unfold"]
    assert (DATA / "former-platform-reading.json").is_file()
