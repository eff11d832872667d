"""Two wholesalers and an agency say something of the same goods: whose values hold, who takes over
and gives back, and what nobody overrules. In German, beside the demo's suppliers."""

import pytest

from tests.api.test_goods import receive
from tests.api.test_matching import crosswalk, draw
from tests.api.test_path import catalog, get, send, take_back, unguarded
from tests.api.test_ranges import apply, prepare

COLUMNS = {"sku": "Nr", "name": "Name", "cost": "EK", "stock": "Bestand", "supplier_sku": "Art"}
HEAD = "Nr;Name;EK;Bestand;Art\n"


def goods(prefix, rows):
    return HEAD + "".join(
        f"RH-{n};{prefix} {n};{cost};{stock};{prefix}{n}\n" for n, cost, stock in rows
    )


@pytest.fixture
def feeds(client, work, once):
    """Three feeds of three suppliers: two that compete, and an agency with names alone."""

    @once
    def begun():
        found = {}
        for who, columns, policy in (
            ("Nord", COLUMNS, {}),
            ("Ost", COLUMNS, {}),
            ("Texte", {"sku": "Nr", "name": "Name"}, {"products": "change", "others": "change"}),
        ):
            body = {"supplier": who, "name": "Liste"}
            found[who] = unguarded(client, send(client, "post", "/stores/1/feeds", body, 201)["id"])
            receive(client, found[who], "muster.csv", (HEAD + "RH-0;Muster;1,50;1;M\n").encode())
            document = crosswalk(columns, policy=policy)
            if "cost" in columns:
                document["fills"]["category"] = {"parts": [{"text": "Brushes"}]}
                document["fills"]["price"] = {
                    "parts": [{"text": "9,90"}],
                    "steps": [{"do": "number"}],
                }
            draw(client, found[who], document)
        return found

    return begun


@pytest.fixture
def deliver(client, work, feeds):
    """Receives rows of a feed, and applies them; gives the run."""

    def send_rows(who, data):
        receive(client, feeds[who], f"{who.lower()}.csv", data.encode("cp1252"))
        run = prepare(client, work, feeds[who])
        apply(client, work, run)
        return run

    return send_rows


def rule(client, feeds, order=("Nord", "Ost"), **more):
    more["fields"] = {f: [feeds[w] for w in whose] for f, whose in more.get("fields", {}).items()}
    body = {"order": [feeds[who] for who in order], **more}
    return send(client, "put", "/stores/1/sources", body)


def held(client, key, *fields):
    return tuple(catalog(client)[key].get(f) for f in fields)


def test_one_that_runs_dry_hands_over_and_takes_back(client, feeds, deliver):
    rule(client, feeds)
    deliver("Nord", goods("N", [(1, "4,00", 5), (2, "4,00", 5)]))
    run = deliver("Ost", goods("O", [(1, "5,00", 9), (2, "5,00", 9), (3, "5,00", 9)]))
    assert run["counts"] | {"new": 1, "same": 2, "rejected": 0} == run["counts"]
    lines = get(client, f"/runs/{run['id']}/rows?status=same")["rows"]
    assert {one["reason"] for one in lines} == {"the offer of Nord: Liste holds"}
    deliver("Nord", goods("N", [(1, "4,00", 0), (2, "4,20", 5)]))
    assert held(client, "RH-1", "cost", "stock", "supplier_sku") == ("5.00", "9", "O1")
    assert held(client, "RH-2", "cost", "stock", "supplier_sku") == ("4.20", "5", "N2")
    deliver("Nord", goods("N", [(1, "4,10", 3), (2, "4,20", 5)]))
    assert held(client, "RH-1", "cost", "stock", "supplier_sku") == ("4.10", "3", "N1")


def test_what_one_brings_no_more_goes_by_the_other_and_comes_back_undone(
    client, work, feeds, deliver
):
    rule(client, feeds)
    deliver("Ost", goods("O", [(1, "5,00", 9)]))
    deliver("Nord", goods("N", [(1, "4,00", 5), (2, "4,00", 5)]))
    before = catalog(client)
    run = deliver("Nord", goods("N", [(2, "4,00", 5)]))
    line = get(client, f"/runs/{run['id']}/rows?status=gone")["rows"][0]
    assert line["reason"] == "not in this delivery; the offer of Ost: Liste holds"
    assert held(client, "RH-1", "cost", "name") == ("5.00", "O 1")
    take_back(client, work, run["id"])
    assert catalog(client) == before


def test_what_one_hid_as_missing_another_that_offers_it_brings_back(client, feeds, deliver):
    rule(client, feeds)
    bench = get(client, f"/feeds/{feeds['Nord']}/bench")
    hides = bench["crosswalk"] | {"policy": {"missing": "hide"}}
    draw(client, feeds["Nord"], hides)
    deliver("Nord", goods("N", [(1, "4,00", 5), (2, "4,00", 5)]))
    deliver("Nord", goods("N", [(2, "4,00", 5)]))
    product = get(client, "/stores/1/products/RH-1")["product"]
    assert product["state"] == "hidden"
    deliver("Ost", goods("O", [(1, "5,00", 9)]))
    product = get(client, "/stores/1/products/RH-1")["product"]
    assert product["state"] == "live" and product["content"]["cost"] == "5.00"


@pytest.mark.parametrize(
    ("choose", "dear", "cheap"), [("cheapest", "O1", "N1"), ("order", "N1", "N1")]
)
def test_the_cheapest_in_stock_or_the_preferred(client, feeds, deliver, choose, dear, cheap):
    """10 is more than 9: amounts, not texts."""
    rule(client, feeds, choose=choose)
    deliver("Nord", goods("N", [(1, "10,00", 5)]))
    deliver("Ost", goods("O", [(1, "9,00", 9)]))
    assert held(client, "RH-1", "supplier_sku") == (dear,)
    deliver("Nord", goods("N", [(1, "8,00", 5)]))
    assert held(client, "RH-1", "supplier_sku") == (cheap,)


def test_where_a_value_comes_from_is_told_by_the_list_that_said_it(client, feeds, deliver):
    rule(client, feeds)
    deliver("Nord", goods("N", [(1, "4,00", 5)]))
    deliver("Ost", goods("O", [(1, "5,00", 9)]))
    run = deliver("Nord", goods("N", [(1, "4,00", 0)]))
    for asked in ("/stores/1", f"/runs/{run['id']}"):
        told = get(client, f"{asked}/trace?key=RH-1&field=cost")
        assert told["supplier"] == "Ost" and told["file_name"] == "ost.csv"
        assert told["trace"]["value"] == "5.00"
    deliver("Nord", HEAD)
    assert get(client, "/stores/1/trace?key=RH-1&field=stock")["supplier"] == "Ost"


def test_an_offer_says_nothing_that_the_store_does_not_take_any_more(client, feeds, deliver):
    """The tree was edited since the other list was applied: its category is none."""
    rule(client, feeds)
    deliver("Nord", goods("N", [(1, "4,00", 5)]))
    deliver("Ost", goods("O", [(1, "5,00", 9)]))
    edit = {"do": "delete", "path": "Brushes", "to": "Drawing"}
    send(client, "post", "/stores/1/categories/edits", edit)
    document = get(client, f"/feeds/{feeds['Nord']}/bench")["crosswalk"]
    document["fills"]["category"]["parts"] = [{"text": "Drawing"}]
    draw(client, feeds["Nord"], document)
    offered = {o["feed"]: o["values"] for o in get(client, "/stores/1/offers/RH-1")["offers"]}
    assert all("category" not in values for values in offered.values())
    deliver("Nord", goods("N", [(1, "4,00", 0)]))
    assert held(client, "RH-1", "category", "cost") == ("Drawing", "5.00")


def test_those_that_compete_change_nobody_elses_products(client, feeds, deliver):
    rule(client, feeds, order=("Ost", "Texte"))
    deliver("Nord", goods("N", [(1, "4,00", 5)]))
    deliver("Texte", "Nr;Name\nRH-1;Feiner Pinsel\n")
    run = deliver("Ost", goods("O", [(1, "5,00", 9), (2, "5,00", 9)]))
    assert run["counts"] | {"rejected": 1, "new": 1} == run["counts"]


def test_an_agencys_texts_complete_anybodys(client, feeds, deliver):
    rule(client, feeds, fields={"name": ["Texte", "Nord", "Ost"]})
    deliver("Nord", goods("N", [(1, "4,00", 5), (2, "4,00", 5)]))
    deliver("Texte", "Nr;Name\nRH-1;Feiner Pinsel\n")
    assert held(client, "RH-1", "name") == ("Feiner Pinsel",)
    deliver("Nord", goods("Neu", [(1, "4,00", 5), (2, "4,00", 5)]))
    assert held(client, "RH-1", "name", "supplier_sku") == ("Feiner Pinsel", "Neu1")
    assert held(client, "RH-2", "name") == ("Neu 2",)
    shown = get(client, "/stores/1/offers/RH-1")
    assert [one["feed"] for one in shown["offers"] if one["taken"]] == ["Nord: Liste"]
    whose = {one["field"]: (one["feed_id"], one["kept"]) for one in shown["fields"]}
    assert whose["name"] == (feeds["Texte"], False) and whose["cost"] == (feeds["Nord"], False)
    assert {o["feed"]: o["values"]["name"] for o in shown["offers"]} == {
        "Nord: Liste": "Neu 1", "Texte: Liste": "Feiner Pinsel"
    }  # fmt: skip


def test_what_is_kept_by_hand_no_offer_moves(client, feeds, deliver):
    rule(client, feeds)
    deliver("Nord", goods("N", [(1, "4,00", 5)]))
    send(client, "put", "/stores/1/kept", {"key": "RH-1", "field": "cost"})
    deliver("Ost", goods("O", [(1, "5,00", 9)]))
    deliver("Nord", goods("N", [(1, "4,50", 0)]))
    assert held(client, "RH-1", "cost", "supplier_sku") == ("4.00", "O1")
    kept = [f for f in get(client, "/stores/1/offers/RH-1")["fields"] if f["kept"]]
    assert [one["field"] for one in kept] == ["cost"]


def test_without_an_order_another_suppliers_product_is_refused_as_before(client, feeds, deliver):
    deliver("Nord", goods("N", [(1, "4,00", 5)]))
    run = deliver("Ost", goods("O", [(1, "5,00", 9)]))
    assert run["counts"]["rejected"] == 1
    assert get(client, "/stores/1/offers/RH-1")["fields"] == []


def test_orders_name_what_there_is(client, feeds, deliver):
    send(client, "put", "/stores/1/sources", {"order": [feeds["Nord"], 99]}, 409)
    send(client, "put", "/stores/1/sources", {"fields": {"sku": [feeds["Nord"]]}}, 409)
    send(client, "put", "/stores/1/sources", {"fields": {"nothing": [feeds["Nord"]]}}, 409)
    rule(client, feeds)
    deliver("Ost", goods("O", [(1, "5,00", 9)]))
    send(client, "put", f"/removals/feed/{feeds['Ost']}")
    view = get(client, "/stores/1/sources")
    assert [f["name"] for f in view["feeds"] if f["removed"]] == ["a removed feed"]
    # A removed feed says nothing any more, and is in nobody's way.
    run = deliver("Nord", goods("N", [(2, "4,00", 5)]))
    assert run["counts"]["new"] == 1
    rule(client, feeds, order=("Nord", "Ost"))
