"""Formulas, traces, versions and look-ups through the API."""

from __future__ import annotations

import http.server
import io
import threading
from urllib.parse import urlsplit

import pytest

from nomotax.demo.bank import todays_rates
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from tests.api.test_path import BUNDLE, get, prepare, send

INES = {"X-Person": "In%C3%A8s"}


@pytest.fixture
def mapped(client):
    """Quarrow's feed with its crosswalk."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    return client


def edit(client, change):
    bench = get(client, "/feeds/1/bench")
    crosswalk = bench["crosswalk"]
    change(crosswalk["fills"])
    body = {"crosswalk": crosswalk, "revision": bench["revision"]}
    return send(client, "put", "/feeds/1/draft", body)


def test_a_formula_is_tried_while_it_is_typed(mapped):
    def trial(formula, **more):
        return send(mapped, "post", "/feeds/1/formula", {"formula": formula, "row": 1, **more})

    assert trial("[Cost EUR] * 2")["value"] == "4.16"
    assert trial('[=brand] & ": " & [=price] + 1')["value"] == "Quarrow: 4.95"
    assert trial("[=:value] & [=:row]", value="x")["value"] == "x1"
    assert trial('[=available_from] > "2020-01-01"')["value"] == "true"
    assert trial("[Désignation] * 2")["wrong"].endswith("is no number")
    mistake = trial("1 + ROUNDED([Stock])")["mistake"]
    assert (mistake["start"], mistake["end"]) == (4, 20) and "ROUND" in mistake["remedy"]
    names = {f["name"] for f in get(mapped, "/formula/functions")["functions"]}
    assert len(names) >= 70 and {"IF", "ROUND", "CONVERT", "EDATE"} <= names


def test_steps_tell_what_they_do_to_all_rows(mapped):
    stages = get(mapped, "/feeds/1/fields/price?row=1")["stages"]
    number, ladder = stages[1]["effect"], stages[2]["effect"]
    assert number["failed"] == 4 and number["changed"] > 1000
    assert ladder["distinct"] < number["distinct"]


def test_a_broken_formula_holds_its_field_and_stops_nothing_else(mapped):
    steps = [{"do": "formula", "formula": "[Cost EUR] * "}]
    state = edit(mapped, lambda fills: fills["cost"].update(steps=steps))
    cost = next(f for f in state["fields"] if f["field"]["name"] == "cost")
    assert "ends too early" in cost["error"] and cost["questions"] == state["sample_rows"]
    asked = get(mapped, "/feeds/1/questions")["questions"]
    assert [q["kind"] for q in asked if q["field"] == "cost"] == ["broken"]
    window = get(mapped, "/feeds/1/window?limit=1")
    assert window["results"][0][window["fields"].index("price")] == "3.95"
    send(mapped, "post", "/feeds/1/runs", None, 422)


def test_every_value_says_where_it_comes_from(mapped, work):
    run = prepare(mapped, work)
    bench = get(mapped, "/feeds/1/trace?field=colour&row=1")
    assert bench["version"] is None and bench["trace"]["cells"][0] == {
        "column": "Col", "value": "W"
    }  # fmt: skip
    assert bench["trace"]["steps"][-1]["rule"] == "'W' = 'White'"
    in_run = get(mapped, f"/runs/{run['id']}/trace?field=price&key=QP-004000")
    assert in_run["version"] == 1 and in_run["trace"]["value"] == "3.95"
    mapped.get("/api/v1/stores/1/trace?field=price&key=QP-004000")
    send(mapped, "post", f"/runs/{run['id']}/apply", None, 202)
    work()
    kept = get(mapped, "/stores/1/trace?field=price&key=QP-004000")
    assert kept["trace"] == in_run["trace"] and kept["file_name"] == "quarrow-week-1.csv"
    assert mapped.get("/api/v1/stores/1/trace?field=price&key=none").status_code == 404


def test_versions_are_told_in_plain_words_and_come_back(mapped):
    def save(note):
        answer = mapped.post("/api/v1/feeds/1/versions", json={"note": note}, headers=INES)
        assert answer.status_code == 200

    save("first")
    edit(mapped, lambda fills: fills["name"].update(parts=[{"field": "brand"}]))
    words = {"table": "Quarrow Pigments colour", "words": {"T": "Turquoise", "X": "Black"}}
    send(mapped, "put", "/feeds/1/values", words)
    unsaved = get(mapped, "/feeds/1/versions")["unsaved"]
    assert any(c.startswith("name: Désignation") and "=brand" in c for c in unsaved)
    assert "value table 'Quarrow Pigments colour': +2 (T = Turquoise, X = Black)" in unsaved
    save("names by brand")
    first, second = reversed(get(mapped, "/feeds/1/versions")["versions"])
    assert (second["number"], second["author"], second["note"]) == (2, "Inès", "names by brand")
    assert second["changes"] == unsaved and first["changes"]
    compared = get(mapped, "/feeds/1/versions/compare?before=2&after=1")["changes"]
    assert "value table 'Quarrow Pigments colour': -2 (T, X)" in compared
    send(mapped, "post", "/feeds/1/versions/1/restore", {})
    assert get(mapped, "/feeds/1/versions/compare?before=1&after=0")["changes"] == []
    assert mapped.post("/api/v1/feeds/1/versions/9/restore", json={}).status_code == 404


def test_a_crosswalk_starts_another_feed(mapped):
    feed = send(mapped, "post", "/stores/1/feeds", {"supplier": "Second", "name": "List"}, 201)
    form = {"file": (io.BytesIO(b"ArtNo;EAN\n1;9520000000004\n"), "a.csv")}
    mapped.post(f"/api/v1/feeds/{feed['id']}/deliveries", data=form)
    missing = send(mapped, "post", f"/feeds/{feed['id']}/copy", {"feed_id": 1})["missing"]
    assert "Cost EUR" in missing and "ArtNo" not in missing
    send(mapped, "post", "/feeds/1/copy", {"feed_id": feed["id"]})
    kept = get(mapped, "/feeds/1/versions")["versions"]
    assert [v["note"] for v in kept] == ["before the crosswalk of List came in"]


def test_tables_go_out_and_come_in_as_csv_with_their_history(mapped):
    path = "/api/v1/stores/1/value-tables.csv"
    out = mapped.get(f"{path}?name=Quarrow Pigments colour").data.decode("utf-8-sig")
    assert out.splitlines()[0] == "arriving,store" and "W,White" in out

    def put(text):
        form = {"file": (io.BytesIO(text.encode()), "w.csv"), "name": "Quarrow Pigments colour"}
        return mapped.post(path, data=form, headers=INES)

    before = {"T": None, "w": None}
    taken = put("arriving,store\nT,Turquoise\nw,Black\n").json
    assert taken == {"entries": 2, "before": before}
    wrong = put("arriving,store\nT,Turquoise\n,Black\n")
    assert wrong.status_code == 422 and wrong.json["where"] == "line 3"
    history = get(mapped, "/stores/1/lookups/history?kind=value_table&name=Quarrow Pigments colour")
    assert history["changes"][0]["author"] == "Inès" and "+2" in history["changes"][0]["said"]
    assert history["doubled"] == [["W", "w"]]
    patch = {"name": "Quarrow Pigments colour", "match": "exact"}
    send(mapped, "put", "/stores/1/value-tables", patch)
    assert get(mapped, "/feeds/1/values")["tables"][0]["match"] == "exact"


def test_each_answer_says_who_gave_it_and_what_was_answered_before(mapped):
    """Of another person's answer to another word it says nothing."""
    name = "Quarrow Pigments colour"

    def answer(who, **words):
        body = {"table": name, "words": words}
        head = {"X-Person": who}
        assert mapped.put("/api/v1/feeds/1/values", json=body, headers=head).status_code == 200

    def told(arriving):
        asked = {"kind": "value_table", "name": name, "arriving": arriving}
        return [
            (a["answer"], a["author"])
            for a in get(mapped, "/stores/1/lookups/answers", **asked)["answers"]
        ]

    answer("Ada", W="Black", T="Turquoise")
    answer("Ines", W="White")
    answer("Bo", T=None)
    assert told("W") == [("White", "Ines"), ("Black", "Ada"), ("White", "")]
    assert told(" w ") == told("W"), "it is looked up as the table does"
    assert told("T") == [(None, "Bo"), ("Turquoise", "Ada")]
    answer("Ada", T="Turquoise")
    assert told("T") == [("Turquoise", "Ada"), (None, "Bo"), ("Turquoise", "Ada")]
    assert told("never") == []
    missing = "/api/v1/stores/1/lookups/answers?kind=value_table&name=none&arriving=W"
    assert mapped.get(missing).status_code == 404
    traced = get(mapped, "/feeds/1/trace?field=colour&row=1")
    (step,) = [s for s in traced["trace"]["steps"] if s["table"]]
    assert step["entry"] == "W" and step["rule"] == "'W' = 'White'"
    (by,) = traced["decided"]
    assert (by["author"], traced["trace"]["steps"][by["step"]]) == ("Ines", step)


def test_a_run_names_who_decided_when_it_ran(mapped, work):
    run = send(mapped, "post", "/feeds/1/runs", status=201)
    work()
    (view, *_) = get(mapped, "/feeds/1/categories")["views"]
    placed = next(p for p in view["arriving"] if p["by"] == p["path"] and p["place"])
    body = {"table": view["table"], "places": {placed["path"]: ""}}
    mapped.put("/api/v1/feeds/1/categories", json=body, headers=INES)
    asked = {"kind": "category_table", "name": view["table"], "arriving": placed["path"]}
    now, before = get(mapped, "/stores/1/lookups/answers", **asked)["answers"]
    assert (now["answer"], now["author"]) == ("", "Inès")
    assert (before["answer"], before["author"]) == (placed["place"], "")
    rows = get(mapped, f"/runs/{run['id']}/rows?status=new")["rows"]
    for row in rows[:40]:
        traced = get(mapped, f"/runs/{run['id']}/trace?field=category&key={row['key']}")
        (step,) = [s for s in traced["trace"]["steps"] if s["kind"] == "category_table"]
        assert [d["author"] for d in traced["decided"] if d["table"] == step["table"]] == [""]
        if step["entry"] == placed["path"]:
            assert step["value"] == placed["place"], "as it was when the run began"


def test_placements_go_out_and_come_in_as_csv_or_not_at_all(mapped):
    path = "/api/v1/stores/1/category-tables.csv"
    (view, *_) = get(mapped, "/feeds/1/categories")["views"]
    name = view["table"]
    kept = mapped.get(f"{path}?name={name}").data.decode("utf-8-sig")
    assert kept.splitlines()[0] == "arriving,store" and len(kept.splitlines()) > 3

    def put(text):
        form = {"file": (io.BytesIO(text.encode()), "p.csv"), "name": name}
        return mapped.post(path, data=form)

    def placed():
        (view, *_) = get(mapped, "/feeds/1/categories")["views"]
        return {p["path"]: p["place"] for p in view["arriving"]}

    before = placed()
    one, other = [p for p in before if before[p]][:2]
    wrong = put(f"store;arriving\nPainting > Oil;{one}\nPainting > Oyl;{other}\n")
    assert (wrong.status_code, wrong.json["where"]) == (422, "line 3") and placed() == before
    taken = put(f"store;arriving\nPainting>Oil;{one}\n;{other}\n").json
    assert taken["entries"] == 2 and set(taken["before"]) == {one, other}
    assert (placed()[one], placed()[other]) == ("Painting > Oil", "")
    places = {"table": name, "places": taken["before"]}
    send(mapped, "put", "/feeds/1/categories", places)
    assert placed() == before
    assert mapped.get(f"{path}?name=none").status_code == 404


@pytest.fixture
def bank():
    """A bank's list on loopback; gives its address, and what it answers can be changed."""
    answers = {"body": todays_rates().encode()}

    class Answering(http.server.BaseHTTPRequestHandler):
        def do_GET(self):
            self.send_response(200)
            self.end_headers()
            self.wfile.write(answers["body"])

        def log_message(self, *args):
            pass

    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), Answering) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{server.server_port}/daily.csv", answers
        server.shutdown()


def test_rates_come_from_a_bank(client, bank, monkeypatch):
    address, answers = bank
    inside = client.post("/api/v1/stores/1/rates/fetch", json={"address": address})
    assert inside.status_code == 422 and "our own network" in inside.json["detail"]
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", f"{urlsplit(address).netloc},127.0.0.1:9")
    taken = send(client, "post", "/stores/1/rates/fetch", {"address": address})["rates"]
    assert [r["source"] for r in taken] == ["USD", "GBP", "CHF"]
    found = get(client, "/stores/1/lookups")
    assert found["rates_address"] == address and len(found["rates"]) == 3
    old = b"day,source,target,rate\n2020-01-01,USD,EUR,2\n2020-01-01,SEK,EUR,0.1\n"
    form = {"file": (io.BytesIO(old), "old.csv")}
    answer = client.post("/api/v1/stores/1/rates.csv", data=form)
    assert [r["source"] for r in answer.json["rates"]] == ["SEK"]
    answers["body"] = b"<html>"
    for wrong in (address, "ftp://x.example", "http://127.0.0.1:9/none"):
        refused = client.post("/api/v1/stores/1/rates/fetch", json={"address": wrong})
        assert refused.status_code == 422 and refused.json["remedy"], refused.text
    assert len(get(client, "/stores/1/lookups")["rates"]) == 4
    stand_in = client.get("/stand-in/bank.example/rates/daily.csv")
    assert stand_in.data.startswith(b"day,source,target,rate")


def test_rates_and_saved_steps_are_shared(mapped):
    rate = {"source": "USD", "target": "EUR", "rate": "0.9125", "day": "2026-11-20"}
    send(mapped, "put", "/stores/1/rates", rate)
    send(mapped, "put", "/stores/1/rates", rate | {"rate": "0"}, 422)
    send(mapped, "put", "/stores/1/chains", {"name": "tidy", "steps": [{"do": "trim"}]})
    step = {"do": "exchange", "source": "USD", "target": "EUR", "oldest": 9999}
    edit(mapped, lambda f: f["cost"].update(steps=[{"do": "number"}, step]))
    window = get(mapped, "/feeds/1/window?limit=1")
    assert window["results"][0][window["fields"].index("cost")] == "1.90"
    found = get(mapped, "/stores/1/lookups")
    used = {(x["kind"], x["name"]): x["feeds"] for x in found["lookups"]}
    assert used["rate", "USD/EUR"] == ["Quarrow Pigments, Weekly list"]
    assert used["chain", "tidy"] == [] and found["rates"][0]["rate"] == "0.9125"


def test_what_is_refused_is_not_asked_again_and_later_is_not_lost(client):
    def suggested():
        found = get(client, "/feeds/1/bench")["suggestions"]
        return {(s["field"], s["column"]) for s in found}

    assert ("name", "Désignation") in suggested()
    verdict = {"verdict": "refused", "subject": "field:name", "proposal": "Désignation"}
    send(client, "post", "/feeds/1/decisions", verdict)
    assert ("name", "Désignation") not in suggested()
    detail = get(client, "/feeds/1/fields/name?row=1")
    assert "Désignation" not in [s["column"] for s in detail["suggestions"]]
    send(client, "post", "/feeds/1/decisions", verdict | {"back": True})
    assert ("name", "Désignation") in suggested()

    first = get(client, "/feeds/1/questions")["questions"][0]
    later = {"verdict": "later", "subject": f"{first['kind']}:{first['subject']}"}
    send(client, "post", "/feeds/1/decisions", later)
    last = get(client, "/feeds/1/questions")["questions"][-1]
    assert last == first | {"later": True}


def test_a_value_kept_by_hand_stays_through_a_delivery(mapped, work):
    first = prepare(mapped, work)
    moved = get(mapped, f"/runs/{first['id']}/rows?status=changed&field=price")["rows"][0]
    key, before = moved["key"], {c["field"]: c for c in moved["changes"]}
    send(mapped, "put", "/stores/1/kept", {"key": key, "field": "price"})
    send(mapped, "put", "/stores/1/kept", {"key": "none", "field": "price"}, 404)
    assert get(mapped, f"/stores/1/products/{key}")["product"]["kept"] == ["price"]
    run = prepare(mapped, work)
    send(mapped, "post", f"/runs/{run['id']}/apply", None, 202)
    work()
    content = get(mapped, f"/stores/1/products/{key}")["product"]["content"]
    assert content["price"] == before["price"]["before"] != before["price"]["after"]
    assert get(mapped, f"/runs/{run['id']}")["counts"]["changed"] > 200


def test_words_are_suggested_as_they_were_decided_for_another_feed(mapped):
    feed = send(mapped, "post", "/stores/1/feeds", {"supplier": "Second", "name": "List"}, 201)
    data = "Code;Col;Group\n1;W;Paint/Watercolour/Half pans\n2;Y;Paint/Watercolour/Half pans\n"
    form = {"file": (io.BytesIO(data.encode()), "a.csv")}
    mapped.post(f"/api/v1/feeds/{feed['id']}/deliveries", data=form)
    fills = {
        "colour": {"parts": [{"column": "Col"}],
                   "steps": [{"do": "value_table", "table": "Second colour"}]},
        "category": {"parts": [{"column": "Group"}],
                     "steps": [{"do": "category_table", "table": "Second categories"}]},
    }  # fmt: skip
    send(
        mapped, "put", f"/feeds/{feed['id']}/draft", {"crosswalk": {"fills": fills}, "revision": 0}
    )
    asked = {q["subject"]: q for q in get(mapped, f"/feeds/{feed['id']}/questions")["questions"]}
    assert asked["W"]["proposals"][0]["place"] == "White"
    assert asked["W"]["proposals"][0]["reason"] == "decided so in 'Quarrow Pigments colour'"
    place = asked["Paint/Watercolour/Half pans"]["proposals"][0]
    assert place["place"] == "Painting > Watercolour > Pans" and place["score"] >= 95
    refused = {"verdict": "refused", "subject": "value:Second colour:W", "proposal": "White"}
    send(mapped, "post", f"/feeds/{feed['id']}/decisions", refused)
    again = {q["subject"]: q for q in get(mapped, f"/feeds/{feed['id']}/questions")["questions"]}
    assert "White" not in [p["place"] for p in again["W"]["proposals"]]


def test_a_stores_names_in_other_languages_place_a_foreign_tree(mapped):
    body = {"supplier": "Maison Lavis", "name": "Tarif"}
    made = send(mapped, "post", "/stores/1/feeds", body, 201)
    places = ("Dessin/Encres", "Atelier/Chevalets", "Peinture/Encaustique")
    file = "Code;Famille\n" + "".join(f"L{n};{places[n % 3]}\n" for n in range(60))
    upload = {"file": (io.BytesIO(file.encode()), "tarif.csv")}
    mapped.post(f"/api/v1/feeds/{made['id']}/deliveries", data=upload)
    bench = get(mapped, f"/feeds/{made['id']}/bench")
    step = {"do": "category_table", "table": "Lavis"}
    bench["crosswalk"]["fills"]["category"] = {"parts": [{"column": "Famille"}], "steps": [step]}
    body = {"crosswalk": bench["crosswalk"], "revision": bench["revision"]}
    mapped.put(f"/api/v1/feeds/{made['id']}/draft", json=body)

    def found() -> dict[str, str]:
        (view,) = get(mapped, f"/feeds/{made['id']}/categories")["views"]
        return {r["path"]: r["proposals"][0]["place"] for r in view["arriving"] if r["proposals"]}

    assert found()["Atelier/Chevalets"] == "Studio > Easels"
    assert found()["Dessin/Encres"] == "Drawing > Inks"
    wrong = {"file": (io.BytesIO(b"category,language,name\nStudio > Sofas,fr,x\n"), "n.csv")}
    refused = mapped.post("/api/v1/stores/1/categories/names.csv", data=wrong)
    assert refused.status_code == 422 and refused.json["where"] == "line 2"
    more = b"category,language,name\nStudio > Easels,it,Cavalletti\nDrawing > Inks,fr,\n"
    taken = {"file": (io.BytesIO(more), "n.csv")}
    assert mapped.post("/api/v1/stores/1/categories/names.csv", data=taken).json == {"names": 2}
    tree = {c["path"]: c["names"] for c in get(mapped, "/stores/1/categories")["categories"]}
    assert tree["Studio > Easels"] == {"fr": "Chevalets", "de": "Staffeleien", "it": "Cavalletti"}
    assert tree["Drawing > Inks"] == {"de": "Tuschen"}
    listed = mapped.get("/api/v1/stores/1/categories/names.csv").data.decode("utf-8-sig")
    assert "Studio > Easels,it,Cavalletti" in listed


def test_answers_of_many_people_at_once_are_all_kept(mapped, app):
    """Ten people answer a word each of one table, and place a path each of one tree."""
    (table, *_) = get(mapped, "/feeds/1/values")["tables"]
    (view, *_) = get(mapped, "/feeds/1/categories")["views"]
    words = [f"word {n}" for n in range(10)]
    begin, answers = threading.Barrier(20), []

    def send_one(path, body):
        client = app.test_client()
        begin.wait()
        answers.append(client.put(f"/api/v1/feeds/1/{path}", json=body).status_code)

    asked = [
        ("values", {"table": table["table"], "words": {w: table["allowed"][0]}}) for w in words
    ] + [("categories", {"table": view["table"], "places": {w: view["store"][0]}}) for w in words]
    threads = [threading.Thread(target=send_one, args=one) for one in asked]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert answers == [200] * 20
    with session() as db:
        saved = LookupsRepository(db, 1).all()
    assert set(words) <= saved.value_tables[table["table"]].entries.keys()
    assert set(words) <= saved.category_tables[view["table"]].placements.keys()
