"""What another version, or another ladder, would make of a delivery: the same as runs by either,
told before anything is saved."""

from __future__ import annotations

from decimal import Decimal

import pytest

from nomotax.flows import contrasts
from nomotax.records.contrasts import Contrasts
from nomotax.records.database import session
from tests.api.test_goods import receive
from tests.api.test_path import catalog, get, mapped, prepare, send  # noqa: F401  # a fixture
from tests.api.test_reports import FIRST, HEAD, ropes  # noqa: F401  # another

DRAFT = {"version": 0}


def ask(client, work, feed, before, after):
    asked = send(
        client, "post", f"/feeds/{feed}/contrasts", {"before": before, "after": after}, 201
    )
    assert asked["status"] == "queued"
    work()
    return get(client, f"/contrasts/{asked['id']}")


def shown(client, found, **query):
    return get(client, f"/contrasts/{found['id']}/lines", limit=400, **query)


def prices(client, run):
    """The price that the product of each row would have."""
    rows, at, there = {}, 0, catalog(client)
    while page := get(client, f"/runs/{run}/rows", limit=400, offset=at)["rows"]:
        rows |= {row["row"]: row for row in page}
        at += len(page)
    return {
        n: next(
            (c["after"] for c in row["changes"] if c["field"] == "price"),
            there.get(row["key"], {}).get("price"),
        )
        for n, row in rows.items()
    }


def dearer(client, by="5"):
    """The demo's ladder with its first rung raised."""
    ladder = get(client, "/feeds/1/prices")["ladder"]
    first = ladder["rungs"][0]
    raised = str(Decimal(first["amount"]) + Decimal(by))
    return ladder | {"rungs": [first | {"amount": raised}, *ladder["rungs"][1:]]}


@pytest.mark.usefixtures("mapped")
def test_a_ladder_on_trial_is_told_as_runs_by_either_tell_it(client, work):
    before = prices(client, prepare(client, work)["id"])
    versions = get(client, "/feeds/1/versions")
    trial = {"version": 0, "ladder": dearer(client)}
    found = ask(client, work, 1, DRAFT, trial)
    assert (found["status"], found["rows"]) == ("ready", 1188)
    assert found["after"] == "the draft with the ladder on trial"
    # Nothing was saved by asking.
    assert get(client, "/feeds/1/versions") == versions
    send(client, "put", "/stores/1/ladders", trial["ladder"])
    after = prices(client, prepare(client, work)["id"])
    moved = {n for n in before if before[n] != after[n]}
    (price,) = [one for one in found["differences"] if one["field"] == "price"]
    assert price["count"] == len(moved) > 10
    assert price["said"].startswith(f"Price of {len(moved)} products moves: {len(moved)} up, ")
    lines = shown(client, found, about=found["differences"].index(price), worst=True)
    there = catalog(client)
    assert lines["total"] == len(moved)
    for line in lines["lines"]:
        (value,) = [one for one in line["values"] if one["field"] == "price"]
        assert (value["before"], value["after"]) == (before[line["row"]], after[line["row"]])
        assert value["store"] == there.get(line["key"], {}).get("price")
    shares = [abs(Decimal(one["percent"])) for line in lines["lines"] for one in line["values"]
              if one["field"] == "price"]  # fmt: skip
    assert shares == sorted(shares, reverse=True)


@pytest.fixture
def half(client, ropes, once):  # noqa: F811  # the fixture of another module
    """The rope feed, whose draft now sells at half of the cost, and takes fewer rows."""

    @once
    def begun():
        feed = get(client, f"/runs/{ropes}")["feed_id"]
        bench = get(client, f"/feeds/{feed}/bench")
        document = bench["crosswalk"]
        document["fills"]["price"]["steps"][1]["times"] = "0.5"
        document["fills"]["name"]["steps"] = [{"do": "affix", "before": "Touwwerk: "}]
        body = {"crosswalk": document, "revision": bench["revision"]}
        send(client, "put", f"/feeds/{feed}/draft", body)
        return feed

    return begun


def test_versions_beside_the_draft_with_what_falls_under_cost(client, work, half):
    newest = get(client, f"/feeds/{half}/versions")["versions"][0]["number"]
    found = ask(client, work, half, {"version": newest}, DRAFT)
    said = [one["said"] for one in found["differences"]]
    assert said == [
        "Price of 4 products moves: 4 down, the middle one by -75.0 %",
        "4 products fall under cost",
        "Name of 4 products is another",
    ]
    assert (found["rows"], found["lines"]) == (7, 4)
    (one,) = shown(client, found, search="tw-3")["lines"]
    values = {v["field"]: (v["before"], v["after"], v["store"]) for v in one["values"]}
    assert values == {"price": ("7.00", "1.75", "7.00"),
                      "name": ("Touw 3", "Touwwerk: Touw 3", "Touw 3")}  # fmt: skip
    back = ask(client, work, half, DRAFT, {"version": newest})
    assert "4 products are under cost no more" in [one["said"] for one in back["differences"]]
    assert ask(client, work, half, DRAFT, DRAFT)["differences"] == []


def test_what_cannot_be_asked_says_why(client, work, half):
    ladder = {"name": "Touw", "rungs": [{"start": "0", "kind": "markup", "amount": "10"}]}
    for before, status, says in [
        ({"version": 99}, 404, "no version 99"),
        (DRAFT | {"ladder": ladder}, 422, "prices nothing by the ladder 'Touw'"),
        ({"version": -1}, 422, "version"),
    ]:
        body = {"before": before, "after": DRAFT}
        answer = client.post(f"/api/v1/feeds/{half}/contrasts", json=body)
        assert (answer.status_code, says in answer.text) == (status, True), answer.text
    found = ask(client, work, half, DRAFT, DRAFT)
    assert client.get(f"/api/v1/contrasts/{found['id']}/lines?about=0").status_code == 422
    assert client.get("/api/v1/contrasts/999").status_code == 404


def test_a_stopped_one_stays_stopped_and_a_lost_one_says_so(client, work, half):
    asked = send(client, "post", f"/feeds/{half}/contrasts", {"before": DRAFT, "after": DRAFT}, 201)
    stopped = send(client, "post", f"/contrasts/{asked['id']}/stop")
    work()
    assert stopped["status"] == "stopped" == get(client, f"/contrasts/{asked['id']}")["status"]
    refused = client.get(f"/api/v1/contrasts/{asked['id']}/lines")
    assert refused.status_code == 409 and "Stopped by hand" in refused.text
    with session() as db:
        Contrasts.holding(db, asked["id"]).get(asked["id"]).status = "working"
    contrasts.give_up()
    lost = get(client, f"/contrasts/{asked['id']}")
    assert lost["status"] == "failed" and "Ask once more" in lost["error"]


def test_only_the_last_ones_of_a_feed_are_kept(client, work, half):
    first = ask(client, work, half, DRAFT, DRAFT)
    for _ in range(10):
        ask(client, work, half, DRAFT, DRAFT)
    assert client.get(f"/api/v1/contrasts/{first['id']}").status_code == 404


def test_an_empty_list_differs_only_in_what_becomes_of_all_that_is_gone(client, work, half):
    """The draft hides what is gone, which the version leaves as it is."""
    apply_all(client, work, half)
    receive(client, half, "leeg.csv", HEAD.encode())
    bench = get(client, f"/feeds/{half}/bench")
    version = get(client, f"/feeds/{half}/versions")["versions"][0]["number"]
    document = bench["crosswalk"] | {"policy": {"missing": "hide"}}
    body = {"crosswalk": document, "revision": bench["revision"]}
    send(client, "put", f"/feeds/{half}/draft", body)
    found = ask(client, work, half, {"version": version}, DRAFT)
    # Where all of it is gone at once nothing is hidden: an empty list is no news.
    assert (found["status"], found["rows"], found["differences"]) == ("ready", 0, [])
    receive(client, half, "kort.csv", (HEAD + FIRST[0]).encode())
    found = ask(client, work, half, {"version": version}, DRAFT)
    said = [one["said"] for one in found["differences"]]
    assert said == ["State of 5 products is another"]
    (line,) = shown(client, found, search="TW-4")["lines"]
    assert (line["fate_before"], line["values"][0]["after"]) == ("gone", "hidden")


def apply_all(client, work, feed):
    made = send(client, "post", f"/feeds/{feed}/runs", None, 201)
    work()
    send(client, "post", f"/runs/{made['id']}/apply", None, 202)
    work()


def prepared(client, work, feed):
    """What a run would make of each row: what becomes of it, and what it writes."""
    run = send(client, "post", f"/feeds/{feed}/runs", None, 201)["id"]
    work()
    rows = get(client, f"/runs/{run}/rows", limit=400)["rows"]
    rows += get(client, f"/runs/{run}/rows", limit=400, status="gone")["rows"]
    known = {"changed": "known", "same": "known"}
    return {
        (row["row"], row["key"]): (
            known.get(row["status"], row["status"]),
            {c["field"]: c["after"] for c in row["changes"]},
            row["reason"] if row["status"] in ("held", "rejected", "left out") else None,
        )
        for row in rows
    }


EDITS = {
    "a field no longer filled": lambda fills: fills.pop("stock"),
    "a field more": lambda fills: fills.update({"brand": {"parts": [{"text": "Aalders"}]}}),
    "another price": lambda fills: fills["price"]["steps"][1].update({"times": "1.9"}),
    "stock in packs": lambda fills: fills["stock"]["steps"].append({"do": "scale", "times": "0.5"}),
    "another article": lambda fills: fills["sku"].update(
        {"steps": [{"do": "replace", "find": "TW-9", "put": "TW-8"}]}
    ),
    "only what is new": lambda fills: fills["cost"].update({"writes": "new"}),
    "names in capitals": lambda fills: fills["name"].update(
        {"steps": [{"do": "case", "to": "upper"}]}
    ),
}


@pytest.mark.parametrize("edit", EDITS.values(), ids=EDITS)
def test_it_is_told_as_two_runs_would_tell_it(client, work, ropes, edit):  # noqa: F811
    feed = get(client, f"/runs/{ropes}")["feed_id"]
    before = prepared(client, work, feed)
    version = get(client, f"/feeds/{feed}/versions")["versions"][0]["number"]
    bench = get(client, f"/feeds/{feed}/bench")
    document = bench["crosswalk"]
    edit(document["fills"])
    body = {"crosswalk": document, "revision": bench["revision"]}
    send(client, "put", f"/feeds/{feed}/draft", body)
    found = ask(client, work, feed, {"version": version}, DRAFT)
    after = prepared(client, work, feed)
    stored = catalog(client)

    def would(side, line, field):
        """What the product of a line would hold."""
        fate, values, _ = side[line]
        key = line[1]
        return values.get(field, None if fate == "new" else stored.get(key, {}).get(field))

    fields = {f for side in (before, after) for _, new, _ in side.values() for f in new}
    wanted = {}
    for row in {row for row, _ in (*before, *after)}:
        one, other = (
            next((line for line in side if line[0] == row), None) for side in (before, after)
        )
        if one is None or other is None or row is None:
            continue
        fates = before[one][0], after[other][0]
        names = {f for f in fields if would(before, one, f) != would(after, other, f)}
        same = one[1] == other[1] or fates == ("new", "new")
        why = before[one][2] == after[other][2]
        if fates[0] != fates[1] or not same or names or not why:
            wanted[row] = (fates, names if same else set())
    lines = shown(client, found)["lines"]
    told = {
        line["row"]: (
            (line["fate_before"], line["fate_after"]),
            {v["field"] for v in line["values"]} if line["other"] is None else set(),
        )
        for line in lines
        if line["row"] is not None
    }
    assert told == {
        row: (fates, names if (fates[0] == "new") == (fates[1] == "new") else set())
        for row, (fates, names) in wanted.items()
    }
    assert found["lines"] == len(lines)


@pytest.mark.usefixtures("mapped")
def test_pages_of_what_differs_fit_together_and_each_difference_has_its_lines(client, work):
    bench = get(client, "/feeds/1/bench")
    document = bench["crosswalk"]
    document["fills"]["name"]["steps"] = [{"do": "affix", "before": "Q: "}]
    del document["fills"]["stock"]
    body = {"crosswalk": document, "revision": bench["revision"]}
    version = prepare(client, work)["version"]
    send(client, "put", "/feeds/1/draft", body)
    trial = {"version": 0, "ladder": dearer(client, "20")}
    found = ask(client, work, 1, {"version": version}, trial)
    whole, at = [], 0
    while page := get(client, f"/contrasts/{found['id']}/lines", limit=150, offset=at)["lines"]:
        whole += page
        at += len(page)
    assert len(whole) == found["lines"] and at > 400
    assert [line["row"] for line in whole] == sorted(line["row"] for line in whole)
    assert {one["field"] for one in found["differences"]} >= {"name", "price"}
    for number, one in enumerate(found["differences"]):
        own = get(client, f"/contrasts/{found['id']}/lines", about=number, limit=400)
        assert own["total"] == one["count"]
        if one["field"]:
            among = [line for line in whole if one["field"] in {v["field"] for v in line["values"]}]
            assert len(among) == one["count"]
            assert found["fields"][one["field"]] in one["said"]
    some = whole[len(whole) // 2]
    for asked in (some["key"].lower(), some["title"].upper()):
        narrowed = shown(client, found, search=asked)
        assert some in narrowed["lines"] and narrowed["total"] < len(whole)
    assert shown(client, found, search="no such thing") == {"total": 0, "lines": []}
    assert client.get(f"/api/v1/contrasts/{found['id']}/lines?limit=401").status_code == 422


def test_what_goes_wrong_at_work_is_said_and_leaves_nothing_half(client, work, half, monkeypatch):
    asked = send(client, "post", f"/feeds/{half}/contrasts", {"before": DRAFT, "after": DRAFT}, 201)

    def breaks(*_):
        raise MemoryError("no room")

    with monkeypatch.context() as broken:
        broken.setattr(contrasts, "contrasted", breaks)
        work()
    failed = get(client, f"/contrasts/{asked['id']}")
    assert failed["status"] == "failed"
    assert failed["error"] == "Our fault: no room. It is in the log."
    assert client.get(f"/api/v1/contrasts/{asked['id']}/lines").status_code == 409
    assert ask(client, work, half, DRAFT, DRAFT)["status"] == "ready"


def test_both_are_as_they_were_when_it_was_asked(client, work, half):
    """The draft and the look-ups go on being edited while it waits for a worker."""
    newest = get(client, f"/feeds/{half}/versions")["versions"][0]["number"]
    sides = {"before": {"version": newest}, "after": DRAFT}
    asked = send(client, "post", f"/feeds/{half}/contrasts", sides, 201)
    bench = get(client, f"/feeds/{half}/bench")
    document = bench["crosswalk"]
    document["fills"]["price"]["steps"][1]["times"] = "2"
    document["fills"].pop("name")
    body = {"crosswalk": document, "revision": bench["revision"]}
    send(client, "put", f"/feeds/{half}/draft", body)
    work()
    found = get(client, f"/contrasts/{asked['id']}")
    assert [one["kind"] for one in found["differences"]] == ["field", "under_cost", "field"]
