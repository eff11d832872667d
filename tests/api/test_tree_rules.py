"""What names a category outside of products follows an edit of the tree, and comes back with it."""

from __future__ import annotations

import io
import json

import pytest

from tests.api.test_own_store import change_tree, take_back, tree_of
from tests.api.test_path import BUNDLE, get, send

RULED = {
    "name": "By group",
    "currency": "EUR",
    "rungs": [{"start": "0", "kind": "markup", "amount": "100"}],
    "rules": [
        {
            "name": "papers",
            "when": [{"field": "category", "words": ["paper", "Brushes"]}],
            "rungs": [{"start": "0", "kind": "markup", "amount": "20"}],
        }
    ],
}


@pytest.fixture
def ruled(client):
    """Quarrow mapped, with a ladder that has a rule for papers, and a constant category."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    send(client, "put", "/stores/1/ladders", RULED)
    state = get(client, "/feeds/1/bench")
    fills = state["crosswalk"]["fills"]
    fills["more_categories"] = {"parts": [{"text": "Paper"}]}
    fills["form"]["steps"].append({"do": "formula", "formula": 'IF([Group]="Drawing > Inks";1;2)'})
    body = {"crosswalk": state["crosswalk"], "revision": state["revision"]}
    send(client, "put", "/feeds/1/draft", body)
    return client


def rule_words(client):
    (ladder,) = [x for x in get(client, "/stores/1/lookups")["ladders"] if x["name"] == "By group"]
    return ladder["rules"][0]["when"][0]["words"]


def constant(client):
    return get(client, "/feeds/1/bench")["crosswalk"]["fills"]["more_categories"]["parts"]


@pytest.mark.parametrize(
    ("do", "to", "now"),
    [
        ("rename", "Papers and boards", "Papers and boards"),
        ("move", "Drawing", "Drawing > Paper"),
        ("merge", "Drawing", "Drawing"),
        ("delete", "Drawing", "Drawing"),
    ],
)
def test_price_rules_and_constants_follow_an_edit_and_come_back(ruled, do, to, now):
    """A rule that named the old path would price its products by other rungs, and say nothing."""
    revision = get(ruled, "/feeds/1/bench")["revision"]
    made = change_tree(ruled, do, "Paper", to)
    assert rule_words(ruled) == [now, "Brushes"]
    assert constant(ruled)[0]["text"] == now
    assert get(ruled, "/feeds/1/bench")["revision"] == revision + 1
    take_back(ruled, made)
    assert [w.lower() for w in rule_words(ruled)] == ["paper", "brushes"]
    assert constant(ruled)[0]["text"] == "Paper"


def test_what_was_changed_since_a_merge_is_not_put_back(ruled):
    """Another rung and another constant stay; only what followed the edit returns."""
    made = change_tree(ruled, "merge", "Paper", "Drawing")
    ladder = next(x for x in get(ruled, "/stores/1/lookups")["ladders"] if x["name"] == "By group")
    ladder["rungs"][0]["amount"] = "55"
    send(ruled, "put", "/stores/1/ladders", ladder)
    state = get(ruled, "/feeds/1/bench")
    state["crosswalk"]["fills"]["more_categories"] = {"parts": [{"text": "Brushes"}]}
    body = {"crosswalk": state["crosswalk"], "revision": state["revision"]}
    send(ruled, "put", "/feeds/1/draft", body)
    take_back(ruled, made)
    assert constant(ruled)[0]["text"] == "Brushes"
    after = next(x for x in get(ruled, "/stores/1/lookups")["ladders"] if x["name"] == "By group")
    assert after["rungs"][0]["amount"] == "55" and rule_words(ruled)[0].lower() == "paper"


def test_formulas_that_write_a_path_out_are_named_before(ruled):
    body = {"do": "merge", "path": "Drawing > Inks", "to": "Painting"}
    told = send(ruled, "post", "/stores/1/categories/touch", body)
    assert told["formulas"] == ["Quarrow Pigments, Weekly list: form"]


def test_somebody_who_edits_the_crosswalk_meanwhile_is_told(ruled):
    """The constant moved under them: their edit of the older draft is not taken for the newer."""
    state = get(ruled, "/feeds/1/bench")
    change_tree(ruled, "rename", "Paper", "Papers")
    body = {"crosswalk": state["crosswalk"], "revision": state["revision"]}
    assert "edited elsewhere" in send(ruled, "put", "/feeds/1/draft", body, 409)["detail"]


def names_of(client):
    found = get(client, "/stores/1/categories")["categories"]
    return {c["path"]: c["names"] for c in found if c["names"]}


@pytest.mark.parametrize(
    ("do", "to", "now"),
    [
        ("rename", "Colours", "Colours"),
        ("move", "Drawing", "Drawing > Painting"),
        ("merge", "Drawing", ""),
        ("delete", "Drawing", ""),
    ],
)
def test_names_in_other_languages_stay_with_their_category(client, do, to, now):
    before = names_of(client)
    assert before["Painting"]["fr"] == "Peinture"
    made = change_tree(client, do, "Painting", to)
    after = names_of(client)
    if now:
        assert after[now] == before["Painting"] and len(after) == len(before)
    take_back(client, made)
    assert names_of(client) == before


def test_an_added_category_that_is_used_by_now_is_not_taken_back(client):
    """Its products and what stands below it would have no place."""
    made = change_tree(client, "add", "Seasonal > Advent")
    change_tree(client, "add", "Seasonal > Advent > Calendars")
    told = take_back(client, made, 409)
    assert "come into it" in told["detail"] and "Delete it in the tree" in told["remedy"]
    assert "Seasonal > Advent > Calendars" in tree_of(client)


def test_an_edit_of_another_store_is_none_of_this_one(client):
    made = change_tree(client, "add", "Seasonal")
    document = client.get("/api/v1/stores/1/schema.json").data
    form = {"name": "Other", "file": (io.BytesIO(document), "schema.json")}
    other = client.post("/api/v1/stores", data=form).json["id"]
    send(client, "post", f"/stores/{other}/categories/edits/{made['id']}/undo", status=404)
    assert get(client, f"/stores/{other}/categories/edits")["edits"] == []
    (line,) = get(client, "/stores/1/categories/edits")["edits"]
    assert (line["edit"]["path"], line["undone"]) == ("Seasonal", False)


PATHS = ("Garden{0}Spades", "Garden{0}Rakes", "Ponds{0}Pumps")


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("tree.csv", "\n".join(p.format(" > ") for p in PATHS).encode()),
        ("tree.json", json.dumps([{"path": p.format(" / ")} for p in PATHS]).encode()),
        ("tree.csv", "\n".join(["Ebene 1;Ebene 2", *(p.format(";") for p in PATHS)]).encode()),
    ],
)
def test_a_tree_is_taken_from_a_file_of_any_shape(client, name, data):
    found = client.post(
        "/api/v1/stores/1/categories/read", data={"file": (io.BytesIO(data), name)}
    ).json
    assert found["known"] == 0 and found["paths"] == [
        "Garden", "Garden > Spades", "Garden > Rakes", "Ponds", "Ponds > Pumps"]  # fmt: skip


def test_a_file_that_is_no_table_says_so(client):
    form = {"file": (io.BytesIO(b"\x89PNG\r\n\x1a\n" + bytes(64)), "tree.png")}
    answer = client.post("/api/v1/stores/1/categories/read", data=form)
    assert answer.status_code == 422 and answer.json["remedy"]
