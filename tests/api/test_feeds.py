"""Feeds through the API: other suppliers, questions of each kind, rules for words, placements."""

from __future__ import annotations

import io

import pytest

from tests.api.test_path import BUNDLE, get, prepare, send

BRUSHES = (
    "Code;Title;Kind;Price;Barcode\n"
    "0012;Round brush;Brush/Round;2,50;9525000131451\n"
    "0013;Flat brush;Brush/Flat;3,10;\n"
    "0014;Fan brush;Brush/Fan;4,00;\n"
    "0015;Old stock;Remnants/Misc;1,00;\n"
)
FILLS = {
    "sku": {"parts": [{"text": "XB-"}, {"column": "Code"}]},
    "name": {"parts": [{"column": "Title"}]},
    "category": {"parts": [{"column": "Kind"}],
                 "steps": [{"do": "category_table", "table": "Brush places"}]},
    "price": {"parts": [{"column": "Price"}], "steps": [{"do": "number"}]},
    "form": {"parts": [{"column": "Title"}],
             "steps": [{"do": "pick", "at": " ", "part": 1},
                       {"do": "value_table", "table": "Brush forms"}]},
}  # fmt: skip


@pytest.fixture
def brushes(client):
    """A second supplier's feed with one delivery, mapped; gives the feed's id."""
    feed = send(
        client, "post", "/stores/1/feeds", {"supplier": "Xylo Brushes", "name": "List"}, 201
    )
    form = {"file": (io.BytesIO(BRUSHES.encode()), "brushes.csv")}
    assert client.post(f"/api/v1/feeds/{feed['id']}/deliveries", data=form).status_code == 201
    edit = {"crosswalk": {"fills": FILLS}, "revision": 0}
    send(client, "put", f"/feeds/{feed['id']}/draft", edit)
    return feed["id"]


def asked(client, feed):
    questions = get(client, f"/feeds/{feed}/questions")["questions"]
    return {(q["kind"], q["subject"]): q for q in questions}


def test_look_ups_named_by_a_step_are_made_and_ask(client, brushes):
    questions = asked(client, brushes)
    assert ("value", "Round") in questions and ("category", "Brush/Fan") in questions
    assert questions[("column", "Barcode")]["suggestion"]["field"] == "gtin"
    fan = questions[("category", "Brush/Fan")]
    assert fan["touches"] == 1 and fan["proposals"][0]["place"].startswith("Brushes")
    assert "Paper > Drawing paper" in fan["options"]


def test_a_branch_covers_what_is_below_unless_a_lower_one_says_otherwise(client, brushes):
    places = {"Brush": "Brushes", "Brush/Fan": "Brushes > Bristle brushes", "Remnants": ""}
    body = {"table": "Brush places", "places": places}
    send(client, "put", f"/feeds/{brushes}/categories", body)
    view = get(client, f"/feeds/{brushes}/categories")["views"][0]
    rows = {r["path"]: r for r in view["arriving"]}
    assert (rows["Brush/Round"]["place"], rows["Brush/Round"]["by"]) == ("Brushes", "Brush")
    assert rows["Brush/Fan"]["by"] == "Brush/Fan" and rows["Brush"]["count"] == 3
    assert rows["Remnants/Misc"]["place"] == "" and view["unplaced"] == 0
    back = {"table": "Brush places", "places": {"Brush": None}}
    send(client, "put", f"/feeds/{brushes}/categories", back)
    assert get(client, f"/feeds/{brushes}/categories")["views"][0]["unplaced"] == 2


def test_a_branch_that_is_not_sold_is_left_out_and_counted(client, brushes, work):
    places = {"Brush": "Brushes", "Remnants": ""}
    send(client, "put", f"/feeds/{brushes}/categories", {"table": "Brush places", "places": places})
    rule = {"table": "Brush forms", "otherwise": "as_is"}
    send(client, "put", f"/feeds/{brushes}/values/otherwise", rule)
    run = send(client, "post", f"/feeds/{brushes}/runs", status=201)["id"]
    work()
    counts = get(client, f"/runs/{run}")["counts"]
    assert counts["new"] == 3 and counts["left out"] == 1 and counts["rejected"] == 0
    row = get(client, f"/runs/{run}/rows", status="left out")["rows"][0]
    assert "does not sell" in row["reason"] and row["key"] == "XB-0015"


def test_the_rule_for_other_words_decides_about_questions(client, brushes):
    words = {"table": "Brush forms", "words": {"Round": "round", " flat ": "flat"}}
    send(client, "put", f"/feeds/{brushes}/values", words)
    open_words = {s for k, s in asked(client, brushes) if k == "value"}
    assert open_words == {"Fan", "Old"}
    rule = {"table": "Brush forms", "otherwise": "word", "word": "other"}
    send(client, "put", f"/feeds/{brushes}/values/otherwise", rule)
    assert not [k for k, _ in asked(client, brushes) if k == "value"]
    detail = get(client, f"/feeds/{brushes}/fields/form", row=3)
    assert detail["stages"][-1]["value"] == "other"
    assert {r["value"] for r in detail["results"]} == {"round", "flat", "other"}


def test_two_suppliers_stay_apart(client, brushes, work):
    """Each feed compares with its own products: another supplier's are neither gone nor touched."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    quarrow = prepare(client, work)
    send(client, "post", f"/runs/{quarrow['id']}/apply", status=202)
    work()
    body = {"table": "Brush places", "places": {"Brush": "Brushes", "Remnants": "Brushes"}}
    send(client, "put", f"/feeds/{brushes}/categories", body)
    rule = {"table": "Brush forms", "otherwise": "as_is"}
    send(client, "put", f"/feeds/{brushes}/values/otherwise", rule)
    run = send(client, "post", f"/feeds/{brushes}/runs", status=201)["id"]
    work()
    counts = get(client, f"/runs/{run}")["counts"]
    assert counts["new"] == 4 and counts["gone"] == 0
    runs = get(client, "/stores/1/runs")["runs"]
    assert [r["supplier"] for r in runs] == ["Xylo Brushes", "Quarrow Pigments"]


def test_reasons_name_what_each_row_was_rejected_for(client, work):
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    run = prepare(client, work)["id"]
    reasons = {r["kind"]: r for r in get(client, f"/runs/{run}/summary")["reasons"]}
    assert reasons["not_own_product"]["count"] == 1 and reasons["not_a_number"]["count"] == 6
    assert {r["severity"] for r in reasons.values()} == {"refuse"}
    found = get(client, f"/runs/{run}/rows", search="call us")
    assert found["total"] == 4 and all("call us" in r["reason"] for r in found["rows"])


def test_pages_of_a_changeset_fit_together(client, work):
    """Page by page, any filter gives the same rows as all at once."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    run = prepare(client, work)["id"]
    for query in ({"status": "new"}, {"field": "price"}, {"search": "blue"}, {}):
        whole = get(client, f"/runs/{run}/rows", limit=400, **query)
        paged = []
        for offset in range(0, min(400, whole["total"]), 90):
            page = get(client, f"/runs/{run}/rows", offset=offset, limit=90, **query)
            paged += page["rows"]
        assert paged[:400] == whole["rows"][: len(paged)] and whole["total"] > 90
    beyond = get(client, f"/runs/{run}/rows", offset=10**6)
    assert beyond["rows"] == [] and beyond["total"] == 1188


def test_importing_a_crosswalk_for_another_schema_is_refused(client):
    form = {"file": (io.BytesIO(b"SKU,Title\n"), "t.csv"), "name": "Small"}
    store = client.post("/api/v1/stores", data=form).json["id"]
    feed = send(client, "post", f"/stores/{store}/feeds", {"supplier": "S", "name": "F"}, 201)["id"]
    refused = send(client, "put", f"/feeds/{feed}/crosswalk", BUNDLE, status=422)
    assert "no field" in refused["detail"] and refused["where"] == "crosswalk.fills"


def test_windows_show_arriving_rows_as_they_are(client, brushes):
    window = get(client, f"/feeds/{brushes}/window", offset=1, limit=2)
    assert window["total"] == 4 and window["rows"] == [2, 3]
    assert window["arriving"][0] == ["0013", "Flat brush", "Brush/Flat", "3,10", None]
    assert len(window["marks"][0]) == len(window["fields"]) == len(window["results"][0])
    price = window["fields"].index("price")
    assert [r[price] for r in window["results"]] == ["3.10", "4.00"]
    delivery = get(client, f"/feeds/{brushes}/bench")["delivery_id"]
    assert get(client, f"/deliveries/{delivery}/rows", offset=3)["rows"][0][0] == "0015"
