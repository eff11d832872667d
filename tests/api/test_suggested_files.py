"""Nested files of other trades and languages, mapped with what is suggested: every suggestion is
taken, then every value equals a table worked by hand."""

from __future__ import annotations

import io
import json

import pytest

from nomotax.core.schema.model import StoreSchema
from nomotax.core.schema.table_schema import to_descriptor
from tests.api.test_first_hour import drop
from tests.api.test_four_files import answered, applied, placed
from tests.api.test_path import get, send

SCHEMA = StoreSchema.model_validate(
    {
        "name": "Tableware",
        "key": "number",
        "fields": [
            {"name": "number", "title": "Number", "kind": "identifier", "role": "key",
             "required": True},
            {"name": "family", "title": "Variant of", "kind": "identifier", "role": "group"},
            {"name": "title", "title": "Title", "role": "title", "required": True},
            {"name": "ean", "title": "EAN", "kind": "gtin"},
            {"name": "paid", "title": "Purchase price", "kind": "money", "currency": "EUR",
             "role": "cost"},
            {"name": "asked", "title": "Retail price", "kind": "money", "currency": "EUR",
             "role": "price"},
            {"name": "mass", "title": "Weight", "kind": "measure", "unit": "g", "decimals": 0},
            {"name": "glaze", "title": "Colour", "kind": "choice",
             "allowed": ["White", "Blue", "Green", "Grey"]},
            {"name": "oven", "title": "Oven-proof", "kind": "yes_no"},
            {"name": "shelf", "title": "Category", "kind": "category"},
            {"name": "photo", "title": "Picture", "kind": "link", "role": "picture"},
            {"name": "photos", "title": "More pictures", "kind": "links", "role": "pictures"},
        ],
    }
)  # fmt: skip
SHELVES = ["Table > Plates", "Table > Bowls", "Kitchen > Jugs"]


def shown(*names):
    return [f"http://ler.example/{name}.jpg" for name in names]


#: A Danish potter's articles: amounts with commas, grams as such, pictures in arrays.
DANISH = [
    {"vare": {"varenummer": "K-10", "navn": "Tallerken Fjord", "stregkode": "9520000000004",
              "priser": {"indkøbspris": "7,25", "vejl. udsalgspris": "18,00"}, "vægt": "540 g",
              "farve": "hvid", "ovnfast": "ja", "varegruppe": "Borddækning/Tallerkener",
              "billeder": shown("k10", "k10-back", "k10-rim")}},
    {"vare": {"varenummer": "K-11", "navn": "Skål Fjord", "stregkode": "9520000000011",
              "priser": {"indkøbspris": "5,50", "vejl. udsalgspris": "13,95"}, "vægt": "310 g",
              "farve": "blå", "ovnfast": "nej", "varegruppe": "Borddækning/Skåle",
              "billeder": shown("k11", "k11-in")}},
    {"vare": {"varenummer": "K-12", "navn": "Kande Klit", "stregkode": "9520000000028",
              "priser": {"indkøbspris": "1.012,40", "vejl. udsalgspris": "2.499,00"},
              "vægt": "1,2 kg", "farve": "grøn", "ovnfast": "nej",
              "varegruppe": "Køkken/Kander", "billeder": shown("k12")}},
    {"vare": {"varenummer": "K-13", "navn": "Skål Klit", "stregkode": "9520000000035",
              "priser": {"indkøbspris": "6,10", "vejl. udsalgspris": "14,50"}, "vægt": "335 g",
              "farve": "grå", "ovnfast": "ja", "varegruppe": "Borddækning/Skåle",
              "billeder": shown("k13", "k13-in")}},
    {"vare": {"varenummer": "K-14", "navn": "Tallerken Klit", "stregkode": "9520000000042",
              "priser": {"indkøbspris": "7,90", "vejl. udsalgspris": "19,00"}, "vægt": "560 g",
              "farve": "grå", "ovnfast": "ja", "varegruppe": "Borddækning/Tallerkener",
              "billeder": shown("k14")}},
]  # fmt: skip


@pytest.fixture
def store(client):
    document = json.dumps(to_descriptor(SCHEMA)).encode()
    form = {"name": "Tableware", "file": (io.BytesIO(document), "schema.json")}
    made = client.post("/api/v1/stores", data=form).json["id"]
    send(client, "post", f"/stores/{made}/categories", {"paths": SHELVES})
    return made


def arrived(client, store, data, name, supplier="Ler & Sand"):
    body = {"supplier": supplier, "name": name}
    feed = client.post(f"/api/v1/stores/{store}/feeds", json=body).json["id"]
    drop(client, feed, data, name)
    return feed


def taken(client, feed):
    """Everything that is suggested is taken, what is sure together, the rest one by one; the
    columns that are left are left out. Gives the first suggestions by field."""
    first = {s["field"]: s for s in get(client, f"/feeds/{feed}/bench")["suggestions"]}
    state = send(client, "post", f"/feeds/{feed}/suggestions/accept", {})
    while state["suggestions"]:
        one = state["suggestions"][0]
        state["crosswalk"]["fills"][one["field"]] = one["fill"]
        body = {"crosswalk": state["crosswalk"], "revision": state["revision"]}
        state = send(client, "put", f"/feeds/{feed}/draft", body)
    state["crosswalk"]["left_out"] = state["undecided"]
    body = {"crosswalk": state["crosswalk"], "revision": state["revision"]}
    send(client, "put", f"/feeds/{feed}/draft", body)
    return first


def answer_words(client, feed):
    """The first answers to the words of every list."""
    for view in get(client, f"/feeds/{feed}/values")["tables"]:
        answers = {row["arriving"]: row["proposals"] for row in view["words"]}
        entries = {word: found[0]["place"] for word, found in answers.items() if found}
        send(client, "put", f"/feeds/{feed}/values", {"table": view["table"], "words": entries})


def first_places(client, feed):
    view = get(client, f"/feeds/{feed}/categories")["views"][0]
    return {r["path"]: r["proposals"][0]["place"] for r in view["arriving"] if r["proposals"]}


def test_a_nested_file_in_danish_is_mapped_by_its_suggestions(client, store, work):
    feed = arrived(client, store, json.dumps({"varer": DANISH}), "ler.json")
    first = taken(client, feed)
    expected = {"number", "title", "ean", "paid", "asked", "mass", "glaze", "oven", "shelf",
                "photo", "photos"}  # fmt: skip
    assert expected <= first.keys()
    sure = {f for f, s in first.items() if s["sure"]}
    assert {"title", "ean", "glaze", "oven"} <= sure and not sure & {"photo", "photos"}
    answer_words(client, feed)
    placed(client, feed, first_places(client, feed))
    answered(client, feed, "currency", "EUR")
    made = applied(client, work, store, feed)
    keys = ("title", "ean", "paid", "asked", "mass", "glaze", "oven", "shelf", "photo", "photos")
    k11, k12 = (tuple(made[k].get(f, "") for f in keys) for k in ("K-11", "K-12"))
    assert k11 == ("Skål Fjord", "9520000000011", "5.50", "13.95", "310", "Blue", "false",
                   "Table > Bowls", *shown("k11", "k11-in"))  # fmt: skip
    assert k12 == ("Kande Klit", "9520000000028", "1012.40", "2499.00", "1200", "Green", "false",
                   "Kitchen > Jugs", *shown("k12"), "")  # fmt: skip
    assert made["K-10"]["photos"] == " | ".join(shown("k10-back", "k10-rim"))
    glazes = {k: p["glaze"] for k, p in made.items() if k > "K-11"}
    assert glazes == {"K-12": "Green", "K-13": "Grey", "K-14": "Grey"}


SPANISH = """<catalogo><productos>
<producto ref="V-1" linea="V"><nombre>Plato llano</nombre><coste moneda="EUR">3.20</coste>
<pvp>8.90</pvp><peso>410</peso><color>azul</color><familia>Mesa/Platos</familia></producto>
<producto ref="V-2" linea="V"><nombre>Cuenco hondo</nombre><coste moneda="EUR">2.75</coste>
<pvp>7.50</pvp><peso>285</peso><color>blanco</color><familia>Mesa/Cuencos</familia></producto>
<producto ref="V-3" linea="V"><nombre>Jarra de agua</nombre><coste moneda="EUR">6.40</coste>
<pvp>16.00</pvp><peso>980</peso><color>azul</color><familia>Cocina/Jarras</familia></producto>
<producto ref="V-4" linea="V"><nombre>Plato de postre</nombre><coste moneda="EUR">2.10</coste>
<pvp>5.90</pvp><peso>230</peso><color>verde</color><familia>Mesa/Platos</familia></producto>
<producto ref="V-5" linea="V"><nombre>Cuenco chico</nombre><coste moneda="EUR">1.95</coste>
<pvp>4.90</pvp><peso>150</peso><color>gris</color><familia>Mesa/Cuencos</familia></producto>
</productos></catalogo>"""


def test_what_one_feed_decided_is_sure_in_the_next(client, store):
    """The colours of the first Spanish supplier are known when the second one comes."""
    feed = arrived(client, store, SPANISH, "vajilla.xml")
    first = taken(client, feed)
    columns = {f: first[f]["column"].split(".")[-1] for f in ("title", "paid", "asked", "mass")}
    assert columns == {"title": "nombre", "paid": "coste", "asked": "pvp", "mass": "peso"}
    view = get(client, f"/feeds/{feed}/values")["tables"][0]
    unlikely = {"azul": "Grey", "verde": "Blue"}
    body = {"table": view["table"], "words": unlikely}
    send(client, "put", f"/feeds/{feed}/values", body)
    view = get(client, f"/feeds/{feed}/categories")["views"][0]
    moved = {"Mesa/Platos": "Kitchen > Jugs"}
    body = {"table": view["table"], "places": moved}
    send(client, "put", f"/feeds/{feed}/categories", body)
    again = arrived(client, store, SPANISH.replace("V-", "W-"), "otra.xml", "Barro Fino")
    taken(client, again)
    (view,) = get(client, f"/feeds/{again}/values")["tables"]
    answers = {row["arriving"]: row["proposals"][0] for row in view["words"]}
    for word, answer in unlikely.items():
        assert (answers[word]["place"], answers[word]["sure"]) == (answer, True)
        assert "decided so in" in answers[word]["reason"]
    assert answers["blanco"]["place"] == "White"
    (view,) = get(client, f"/feeds/{again}/categories")["views"]
    places = {row["path"]: row["proposals"][0] for row in view["arriving"] if row["proposals"]}
    assert places["Mesa/Platos"]["place"] == "Kitchen > Jugs" and places["Mesa/Platos"]["sure"]
    assert places["Mesa/Cuencos"]["place"] == "Table > Bowls"


def test_what_is_refused_leaves_the_next_column_and_stays_refused(client, store):
    feed = arrived(client, store, SPANISH, "vajilla.xml")
    first = {s["field"]: s for s in get(client, f"/feeds/{feed}/bench")["suggestions"]}
    column = first["asked"]["column"]
    verdict = {"verdict": "refused", "subject": "field:asked", "proposal": column}
    send(client, "post", f"/feeds/{feed}/decisions", verdict)
    for _ in range(2):
        state = get(client, f"/feeds/{feed}/bench")
        left = {s["field"]: s["column"] for s in state["suggestions"]}
        assert left.get("asked") != column and left["title"] == first["title"]["column"]
        drop(client, feed, SPANISH.replace("8.90", "9.10"), "vajilla-2.xml")
