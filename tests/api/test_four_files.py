"""Files of other trades, other languages and other shapes than the demo's, from drop to applied
with nothing but suggestions and hands; every value equals a table worked by hand."""

from __future__ import annotations

import io
import json
from decimal import Decimal

import pytest
import xlsxwriter

from nomotax.core.schema.model import StoreSchema
from nomotax.core.schema.table_schema import to_descriptor
from tests.api.test_first_hour import drop
from tests.api.test_path import get, send

SCHEMA = StoreSchema.model_validate(
    {
        "name": "Workshop products",
        "key": "code",
        "fields": [
            {"name": "code", "title": "Code", "kind": "identifier", "role": "key",
             "required": True},
            {"name": "title", "title": "Title", "role": "title", "required": True},
            {"name": "barcode", "title": "Barcode", "kind": "gtin"},
            {"name": "cost", "title": "Cost", "kind": "money", "currency": "EUR", "role": "cost"},
            {"name": "price", "title": "Price", "kind": "money", "currency": "EUR",
             "role": "price"},
            {"name": "weight", "title": "Weight", "kind": "measure", "unit": "kg", "decimals": 3},
            {"name": "length", "title": "Length", "kind": "measure", "unit": "cm", "decimals": 1},
            {"name": "shelf", "title": "Category", "kind": "category"},
            {"name": "sizes", "title": "Sizes", "kind": "texts"},
            {"name": "launched", "title": "Launched", "kind": "date"},
        ],
    }
)  # fmt: skip


@pytest.fixture
def workshop(client):
    """A store of another trade, with a rate for dollars; gives its id."""
    document = json.dumps(to_descriptor(SCHEMA)).encode()
    form = {"name": "Workshop", "file": (io.BytesIO(document), "schema.json")}
    store = client.post("/api/v1/stores", data=form).json["id"]
    rate = {"source": "USD", "target": "EUR", "rate": "0.8", "day": "2026-11-20"}
    send(client, "put", f"/stores/{store}/rates", rate)
    paths = ["Tools > Hammers", "Tools > Saws", "Paint"]
    send(client, "post", f"/stores/{store}/categories", {"paths": paths})
    return store


def received(client, store, name, data):
    """A feed of the store with its first file."""
    body = {"supplier": "Anvil & Daughters", "name": name}
    feed = client.post(f"/api/v1/stores/{store}/feeds", json=body).json["id"]
    drop(client, feed, data, name)
    return feed


def mapped(client, feed, hands):
    """Accept what is sure, choose columns by hand, then leave the rest out; gives the number of
    actions."""
    bench = send(client, "post", f"/feeds/{feed}/suggestions/accept", {})
    actions = 1
    for field, column in hands.items():
        made = get(client, f"/feeds/{feed}/fill", field=field, column=column)["fill"]
        bench["crosswalk"]["fills"][field] = made
        body = {"crosswalk": bench["crosswalk"], "revision": bench["revision"]}
        bench = send(client, "put", f"/feeds/{feed}/draft", body)
        actions += 1
    bench["crosswalk"]["left_out"] = bench["undecided"]
    body = {"crosswalk": bench["crosswalk"], "revision": bench["revision"]}
    send(client, "put", f"/feeds/{feed}/draft", body)
    return actions + 1


def placed(client, feed, places):
    view = get(client, f"/feeds/{feed}/categories")["views"][0]
    body = {"table": view["table"], "places": places}
    send(client, "put", f"/feeds/{feed}/categories", body)
    return len(places)


def answered(client, feed, about, choice):
    """The open assumption about something, as a person answers it."""
    questions = get(client, f"/feeds/{feed}/questions")["questions"]
    (asked,) = [q for q in questions if q["about"] == about]
    body = {"fields": asked["fields"], "about": about, "choice": choice,
            "revision": get(client, f"/feeds/{feed}/bench")["revision"]}  # fmt: skip
    send(client, "post", f"/feeds/{feed}/assumptions", body)
    return 1


def applied(client, work, store, feed):
    """Prepared and applied; gives the catalog by key."""
    assert get(client, f"/feeds/{feed}/questions")["questions"] == []
    run = send(client, "post", f"/feeds/{feed}/runs", status=201)["id"]
    work()
    counts = get(client, f"/runs/{run}")["counts"]
    assert counts["held"] == counts["rejected"] == 0, counts
    send(client, "post", f"/runs/{run}/apply", status=202)
    work()
    page = get(client, f"/stores/{store}/products")
    return {p["key"]: p["content"] for p in page["products"]}


XML = """<?xml version="1.0"?><catalogue currency="USD">
<tool><code>H-1</code><title>Claw hammer</title><cost>12.50</cost><weight unit="lb">1.25</weight>
<shelf>Hand tools &gt; Hammers</shelf></tool>
<tool><code>H-2</code><title>Sledge</title><cost>40</cost><weight unit="lb">8</weight>
<shelf>Hand tools &gt; Hammers</shelf></tool>
<section><tool><code>S-1</code><title>Pocket saw</title><cost>9.99</cost>
<weight unit="oz">7</weight><shelf>Hand tools &gt; Saws</shelf></tool></section></catalogue>"""


def test_xml_with_pounds_and_dollars(client, workshop, work):
    """12.50 x 0.8 = 10.00; 9.99 x 0.8 = 7.992; 1.25 lb = 0.567 kg, 8 lb = 3.629, 7 oz = 0.198."""
    feed = received(client, workshop, "tools.xml", XML)
    actions = mapped(client, feed, {})
    actions += placed(client, feed, {"Hand tools > Hammers": "Tools > Hammers",
                                     "Hand tools > Saws": "Tools > Saws"})  # fmt: skip
    made = applied(client, work, workshop, feed)
    assert {k: (p["cost"], p["weight"], p["shelf"]) for k, p in made.items()} == {
        "H-1": ("10.00", "0.567", "Tools > Hammers"),
        "H-2": ("32.00", "3.629", "Tools > Hammers"),
        "S-1": ("7.99", "0.198", "Tools > Saws"),
    }
    assert actions <= 15


def workbook():
    stream = io.BytesIO()
    book = xlsxwriter.Workbook(stream)
    sheet, zeros = book.add_worksheet(), book.add_format({"num_format": "00000"})
    sheet.write_row(0, 0, ["Anvil & Daughters, prices of December"])
    sheet.write_row(2, 0, ["Code", "Title", "Cost EUR", "Weight (g)", "Length (in)", "Sizes", "Pg"])
    rows = [(7, "Chalk line", 3.1, 250, 12, "S|M"), (19, "Plumb bob", 4.455, 1742, 2.5, "M|L"),
            (1204, "Spirit level", 18, 905.5, 24, "S|L")]  # fmt: skip
    for n, (code, *rest) in enumerate(rows, 3):
        sheet.write_number(n, 0, code, zeros)
        sheet.write_row(n, 1, rest)
        sheet.write_number(n, 6, n)
    book.close()
    return stream.getvalue()


def test_workbook_with_grams_and_inches(client, workshop, work):
    """1742 g = 1.742 kg; 905.5 g = 0.906 (half away from zero: 0.9055); 2.5 in = 6.35 -> 6.4 cm."""
    feed = received(client, workshop, "prices.xlsx", workbook())
    actions = mapped(client, feed, {"sizes": "Sizes"})
    made = applied(client, work, workshop, feed)
    kept = {k: (p["cost"], p["weight"], p["length"], p["sizes"]) for k, p in made.items()}
    assert kept == {
        "00007": ("3.10", "0.250", "30.5", "S | M"),
        "00019": ("4.46", "1.742", "6.4", "M | L"),
        "01204": ("18.00", "0.906", "61.0", "S | L"),
    }
    assert actions <= 15


POLISH = (
    "Kod;Nazwa;Kod kreskowy;Cena netto;Waga;Dział;Od\n"
    "P-1;Farba biała;9520000000004;1.250,50;1 200 g;Malowanie/Farby;03/04/2026\n"
    "P-2;Pędzel płaski;9520000000011;8,90;85 g;Malowanie/Pędzle;01/02/2026\n"
)


def test_another_language_with_commas_blanks_and_a_date_in_doubt(client, workshop, work):
    """Nothing says the money or the order of the dates: both are asked, once each. 1.250,50 is one
    thousand two hundred and fifty and a half; 1 200 g is 1.2 kg; 03/04 is the third of April."""
    feed = received(client, workshop, "cennik.csv", POLISH)
    actions = mapped(
        client, feed,
        {"code": "Kod", "title": "Nazwa", "barcode": "Kod kreskowy", "cost": "Cena netto",
         "weight": "Waga", "shelf": "Dział", "launched": "Od"},
    )  # fmt: skip
    actions += answered(client, feed, "currency", "EUR")
    actions += answered(client, feed, "date", "dmy")
    actions += placed(client, feed, {"Malowanie": "Paint"})
    made = applied(client, work, workshop, feed)
    kept = {k: [p[f] for f in ("cost", "weight", "shelf", "launched")] for k, p in made.items()}
    assert kept == {
        "P-1": ["1250.50", "1.200", "Paint", "2026-04-03"],
        "P-2": ["8.90", "0.085", "Paint", "2026-02-01"],
    }
    assert actions <= 15


def test_what_the_store_wrote_itself_comes_back_the_same(client, workshop, work):
    """Its own export in another feed: no action but accepting, and nothing changes."""
    first = received(client, workshop, "prices.xlsx", workbook())
    mapped(client, first, {"sizes": "Sizes"})
    before = applied(client, work, workshop, first)
    own = client.get(f"/api/v1/stores/{workshop}/outbound").data
    again = received(client, workshop, "own.csv", own)
    assert mapped(client, again, {}) <= 15
    run = send(client, "post", f"/feeds/{again}/runs", status=201)["id"]
    work()
    counts = get(client, f"/runs/{run}")["counts"]
    assert counts["same"] == len(before) and sum(counts.values()) == len(before)


def test_several_currencies_in_one_feed_each_by_its_own_rate(client, workshop, work):
    """20 USD x 0.8 = 16; 20 EUR = 20; pounds wait until there is a rate for them."""
    rows = "Code,Title,Cost,Currency\nA,One,20,USD\nB,Two,20,EUR\nC,Three,20,GBP\n"
    feed = received(client, workshop, "mixed.csv", rows)
    mapped(client, feed, {"cost": "Cost"})
    (asked,) = get(client, f"/feeds/{feed}/questions")["questions"]
    assert asked["touches"] == 1 and "'GBP' has no rate into EUR" in asked["text"]
    rate = {"source": "GBP", "target": "EUR", "rate": "1.2", "day": "2026-11-20"}
    send(client, "put", f"/stores/{workshop}/rates", rate)
    made = applied(client, work, workshop, feed)
    assert {k: Decimal(p["cost"]) for k, p in made.items()} == {
        "A": Decimal(16), "B": Decimal(20), "C": Decimal(24)}  # fmt: skip
