"""The catalog worked in: cells pasted by the thousand, filters that combine, saved views, what is
missing: a shop of ropes in Dutch, made from its own list."""

from __future__ import annotations

import json
import random
from datetime import timedelta

import pytest

from nomotax.core.schema.model import StoreSchema
from nomotax.core.schema.table_schema import to_descriptor
from nomotax.flows import problems as problems_flow
from tests.api.test_goods import receive
from tests.api.test_matching import apply, draw
from tests.api.test_path import get, send

SCHEMA = StoreSchema.model_validate(
    {
        "name": "Touw", "key": "code",
        "fields": [
            {"name": "code", "role": "key", "required": True},
            {"name": "naam", "title": "Naam", "role": "title", "required": True, "max_length": 30},
            {"name": "prijs", "title": "Prijs", "kind": "money", "currency": "EUR",
             "role": "price"},
            {"name": "inkoop", "title": "Inkoop", "kind": "money", "currency": "EUR",
             "role": "cost"},
            {"name": "dikte", "title": "Dikte", "kind": "measure", "unit": "mm"},
            {"name": "ean", "title": "EAN", "unique": True},
            {"name": "soort", "title": "Soort", "kind": "category"},
        ],
    }
)  # fmt: skip
COLUMNS = {"code": "Code", "naam": "Naam", "prijs": "Prijs", "inkoop": "Inkoop", "dikte": "Dikte",
           "ean": "EAN", "soort": "Soort"}  # fmt: skip
HEAD = ";".join(COLUMNS.values()) + "\n"
MANY = 1_200


@pytest.fixture(scope="module")
def lines():
    return [f"TW-{n:04};Touw {n};{n % 90 + 1}.50;{n % 90 + 1}.00;{n % 12 + 2};{n:08};Touw\n"
            for n in range(MANY)]  # fmt: skip


@pytest.fixture
def ropes(client, work, lines, once):
    """The store, its products made by its own list; a path within it."""

    @once
    def begun():
        file = json.dumps(to_descriptor(SCHEMA)).encode()
        made = client.post(
            "/api/v1/stores", data={"name": "Touw", "file": (file_of(file), "s.json")}
        )
        store = made.json["id"]
        send(client, "post", f"/stores/{store}/categories/edits", {"do": "add", "path": "Touw"})
        send(client, "post", f"/stores/{store}/categories/edits", {"do": "add", "path": "Koord"})
        feed = send(
            client, "post", f"/stores/{store}/feeds", {"supplier": "Zelf", "name": "L"}, 201
        )
        receive(client, feed["id"], "eigen.csv", (HEAD + "".join(lines)).encode())
        fills = {f: {"parts": [{"column": c}]} for f, c in COLUMNS.items()}
        for name in ("prijs", "inkoop", "dikte"):
            fills[name]["steps"] = [{"do": "number"}]
        draw(client, feed["id"], {"fills": fills})
        apply(client, work, feed["id"])
        return f"/stores/{store}"

    return begun


def file_of(data):
    import io

    return io.BytesIO(data)


def write(client, ropes, rows, keep=False, status=200):
    body = {"rows": [{"key": k, "values": v} for k, v in rows], "keep": keep}
    return send(client, "patch", f"{ropes}/products", body, status)


def shown(client, ropes, *where, **more):
    conditions = [{"field": f, "test": t, "value": v} for f, t, v in where]
    found = get(client, f"{ropes}/products", where=json.dumps(conditions), limit=500, **more)
    return found["total"], [p["key"] for p in found["products"]]


def contents(client, ropes):
    found = {}
    for offset in range(0, MANY, 500):
        page = get(client, f"{ropes}/products", limit=500, offset=offset)["products"]
        found |= {one["key"]: one["content"] for one in page}
    return found


def test_a_block_is_written_but_for_its_bad_cells_and_undone_as_one(client, work, ropes):
    before = {
        p["key"]: p["content"] for p in get(client, f"{ropes}/products", limit=500)["products"]
    }
    block = [(f"TW-{n:04}", {"prijs": f"{n % 7 + 3},25", "naam": f"Lijn {n}", "dikte": "8"})
             for n in range(MANY)]  # fmt: skip
    for n in range(20):
        block[n * 3][1]["prijs"] = "duur"
    for n in range(20):
        block[n * 3 + 1][1]["naam"] = "n" * 31
    made = write(client, ropes, block)
    assert made["written"] + made["same"] + len(made["refused"]) == 3 * MANY
    assert len(made["refused"]) == 40
    assert {(c["field"], c["value"][:4]) for c in made["refused"]} == {
        ("prijs", "duur"), ("naam", "nnnn")
    }  # fmt: skip
    assert "no number" in made["refused"][0]["why"]
    # What is looked through follows at once, by text, by number, and in order.
    assert shown(client, ropes, search="lijn 7")[0] == shown(client, ropes, search="Lijn 7")[0] > 0
    assert shown(client, ropes, ("naam", "is", "Lijn 5"))[1] == ["TW-0005"]
    assert shown(client, ropes, ("dikte", "is not", "8"))[0] == 0
    run = get(client, f"/runs/{made['run_id']}")
    assert (run["kind"], run["status"], run["counts"]) == ("edit", "applied", {"changed": MANY})
    undo = send(client, "post", f"/runs/{made['run_id']}/undo", None, 201)["id"]
    work()
    send(client, "post", f"/runs/{undo}/apply", None, 202)
    work()
    after = {
        p["key"]: p["content"] for p in get(client, f"{ropes}/products", limit=500)["products"]
    }
    assert after == before


def test_cells_are_refused_one_by_one_and_the_rest_stands(client, ropes):
    rows = [
        ("TW-0001", {"code": "X", "naam": "", "nergens": "1", "prijs": ""}),
        ("TW-0002", {"ean": "00000001", "$state": "hidden"}),
        ("TW-0003", {"ean": "nieuw", "$state": "gone"}),
        ("TW-0004", {"ean": "nieuw", "soort": "Koord"}),
        ("TW-0005", {"soort": "Nergens"}),
        ("XX", {"naam": "Niets"}),
    ]
    made = write(client, ropes, rows)
    why = {(c["key"], c["field"]): c["why"] for c in made["refused"]}
    assert {key: why[key] for key in why} == {
        ("TW-0001", "code"): "The key is what a product is known by; it stays.",
        ("TW-0001", "naam"): "Naam must not be empty.",
        ("TW-0001", "nergens"): "The store has no field 'nergens'.",
        ("TW-0002", "ean"): "'00000001' is that of TW-0001 already.",
        ("TW-0003", "$state"): "There is no state gone.",
        ("TW-0004", "ean"): "'nieuw' is that of TW-0003 already.",
        ("TW-0005", "soort"): why["TW-0005", "soort"],
        ("XX", "naam"): "There is no product 'XX'.",
    }
    assert "Nergens" in why["TW-0005", "soort"]
    assert shown(client, ropes, state="hidden")[1] == ["TW-0002"]
    assert shown(client, ropes, category="Koord")[1] == ["TW-0004"]
    assert shown(client, ropes, ("prijs", "empty", ""))[1] == ["TW-0001"]
    assert shown(client, ropes, ("$run", "is", str(made["run_id"])))[1] == [
        "TW-0001", "TW-0002", "TW-0003", "TW-0004"
    ]  # fmt: skip
    # Two numbers change places: neither is another's then.
    swap = write(
        client, ropes, [("TW-0006", {"ean": "00000007"}), ("TW-0007", {"ean": "00000006"})]
    )
    assert (swap["written"], swap["refused"]) == (2, [])
    assert write(client, ropes, [("TW-0006", {"ean": "00000007"})]) == {
        "run_id": None, "written": 0, "same": 1, "refused": []
    }  # fmt: skip


def test_a_number_is_free_only_if_its_product_gives_it_away_after_all(client, ropes):
    """Of three products in a ring one cannot change: none of the others has its number then."""
    rows = [
        {"key": "TW-0001", "values": {"ean": "00000002"}},
        {"key": "TW-0002", "values": {"ean": "00000003"}},
        {"key": "TW-0003", "values": {"ean": "00000001"}, "saw": {"ean": "other"}},
        # One that stays as it is keeps its number from an earlier cell, too.
        {"key": "TW-0004", "values": {"ean": "00000005"}},
        {"key": "TW-0005", "values": {"ean": "00000005"}},
    ]
    made = send(client, "patch", f"{ropes}/products", {"rows": rows})
    assert (made["written"], made["same"]) == (0, 1)
    assert {c["key"]: c["why"] for c in made["refused"]} == {
        "TW-0001": "'00000002' is that of TW-0002 already.",
        "TW-0002": "'00000003' is that of TW-0003 already.",
        "TW-0003": "It is 00000003 by now.",
        "TW-0004": "'00000005' is that of TW-0005 already.",
    }
    numbers = [one["ean"] for one in contents(client, ropes).values()]
    assert len({*numbers}) == len(numbers)


def test_what_somebody_else_has_written_meanwhile_is_not_overwritten(client, ropes):
    write(client, ropes, [("TW-0001", {"naam": "Van een ander"})])
    rows = [{"key": "TW-0001", "values": {"naam": "Van mij", "dikte": "9"},
             "saw": {"naam": "Touw 1", "dikte": "3.00"}}]  # fmt: skip
    made = send(client, "patch", f"{ropes}/products", {"rows": rows})
    assert made["written"] == 1 and made["refused"][0]["why"] == "It is Van een ander by now."


def test_filters_combine_and_what_is_kept_by_hand_is_found(client, ropes):
    write(client, ropes, [("TW-0010", {"prijs": "99"}), ("TW-0011", {"prijs": "1"})], keep=True)
    assert shown(client, ropes, ("$kept", "filled", ""))[1] == ["TW-0010", "TW-0011"]
    assert shown(client, ropes, ("$kept", "filled", "naam"))[0] == 0
    assert shown(client, ropes, ("$kept", "empty", ""))[0] == MANY - 2
    assert shown(client, ropes, ("$kept", "filled", ""), ("prijs", "least", "50,00"))[1] == [
        "TW-0010"
    ]
    assert shown(client, ropes, ("$key", "any of", "TW-0003\nTW-9\n TW-0001"))[1] == [
        "TW-0001", "TW-0003"
    ]  # fmt: skip
    assert shown(client, ropes, ("$supplier", "is", "Zelf"))[0] == MANY
    assert shown(client, ropes, ("$changed", "least", "2020-01-01"))[0] == MANY
    thin = [f"TW-{n:04}" for n in range(MANY) if n % 90 + 1.5 >= 50 or n == 11]
    assert shown(client, ropes, ("$margin", "most", "1"))[0] == len(thin)
    assert shown(client, ropes, ("$margin", "most", "1"), search="TW-00")[1] == thin[:42]
    assert client.get(f"/api/v1{ropes}/products?where=%5B1%5D").status_code == 422
    assert client.get(f"/api/v1{ropes}/products?where=nix").status_code == 422
    where = json.dumps([{"field": "nergens", "test": "empty"}])
    assert client.get(f"/api/v1{ropes}/products", query_string={"where": where}).status_code == 404


def test_what_products_need_and_lack(client, ropes):
    write(client, ropes, [("TW-0001", {"prijs": None}), ("TW-0002", {"soort": None})])
    told = get(client, f"{ropes}/completeness")
    assert told["needs"] == ["code", "naam", "prijs", "soort"]
    assert (told["total"], told["complete"]) == (MANY, MANY - 2)
    assert [(m["label"], m["count"]) for m in told["missing"]] == [("Prijs", 1), ("Soort", 1)]
    assert shown(client, ropes, ("$missing", "filled", ""))[1] == ["TW-0001", "TW-0002"]
    send(client, "put", f"{ropes}/needs", {"needs": {"fields": ["soort", "soort"]}})
    assert shown(client, ropes, ("$missing", "filled", ""))[1] == ["TW-0002"]
    assert get(client, f"{ropes}/completeness", search="0001")["complete"] == 1
    send(client, "put", f"{ropes}/needs", {"needs": {"fields": ["nergens"]}}, 404)
    send(client, "put", f"{ropes}/needs", {"needs": None})
    assert get(client, f"{ropes}/completeness")["complete"] == MANY - 2


def test_views_are_saved_counted_changed_and_dropped(client, ropes):
    look = {"shown": {"where": [{"field": "dikte", "test": "is", "value": "8"}]},
            "columns": ["naam", "prijs"], "sort": "prijs", "descending": True}  # fmt: skip
    view = send(client, "post", f"{ropes}/views", {"name": "Acht mm", "look": look}, 201)["id"]
    send(client, "post", f"{ropes}/views", {"name": "acht MM", "look": look}, 409)
    (one,) = get(client, f"{ropes}/views")["views"]
    assert (one["name"], one["count"]) == ("Acht mm", MANY // 12)
    assert one["look"] == look | {
        "shown": {"category": "", "search": "", "state": ""} | look["shown"]
    }
    write(client, ropes, [("TW-0000", {"dikte": "8"})])
    send(client, "put", f"{ropes}/views/{view}", {"name": "8 mm", "look": look})
    assert [(v["name"], v["count"]) for v in get(client, f"{ropes}/views")["views"]] == [
        ("8 mm", MANY // 12 + 1)
    ]  # fmt: skip
    assert send(client, "delete", f"{ropes}/views/{view}")["name"] == "8 mm"
    send(client, "delete", f"{ropes}/views/{view}", status=404)
    assert client.delete(f"/api/v1/stores/1/views/{view}").status_code == 404


def change(client, work, ropes, code=201, **edit):
    """A change of all that is shown, prepared; its run."""
    made = send(client, "post", f"{ropes}/changes", edit, code)
    if code != 201:
        return made
    work()
    found = get(client, f"/runs/{made['id']}")
    assert found["status"] == "prepared", found
    return found


def finish(client, work, run):
    send(client, "post", f"/runs/{run['id']}/apply", None, 202)
    work()
    assert get(client, f"/runs/{run['id']}")["status"] == "applied"


def test_a_formula_over_all_that_is_shown_is_looked_at_applied_and_undone(client, work, ropes):
    before = contents(client, ropes)
    formula = {"field": "prijs", "do": "formula", "formula": "IF([Dikte] > 3; [Inkoop] * 1.5; 0/0)"}
    run = change(client, work, ropes, search="TW-00", change=formula)
    assert run["counts"] == {"changed": 81, "rejected": 18, "same": 1}
    page = get(client, f"/runs/{run['id']}/rows", status="rejected")["rows"]
    assert "zero" in page[0]["reason"]
    assert contents(client, ropes) == before
    finish(client, work, run)
    after = contents(client, ropes)
    assert after["TW-0002"]["prijs"] == "4.50" and after["TW-0001"] == before["TW-0001"]
    assert after["TW-0100"] == before["TW-0100"]
    undo = send(client, "post", f"/runs/{run['id']}/undo", None, 201)
    work()
    finish(client, work, undo)
    assert contents(client, ropes) == before
    for wrong in ("[Nergens] + 1", "1 +", ""):
        change(client, work, ropes, 422, change=formula | {"formula": wrong})


def test_a_text_is_replaced_and_a_field_set_for_all_that_is_shown(client, work, ropes):
    wanted = {"field": "naam", "do": "replace", "find": "Touw 1", "value": "Lijn 1"}
    run = change(client, work, ropes, search="TW-000", change=wanted)
    assert run["counts"] == {"changed": 1, "rejected": 0, "same": 9}
    finish(client, work, run)
    assert shown(client, ropes, ("naam", "is", "Lijn 1"))[1] == ["TW-0001"]
    moved = {"field": "soort", "do": "set", "value": "Koord"}
    finish(client, work, change(client, work, ropes, search="TW-000", change=moved))
    assert shown(client, ropes, category="Koord")[0] == 10
    run = change(client, work, ropes, change={"field": "soort", "do": "set", "value": "Nergens"})
    assert run["counts"] == {"changed": 0, "rejected": MANY, "same": 0}
    # One number for all is that of several; to be without is not.
    run = change(client, work, ropes, search="TW-000", change={"field": "ean", "do": "set",
                 "value": "1"})  # fmt: skip
    assert run["counts"]["rejected"] == 10
    run = change(client, work, ropes, search="TW-000", change={"field": "ean", "do": "set"})
    assert run["counts"] == {"changed": 10, "rejected": 0, "same": 0}
    change(client, work, ropes, 422, change={"field": "code", "do": "set", "value": "1"})
    change(client, work, ropes, 422, change={"field": "naam", "do": "set"})
    change(client, work, ropes, 409, search="nergens", change=moved)


def test_edits_of_any_kind_and_their_undoing_leave_the_catalog_as_it_was(client, work, ropes):
    """What is looked through after each edit is what a fresh look at the catalog finds."""
    from nomotax.flows import listing

    def looked_at():
        return [
            shown(client, ropes, ("naam", "contains", "1"))[0],
            shown(client, ropes, ("prijs", "least", "50"))[1][:20],
            shown(client, ropes, category="Koord", sort="prijs", descending=True)[1][:20],
            shown(client, ropes, state="hidden")[1],
            shown(client, ropes, search="lijn", sort="title")[1][:20],
            get(client, f"{ropes}/completeness"),
        ]

    draw_of = random.Random(14)
    states = [(contents(client, ropes), looked_at())]
    runs = []
    for _ in range(6):
        rows = {}
        for _ in range(draw_of.randint(1, 40)):
            values = rows.setdefault(f"TW-{draw_of.randrange(MANY):04}", {})
            field, value = draw_of.choice(
                [("naam", f"Lijn {draw_of.random():.3f}"),
                 ("prijs", f"{draw_of.random() * 90:.2f}"),
                 ("prijs", None), ("soort", draw_of.choice(["Koord", "Touw", None])),
                 ("$state", draw_of.choice(["hidden", "archived", "live"])), ("prijs", "duur")]
            )  # fmt: skip
            values[field] = value
        made = write(client, ropes, list(rows.items()))
        if made["run_id"] is None:
            continue
        runs.append(made["run_id"])
        seen = looked_at()
        listing._LISTINGS.clear()
        assert seen == looked_at()
        states.append((contents(client, ropes), seen))
    for run, before in zip(reversed(runs), reversed(states[:-1]), strict=True):
        undo = send(client, "post", f"/runs/{run}/undo", None, 201)
        work()
        finish(client, work, undo)
        assert (contents(client, ropes), looked_at()) == before


def problems(client, ropes, **look):
    told = get(client, f"{ropes}/problems", **look)
    return told["total"], {one["field"]: one["count"] for one in told["problems"]}


def test_what_is_wrong_is_told_filtered_and_gone_once_it_is_mended(client, ropes):
    assert problems(client, ropes) == (0, {})
    write(client, ropes, [("TW-0003", {"prijs": "1.00"}), ("TW-0004", {"prijs": "2.00"})])
    assert problems(client, ropes) == (2, {"prijs": 2})
    assert shown(client, ropes, ("$problem", "filled", "")) == (2, ["TW-0003", "TW-0004"])
    assert shown(client, ropes, ("$problem", "is", "dikte"))[0] == 0
    (said,) = get(client, f"{ropes}/products/TW-0003/problems")["problems"]
    assert said["said"] == "Prijs: 1.00 is under the cost of 4.00"
    write(client, ropes, [("TW-0003", {"prijs": "9.00"})])
    assert problems(client, ropes) == (1, {"prijs": 1})
    assert shown(client, ropes, ("$problem", "empty", ""))[0] == MANY - 1
    # The schema is stricter now: what is there is not taken any more.
    schema = get(client, f"{ropes}/schema")["product_schema"]
    (thick,) = [f for f in schema["fields"] if f["name"] == "dikte"]
    body = {"was": thick, "field": thick | {"maximum": "12"}}
    send(client, "post", f"{ropes}/schema/fields", body)
    total, by = problems(client, ropes)
    assert (total, by) == (1 + MANY // 12, {"dikte": MANY // 12, "prijs": 1})


def test_rows_of_the_last_delivery_that_stop_are_problems_of_their_products(client, work, ropes):
    feed = get(client, f"{ropes}/arrivals")["feeds"][0]["id"]
    row = "TW-0007;;8.50;8.00;9;00000007;Touw\n"  # no name, which a product keeps
    bad = "TW-0009;Touw 9;veel;10.00;11;00000009;Touw\n"
    receive(client, feed, "eigen.csv", (HEAD + row + bad).encode())
    send(client, "post", f"/feeds/{feed}/runs", None, 201)
    work()
    total, by = problems(client, ropes)
    assert (total, by) == (1, {"$row": 1})
    (said,) = get(client, f"{ropes}/products/TW-0009/problems")["problems"]
    assert said["said"].startswith("Its row 2 of Zelf is ") and "veel" in said["said"]
    assert shown(client, ropes, ("$problem", "is", "$row")) == (1, ["TW-0009"])
    assert problems(client, ropes, search="TW-0007") == (0, {})


def test_many_products_are_looked_at_by_a_worker(client, look, ropes, monkeypatch):
    monkeypatch.setattr(problems_flow, "_AGAIN", 100)
    write(client, ropes, [("TW-0003", {"prijs": "1.00"})])
    view = {"shown": {"where": [{"field": "$problem", "test": "filled"}]}, "columns": []}
    send(client, "post", f"{ropes}/views", {"name": "Fout", "look": view}, 201)
    told = get(client, f"{ropes}/problems")
    assert (told["looking"], told["problems"]) == (True, [])
    where = json.dumps([{"field": "$problem", "test": "filled", "value": ""}])
    waits = client.get(f"/api/v1{ropes}/products", query_string={"where": where})
    assert waits.status_code == 409 and "Try again in a minute" in waits.text
    assert [one["count"] for one in get(client, f"{ropes}/views")["views"]] == [None]
    look()
    assert problems(client, ropes) == (1, {"prijs": 1})
    assert shown(client, ropes, ("$problem", "filled", "")) == (1, ["TW-0003"])
    assert [one["count"] for one in get(client, f"{ropes}/views")["views"]] == [1]
    # Another process knows it from what is kept, and takes what has changed since.
    problems_flow._LOOKED.clear()
    monkeypatch.setattr(problems_flow, "_LATE", timedelta(0))
    write(client, ropes, [("TW-0003", {"prijs": "9.00"}), ("TW-0008", {"prijs": "1.00"})])
    told = get(client, f"{ropes}/products/TW-0008/problems")["problems"]
    assert [one["field"] for one in told] == ["prijs"]
    assert shown(client, ropes, ("$problem", "filled", "")) == (1, ["TW-0008"])


#: What may be written into a cell, the good and the bad for a stricter schema.
CELLS = {
    "prijs": ["0.50", "12.00", "99.00", None],
    "inkoop": ["1.00", "40.00", None],
    "dikte": ["2", "9", "13", None],
    "soort": ["Touw", "Koord"],
    "naam": ["Lijn", "Een hele lange naam van een touw"],
}


@pytest.mark.parametrize("seed", [1, 2])
def test_what_is_found_bit_by_bit_is_what_is_found_at_once(client, work, ropes, seed, monkeypatch):
    """Edits, a stricter schema and an undo in any order: what is looked at again is enough."""
    draw = random.Random(seed)
    monkeypatch.setattr(problems_flow, "_LATE", timedelta(seconds=2))
    keys = [f"TW-{n:04}" for n in draw.sample(range(MANY), 8)]
    schema = get(client, f"{ropes}/schema")["product_schema"]
    (thick,) = [f for f in schema["fields"] if f["name"] == "dikte"]
    limits = iter(["10", "4"])
    runs = []
    for step in range(9):
        if step in (3, 6):
            tighter = thick | {"maximum": next(limits)}
            send(client, "post", f"{ropes}/schema/fields", {"was": thick, "field": tighter})
            thick = tighter
        elif step == 7 and runs:
            undone = send(client, "post", f"/runs/{runs[-1]}/undo", None, 201)
            work()
            send(client, "post", f"/runs/{undone['id']}/apply", None, 202)
            work()
        else:
            rows = [(k, {f: draw.choice(CELLS[f]) for f in draw.sample([*CELLS], 2)})
                    for k in draw.sample(keys, 3)]  # fmt: skip
            made = write(client, ropes, rows)["run_id"]
            runs += [made] if made else []
        bit_by_bit = problems(client, ropes)
        shown_now = shown(client, ropes, ("$problem", "filled", ""))
        problems_flow._LOOKED.clear()
        assert problems(client, ropes) == bit_by_bit, step
        assert shown(client, ropes, ("$problem", "filled", "")) == shown_now
        assert shown_now[0] == bit_by_bit[0]
    # Each product says by itself what the list counts.
    for key in keys:
        said = get(client, f"{ropes}/products/{key}/problems")["problems"]
        for one in said:
            assert key in shown(client, ropes, ("$problem", "is", one["field"]),
                                search=key)[1]  # fmt: skip
