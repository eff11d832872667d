"""The range of a vendor of bicycle parts: what his list has stands apart from the store until it
is picked, by number, by filter, by a rule. In German, beside the demo's suppliers."""

import pytest

from tests.api.test_goods import receive
from tests.api.test_matching import crosswalk, draw, prepare
from tests.api.test_path import catalog, get, send

HEAD = "Artikel;Bezeichnung;Gruppe;EK;Bestand\n"
COLUMNS = {"sku": "Artikel", "name": "Bezeichnung", "category": "Gruppe", "cost": "EK",
           "stock": "Bestand"}  # fmt: skip
PARTS = ["Kette", "Ritzel", "Sattel", "Lenker"]


def row(n, cost="4,50", name=None):
    group = "Drawing > Inks" if n % 4 == 0 else "Brushes"
    return f"RH-{n:03d};{name or PARTS[n % 4] + ' ' + str(n)};{group};{cost};{n}\n"


def listing(numbers, **changed):
    return HEAD + "".join(row(n, **changed.get(f"v{n}", {})) for n in numbers)


@pytest.fixture
def vendor(client, work, once):
    """A feed that makes products only of picked articles, with 40 articles."""

    @once
    def begun():
        body = {"supplier": "Radhof", "name": "Liste"}
        feed = send(client, "post", "/stores/1/feeds", body, 201)["id"]
        receive(client, feed, "liste-1.csv", listing(range(40)).encode("cp1252"))
        document = crosswalk(COLUMNS, policy={"products": "picked"})
        document["fills"]["price"] = {"parts": [{"text": "9,90"}], "steps": [{"do": "number"}]}
        draw(client, feed, document)
        return feed

    return begun


def articles(client, feed, **asked):
    query = "&".join(f"{k}={v}" for k, v in asked.items())
    page = get(client, f"/feeds/{feed}/range/articles?limit=500&{query}")
    assert page["total"] == len(page["rows"])
    return [one["article"] for one in page["rows"]]


def pick(client, feed, **what):
    return send(client, "put", f"/feeds/{feed}/picks", what)


def apply(client, work, run):
    send(client, "post", f"/runs/{run['id']}/apply", status=202)
    work()
    assert get(client, f"/runs/{run['id']}")["status"] == "applied"


def counts(client, feed):
    return get(client, f"/feeds/{feed}/range")["counts"]


def test_thirty_of_forty_and_a_week_later_what_changed(client, work, vendor):
    assert get(client, f"/feeds/{vendor}/range")["run_id"] is None
    before, first = catalog(client), prepare(client, work, vendor)
    assert first["counts"]["left out"] == 40 and first["counts"]["rejected"] == 0
    view = get(client, f"/feeds/{vendor}/range")
    assert view["counts"] | {"all": 40, "not_in_store": 40, "picked": 0} == view["counts"]
    assert view["run_id"] == first["id"] and view["only_picked"] and not view["behind"]
    wanted = [f"RH-{n:03d}" for n in range(30)]
    done = pick(client, vendor, articles=[*wanted, " RH-003 ", "RH-999"])
    assert done == {"changed": 30, "articles": wanted, "unknown": ["RH-999"]}
    second = prepare(client, work, vendor)
    assert second["counts"]["new"] == 30 and second["counts"]["left out"] == 10
    apply(client, work, second)
    assert catalog(client).keys() - before.keys() == set(wanted)
    assert counts(client, vendor)["in_store"] == 30
    # A week later: one is dearer, an unpicked one, too; one is gone, two are new.
    later = [n for n in range(42) if n != 7]
    cheap = {"cost": "5,00"}
    receive(client, vendor, "liste-2.csv", listing(later, v3=cheap, v35=cheap).encode("cp1252"))
    assert get(client, f"/feeds/{vendor}/range")["behind"] == "liste-2.csv has come since"
    third = prepare(client, work, vendor)
    assert third["counts"] | {"changed": 1, "new": 0, "gone": 1, "left out": 12} == third["counts"]
    assert articles(client, vendor, group="changed") == ["RH-003", "RH-035"]
    assert articles(client, vendor, group="new") == ["RH-040", "RH-041"]
    assert articles(client, vendor, group="gone") == ["RH-007"]
    assert len(articles(client, vendor)) == 41, "what is gone stands among itself"
    assert get(client, f"/feeds/{vendor}/range")["before"] == "liste-1.csv"


def test_a_filter_picks_now_and_a_rule_goes_on(client, work, vendor):
    prepare(client, work, vendor)
    branch = {"category": "Drawing", "search": "kette"}
    assert articles(client, vendor, **branch) == [f"RH-{n:03d}" for n in range(0, 40, 4)]
    done = pick(client, vendor, shown=branch)
    assert done["changed"] == 10 and pick(client, vendor, shown=branch)["changed"] == 0
    assert pick(client, vendor, pick=False, articles=["RH-004", "RH-005"]) == {
        "changed": 1, "articles": ["RH-004"], "unknown": ["RH-005"]
    }  # fmt: skip
    rules = [{"search": "Sattel"}, {"category": "Drawing > Inks"}]
    assert send(client, "put", f"/feeds/{vendor}/picking", {"rules": rules}) == {"rules": []}
    assert counts(client, vendor)["picked"] == 20
    receive(client, vendor, "mehr.csv", listing(range(80)).encode("cp1252"))
    run = prepare(client, work, vendor)
    assert run["counts"]["new"] == 40 and run["counts"]["left out"] == 40
    send(client, "put", f"/feeds/{vendor}/picking", {"rules": [{}]}, 422)


def test_what_is_not_picked_asks_for_nothing_and_is_in_nobodys_way(client, work, vendor):
    """Its faults are not the store's; a row with the same key that is not picked takes none."""
    broken = HEAD + row(1) + row(2, cost="vier") + row(1, name="Noch eine") + ";Ohne;;1;1\n"
    receive(client, vendor, "kaputt.csv", broken.encode("cp1252"))
    run = prepare(client, work, vendor)
    assert run["counts"]["left out"] == 4, run["counts"]
    pick(client, vendor, articles=["RH-002"])
    run = prepare(client, work, vendor)
    assert run["counts"] | {"rejected": 1, "left out": 3} == run["counts"]
    assert articles(client, vendor, group="faulty") == ["RH-002"]
    page = get(client, f"/feeds/{vendor}/range/articles?sort=cost&descending=true")
    assert [one["values"]["cost"] for one in page["rows"]] == ["4.50", "4.50", "1.00", None]
    send(client, "get", f"/feeds/{vendor}/range/articles?sort=picture", status=404)
    assert page["rows"][2]["article"] is None and not page["rows"][2]["picked"]


def test_a_product_that_is_there_is_changed_whether_it_is_picked_or_not(client, work, vendor):
    pick_all = {"shown": {}}
    prepare(client, work, vendor)
    pick(client, vendor, **pick_all)
    apply(client, work, prepare(client, work, vendor))
    assert pick(client, vendor, pick=False, **pick_all)["changed"] == 40
    dear = {f"v{n}": {"cost": "6,00"} for n in range(40)}
    receive(client, vendor, "teurer.csv", listing(range(41), **dear).encode("cp1252"))
    run = prepare(client, work, vendor)
    assert run["counts"]["changed"] == 40 and run["counts"]["left out"] == 1


def test_what_the_feed_says_is_told_although_the_stores_own_stands(client, work, vendor):
    prepare(client, work, vendor)
    pick(client, vendor, articles=["RH-001"])
    apply(client, work, prepare(client, work, vendor))
    body = {"values": {"name": "Unser Ritzel"}, "saw": {"name": "Ritzel 1"}}
    send(client, "put", "/stores/1/products/RH-001", body)
    send(client, "put", "/stores/1/kept", {"key": "RH-001", "field": "name"})
    run = prepare(client, work, vendor)
    assert run["counts"]["same"] == 1
    found = get(client, f"/feeds/{vendor}/range/articles?search=ritzel 1")["rows"]
    assert [one["values"]["name"] for one in found][:1] == ["Ritzel 1"]
    csv = client.get(f"/api/v1/feeds/{vendor}/range.csv?group=in_store").data.decode("utf-8-sig")
    assert csv.splitlines()[1].startswith("2,RH-001,Ritzel 1,Brushes,4.50,9.90,1,RH-001,true,")


def test_a_rule_by_the_value_of_a_field_goes_on_picking(client, work, vendor):
    prepare(client, work, vendor)
    value = {"field": "name", "value": "sattel 2"}
    assert articles(client, vendor, **value) == ["RH-002"]
    rule = {"field": "cost", "value": "5.00"}
    send(client, "put", f"/feeds/{vendor}/picking", {"rules": [rule]})
    assert counts(client, vendor)["picked"] == 0
    dear = listing(range(40), v3={"cost": "5,00"}, v7={"cost": "5"})
    receive(client, vendor, "teurer.csv", dear.encode("cp1252"))
    assert prepare(client, work, vendor)["counts"]["new"] == 2
    assert articles(client, vendor, group="picked") == ["RH-003", "RH-007"]
    send(client, "put", f"/feeds/{vendor}/picking", {"rules": [rule | {"field": "farbton"}]}, 404)
    send(client, "put", f"/feeds/{vendor}/picking", {"rules": [{"field": "name"}]}, 422)


def test_a_run_of_picked_articles_alone_touches_no_other(client, work, vendor):
    prepare(client, work, vendor)
    pick(client, vendor, articles=["RH-001", "RH-002"])
    apply(client, work, prepare(client, work, vendor))
    pick(client, vendor, pick=False, articles=["RH-002"])
    cheap = listing(range(1, 40), v1={"cost": "3,00"}, v2={"cost": "3,00"})
    receive(client, vendor, "billiger.csv", cheap.encode("cp1252"))
    run = send(client, "post", f"/feeds/{vendor}/runs?picked=true", status=201)
    work()
    found = get(client, f"/runs/{run['id']}")
    assert found["picked_rows"]
    assert found["counts"] | {"changed": 1, "left out": 38, "gone": 0} == found["counts"]
    apply(client, work, run)
    store = catalog(client)
    assert (store["RH-001"]["cost"], store["RH-002"]["cost"]) == ("3.00", "4.50")
    # It is none of the whole list: that is still to come.
    assert get(client, f"/feeds/{vendor}/range")["behind"] == "billiger.csv has come since"
