"""A correction that becomes a rule: the word of a table, the place of a branch, and the run seen
anew by it."""

from __future__ import annotations

import pytest

from tests.api.test_path import get, mapped, prepare, send  # noqa: F401  # a fixture


@pytest.fixture
def run(mapped, client, work):  # noqa: F811  # the fixture of another module
    """Quarrow's first list, prepared."""
    return prepare(client, work)["id"]


def lines(client, run, status="new", **of):
    found = get(client, f"/runs/{run}/rows", status=status, limit=400, **of)["rows"]
    return {r["key"]: {c["field"]: c["after"] for c in r["changes"]} for r in found}


def rule(client, work, run, code=202, **asked):
    made = send(client, "post", f"/runs/{run}/rules", asked, code)
    work()
    return made


def test_a_word_is_written_for_all_that_arrive_with_it_and_decisions_stay(client, work, run):
    before = lines(client, run)
    key, colour = next((k, f["colour"]) for k, f in before.items() if f.get("colour"))
    other = next(f["colour"] for f in before.values() if f.get("colour") not in (None, colour))
    decided = {"verdict": "decline", "of": {"keys": [key]}}
    send(client, "post", f"/runs/{run}/decisions", decided, 201)
    traced = get(client, f"/runs/{run}/trace", key=key, field="colour")["trace"]["steps"]
    made = rule(client, work, run, key=key, field="colour", value=other)
    assert made["kind"] == "value_table" and made["before"] == colour
    assert made["word"] in {traced[-1]["entry"], traced[-2]["value"]}
    shown = get(client, f"/runs/{run}")
    assert shown["status"] == "prepared" and made["word"] in shown["since"]
    after = lines(client, run)
    moved = {k for k in before if before[k].get("colour") != after[k].get("colour")}
    assert key in moved and shown["again"] >= len(moved) > 1
    assert {after[k]["colour"] for k in moved} == {other}
    assert get(client, f"/runs/{run}/decisions")["declined"] == 1
    # What the answer was before puts it back.
    words = {made["word"]: made["before"]}
    send(client, "put", "/feeds/1/values", {"table": made["table"], "words": words})
    send(client, "post", f"/runs/{run}/anew", None, 202)
    work()
    assert lines(client, run) == before


def test_a_branch_is_placed_for_all_of_it(client, work, run):
    before = lines(client, run)
    key, old = next((k, f["category"]) for k, f in before.items() if "Pans" in f["category"])
    made = rule(client, work, run, key=key, field="category", value="Drawing > Inks")
    assert (made["kind"], made["before"]) == ("category_table", old)
    after = lines(client, run)
    moved = {k for k in before if before[k]["category"] != after[k]["category"]}
    assert key in moved and len(moved) > 1
    assert {after[k]["category"] for k in moved} == {"Drawing > Inks"}


@pytest.mark.parametrize("field, value, code, says", [
    ("colour", "No such colour", 422, "No such colour"),
    ("category", "Nowhere > At all", 422, "Nowhere"),
    ("price", "4.00", 409, "No single entry of a table makes Price"),
    ("name", "Other", 409, "No single entry of a table makes Name"),
    ("no_such", "x", 404, "no_such"),
])  # fmt: skip
def test_what_no_entry_makes_is_no_rule(client, work, run, field, value, code, says):
    key = next(k for k, f in lines(client, run).items() if f.get("colour"))
    answer = client.post(f"/api/v1/runs/{run}/rules",
                         json={"key": key, "field": field, "value": value})  # fmt: skip
    assert answer.status_code in (code, 409, 422) and says in answer.text
    assert get(client, f"/runs/{run}")["status"] == "prepared"


def test_only_a_prepared_run_is_made_anew(client, work, run):
    send(client, "post", f"/runs/{run}/decline", {})
    send(client, "post", f"/runs/{run}/anew", None, 409)
    key = next(iter(lines(client, run)))
    refused = rule(client, work, run, 409, key=key, field="colour", value="Blue")
    assert refused["detail"] == "This run is declined."
