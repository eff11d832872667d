"""A correction that becomes a rule: the word of a table, the place of a branch, and the run seen
anew by it."""

from __future__ import annotations

import pytest

from tests.api.test_path import get, mapped, prepare, send  # noqa: F401  # a fixture


@pytest.fixture
def run(mapped, client, work, once):  # noqa: F811  # the fixture of another module
    """Quarrow's first list, prepared."""

    @once
    def begun():
        return prepare(client, work)["id"]

    return begun


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


def test_a_corrected_price_becomes_a_rule_for_all_of_its_line(client, work, run):
    before = lines(client, run)
    key = next(k for k, f in before.items() if f.get("price") and f.get("product_line"))
    line = before[key]["product_line"]
    likes = get(client, f"/runs/{run}/price-rules", key=key, field="price")
    (own,) = [one for one in likes["likes"] if one["field"] == "product_line"]
    alike = {k for k, f in before.items() if f.get("product_line") == line}
    assert own["word"] == line and own["count"] >= len(alike) > 1
    # The branches above its category are offered, too, the nearest first.
    branches = [one["word"] for one in likes["likes"] if one["field"] == "category"]
    assert branches and before[key]["category"].startswith(branches[-1])
    asked = {"key": key, "field": "price", "value": "99.95", "by": "product_line", "word": line}
    made = send(client, "post", f"/runs/{run}/price-rules", asked, 202)
    work()
    shown, after = get(client, f"/runs/{run}"), lines(client, run)
    assert (shown["status"], after[key]["price"]) == ("prepared", "99.95")
    moved = {k for k in before if before[k].get("price") != after[k].get("price")}
    assert key in moved <= alike and shown["again"] >= len(moved) > 1
    assert made["said"].startswith(f"Line {line}: ") and "the rule" in shown["since"]
    # The ladder as it was puts it back.
    send(client, "put", "/stores/1/ladders", made["before"])
    send(client, "post", f"/runs/{run}/anew", None, 202)
    work()
    assert lines(client, run) == before


@pytest.mark.parametrize("more, code, says", [
    ({"value": "0.05"}, 409, "makes 0.05 of a cost of"),
    ({"value": "dear"}, 422, "Price"),
    ({"by": "name"}, 422, "'name' is no field that products are priced by"),
    ({"field": "colour", "value": "Blue"}, 409, "No price ladder makes"),
])  # fmt: skip
def test_what_no_rule_of_the_ladder_makes_is_refused(client, run, more, code, says):
    key = next(k for k, f in lines(client, run).items() if f.get("price") and f.get("colour"))
    asked = {"key": key, "field": "price", "value": "9.95", "by": "brand", "word": "Quarrow"}
    answer = client.post(f"/api/v1/runs/{run}/price-rules", json=asked | more)
    assert (answer.status_code, says in answer.text) == (code, True), answer.text
    assert get(client, f"/runs/{run}")["status"] == "prepared"
    found = get(client, f"/runs/{run}/price-rules", key=key, field="colour")
    assert found == {"ladder": "", "likes": []}


def test_products_that_are_priced_together_are_counted_as_the_rule_will_match_them(client, run):
    every, at = {}, 0
    while page := get(client, f"/runs/{run}/rows", limit=400, offset=at)["rows"]:
        every |= {r["row"]: {c["field"]: c["after"] for c in r["changes"]} | {"at": r["status"]}
                  for r in page}  # fmt: skip
        at += len(page)
    fields = lines(client, run)
    for key in list(fields)[:: max(1, len(fields) // 6)]:
        found = get(client, f"/runs/{run}/price-rules", key=key, field="price")
        if not found["ladder"]:
            continue
        counts = [one["count"] for one in found["likes"]]
        assert counts == sorted(counts) and min(counts) > 1
        for one in found["likes"]:
            word = one["word"]
            own = fields[key][one["field"]]
            assert own == word or own.startswith(f"{word} > "), (key, one)
            told = [f.get(one["field"]) or "" for f in every.values() if f["at"] == "new"]
            among = sum(v == word or v.startswith(f"{word} > ") for v in told)
            # Those that are there already, held or rejected are of it, too.
            assert among <= one["count"] <= len(every)
