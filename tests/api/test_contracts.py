"""The contract of a feed: drafted from its deliveries, told to the supplier, kept or broken. Screws
of a Swedish trade, beside the demo's paints."""

import json

import pytest
from click.testing import CliRunner

from nomotax.cli.main import main
from nomotax.records.database import session
from nomotax.records.repositories import Feeds
from tests.api.test_matching import crosswalk, draw
from tests.api.test_path import get, send
from tests.api.test_ranges import apply, prepare
from tests.api.test_reading import upload

HEAD = "Artnr;Benämning;Enhet;Pris;Lager"


def rows(week, many=60, price="{},{:02d}"):
    made = [HEAD]
    for n in range(many):
        cost = price.format(10 + n, (n + week) % 100)
        made.append(f"JV-{n:05d};Skruv {n};{('st', 'kg')[n % 2]};{cost};{(n * week) % 90}")
    return "\n".join([*made, ""]).encode("cp1252")


@pytest.fixture
def feed(client):
    """Three weeks of screws."""
    body = {"supplier": "Järnia Väst", "name": "Skruv"}
    made = send(client, "post", "/stores/1/feeds", body, 201)["id"]
    for week in (1, 2, 3):
        upload(client, made, rows(week), f"v{week}.csv")
    return made


@pytest.fixture
def contract(client, feed):
    """As drafted."""
    found = get(client, f"/feeds/{feed}/contract/draft")
    assert found["deliveries"] == 3
    kept = send(client, "put", f"/feeds/{feed}/contract", {"contract": found["contract"]})
    assert kept["breaches"] == [] and kept["file_name"] == "v3.csv"
    return found["contract"]


def line(client, feed):
    found = get(client, "/stores/1/arrivals")["feeds"]
    return next(one for one in found if one["id"] == feed)


def test_a_draft_is_what_the_last_deliveries_kept_and_is_not_kept_by_itself(client, feed):
    assert get(client, f"/feeds/{feed}/contract") | {"delivery_id": 0} == {
        "contract": None, "file": [], "columns": [], "delivery_id": 0, "file_name": "v3.csv",
        "breaches": [],
    }  # fmt: skip
    found = get(client, f"/feeds/{feed}/contract/draft")["contract"]
    assert found["title"] == "Järnia Väst: Skruv" and found["rows"]["least"] == 42
    price = next(one for one in found["fields"] if one["name"] == "Pris")
    assert (price["type"], price["decimalChar"]) == ("number", ",")
    assert get(client, f"/feeds/{feed}/contract")["contract"] is None
    empty = send(client, "post", "/stores/1/feeds", {"supplier": "A", "name": "B"}, 201)["id"]
    refused = client.get(f"/api/v1/feeds/{empty}/contract/draft")
    assert refused.status_code == 409 and "Bring one" in refused.json["remedy"]


def test_each_delivery_is_held_against_it(client, feed, contract):
    upload(client, feed, rows(4), "v4.csv")
    assert line(client, feed)["deliveries"][0]["breaches"] == 0
    upload(client, feed, rows(5, price="{}.{:02d} kr"), "v5.csv")
    newest = line(client, feed)["deliveries"][0]
    assert newest["breaches"] == 1
    (one,) = get(client, f"/deliveries/{newest['id']}/unusual")["breaches"]
    assert (one["kind"], one["column"], one["rows"], one["row"]) == ("type", "Pris", 60, 1)
    assert one["said"] == (
        "In 'Pris' 60 cells are no numbers with a decimal comma, as “10.05 kr” in row 1."
    )
    assert get(client, f"/feeds/{feed}/contract")["breaches"] == [one]
    # What is agreed anew is what the newest is held against at once.
    price = next(c for c in contract["fields"] if c["name"] == "Pris")
    price |= {"decimalChar": ".", "bareNumber": False}
    kept = send(client, "put", f"/feeds/{feed}/contract", {"contract": contract})
    assert kept["breaches"] == []
    gone = send(client, "put", f"/feeds/{feed}/contract", {"contract": None})
    assert gone["contract"] is None and line(client, feed)["deliveries"][0]["breaches"] == 0


def test_a_guard_holds_the_run_of_a_file_that_breaks_it(client, work, feed, contract):
    """Not for one row of many: that one waits or is refused by itself."""
    columns = {"sku": "Artnr", "name": "Benämning", "cost": "Pris", "stock": "Lager"}
    document = crosswalk(columns)
    document["fills"]["category"] = {"parts": [{"text": "Brushes"}]}
    document["fills"]["price"] = {"parts": [{"text": "9,90"}], "steps": [{"do": "number"}]}
    draw(client, feed, document)
    apply(client, work, prepare(client, work, feed))

    def held():
        run = prepare(client, work, feed)
        told = get(client, f"/runs/{run['id']}/decisions")["findings"]
        return [one["said"] for one in told if one["kind"] == "contract_broken"]

    upload(client, feed, rows(4).replace(b"10,04", b"p\xe5 f\xf6rfr\xe5gan", 1), "v4.csv")
    assert line(client, feed)["deliveries"][0]["breaches"] == 1
    assert held() == [
        "In 'Pris' 1 cell is no number with a decimal comma, as “på förfrågan” in row 1"
    ]
    guards = get(client, f"/feeds/{feed}/guards")["guards"]
    loose = [g | {"limit": "5"} if g["kind"] == "contract_broken" else g for g in guards]
    send(client, "put", f"/feeds/{feed}/guards", {"guards": loose})
    assert held() == []
    upload(client, feed, rows(5).replace(b"Enhet", b"Enh"), "v5.csv")
    assert held() == ["The column 'Enhet' is missing"]


def test_the_supplier_is_told_as_a_page_and_as_a_table_schema(client, feed, contract):
    contract["description"] = "Skicka <snart>."
    send(client, "put", f"/feeds/{feed}/contract", {"contract": contract})
    page = client.get(f"/api/v1/feeds/{feed}/contract.html")
    assert page.mimetype == "text/html" and "<script" not in page.text
    for said in ("Järnia Väst: Skruv", "Its 5 columns", "Skicka &lt;snart&gt;.",
                 "A number with a decimal comma, as 1234,50; 0 or more; never empty.",
                 "It has at least 42 rows.", "its letters encoded as cp1252"):  # fmt: skip
        assert said in page.text
    told = client.get(f"/api/v1/feeds/{feed}/contract.json").json
    assert [one["name"] for one in told["fields"]] == HEAD.split(";")
    other = send(client, "post", "/stores/1/feeds", {"supplier": "A", "name": "B"}, 201)["id"]
    refused = client.get(f"/api/v1/feeds/{other}/contract.html")
    assert refused.status_code == 404 and refused.json["remedy"]


def test_a_contract_that_is_none_is_refused(client, feed):
    for fields in ([], [{"name": "a", "constraints": {"pattern": "("}}]):
        body = {"contract": {"fields": fields}}
        answer = client.put(f"/api/v1/feeds/{feed}/contract", json=body)
        assert answer.status_code == 422 and answer.json["where"]
    assert get(client, f"/feeds/{feed}/contract")["contract"] is None


def check(*words):
    done = CliRunner().invoke(main, ["check", *map(str, words)])
    return done.exit_code, done.output


def test_a_file_is_checked_alone(client, feed, contract, tmp_path):
    made = tmp_path / "c.json"
    made.write_bytes(client.get(f"/api/v1/feeds/{feed}/contract.json").data)
    file = tmp_path / "v9.csv"
    file.write_bytes(rows(9))
    assert check(file, "--contract", made) == (0, "v9.csv keeps the contract: 60 rows.\n")
    file.write_bytes(rows(9, many=30).replace(b"Lager", b"lager"))
    code, said = check(file, "--contract", made)
    assert code == 1 and "'lager' is there, written otherwise" in said and "30 rows" in said
    code, said = check(file, "--contract", made, "--json")
    told = json.loads(said)
    assert (code, told["rows"], told["keeps"]) == (1, 30, False)
    assert [one["kind"] for one in told["breaches"]] == ["rows_few", "column_missing"]


@pytest.mark.parametrize(
    ("file", "document", "says"),
    [("nothing.csv", '{"fields": [{"name": "a"}]}', "no such file"), ("c.json", "{", "no contract"),
     ("c.json", '{"fields": [{"name": "a", "type": "array"}]}', "fields.0.type")],
)  # fmt: skip
def test_what_cannot_be_checked_is_told(tmp_path, file, document, says):
    made = tmp_path / "c.json"
    made.write_text(document)
    code, said = check(tmp_path / file, "--contract", made)
    assert code == 2 and says in said


def test_one_that_was_kept_when_less_was_asked_is_read_as_it_is(client, feed):
    """Bounds that nothing keeps are refused now; a feed that has some goes on, and says so."""
    crossed = {"fields": [{"name": "Pris", "type": "number", "decimalChar": ",",
                           "constraints": {"minimum": "9", "maximum": "1"}}]}  # fmt: skip
    refused = client.put(f"/api/v1/feeds/{feed}/contract", json={"contract": crossed})
    assert refused.status_code == 422 and "nothing is at least 9" in refused.json["detail"]
    with session() as db:
        Feeds(db, 1).get(feed).contract = crossed
    made = upload(client, feed, rows(4), "v4.csv")
    assert made["status"] == "waiting"
    told = get(client, f"/feeds/{feed}/contract")
    assert {one["kind"] for one in told["breaches"]} == {"maximum"}
