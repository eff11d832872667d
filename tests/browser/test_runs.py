"""The way back, in the interface: a value written by hand and undone, a run taken back beside what
a person wrote since, that undone, and a run that is stopped."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from nomotax.core.schema.table_schema import to_descriptor
from tests.api.test_four_files import SCHEMA

pytestmark = pytest.mark.browser

FIRST = "Code;Title;Cost;Weight\nH-1;Claw hammer;10.00;0.5\nH-2;Sledge;32.00;3.6\n"
SECOND = FIRST.replace("10.00", "11.00").replace("32.00", "33.00") + "S-1;Pocket saw;7.99;0.2\n"


def sender(page: Page, address: str):
    """What asks the server, and takes no refusal."""

    def sent(method, path, **body):
        answer = getattr(page.request, method)(f"{address}/api/v1{path}", **body)
        assert answer.ok, answer.text()
        return answer.json()

    return sent


@pytest.fixture
def workshop(page: Page, installation):
    """A store with two deliveries of a feed applied; its path, and the second run's."""
    sent = sender(page, installation.address)
    file = {"name": "schema.json", "mimeType": "application/json",
            "buffer": to_descriptor_bytes()}  # fmt: skip
    store = sent("post", "/stores", multipart={"name": "Way back", "file": file})["id"]
    feed = sent("post", f"/stores/{store}/feeds", data={"supplier": "Anvil", "name": "List"})["id"]
    runs = []
    for number, text in enumerate((FIRST, SECOND)):
        upload = {"name": f"{number}.csv", "mimeType": "text/csv", "buffer": text.encode()}
        sent("post", f"/feeds/{feed}/deliveries", multipart={"file": upload})
        bench = sent("get", f"/feeds/{feed}/bench")
        for column in ("Code", "Title", "Cost", "Weight"):
            made = sent("get", f"/feeds/{feed}/fill?field={column.lower()}&column={column}")["fill"]
            settled = [{**a, "state": "confirmed"} for a in made["assumptions"]]
            bench["crosswalk"]["fills"][column.lower()] = made | {"assumptions": settled}
        draft = {"crosswalk": bench["crosswalk"], "revision": bench["revision"]}
        sent("put", f"/feeds/{feed}/draft", data=draft)
        run = sent("post", f"/feeds/{feed}/runs")["id"]
        runs.append(run)
        page.goto(f"{installation.address}/s/{store}/runs/{run}")
        page.get_by_role("button", name=re.compile("^Apply to")).click()
        expect(page.get_by_text("applied to the catalog")).to_be_visible()
    return f"{installation.address}/s/{store}", runs[1]


def to_descriptor_bytes() -> bytes:
    import json

    return json.dumps(to_descriptor(SCHEMA)).encode()


def cost_of(page: Page, store: str, key: str, cost: str) -> None:
    page.goto(f"{store}/catalog/{key}")
    record = page.get_by_role("region", name="Record")
    expect(record.get_by_title("Change Cost, and where it comes from")).to_have_text(cost)


def test_by_hand_undone_and_a_run_taken_back_beside_it(page: Page, workshop) -> None:
    store, second = workshop
    cost_of(page, store, "H-1", "11.00")
    record = page.get_by_role("region", name="Record")
    record.get_by_title("Change Cost, and where it comes from").click()
    record.get_by_label("Value of Cost").fill("12,5 EUR?")
    record.get_by_role("button", name="Write", exact=True).click()
    expect(page.get_by_text(re.compile("no number"))).to_be_visible()
    record.get_by_label("Value of Cost").fill("12.5")
    page.keyboard.press("Enter")
    expect(record.get_by_text(re.compile("^By hand"))).to_be_visible()
    cost_of(page, store, "H-1", "12.50")

    page.goto(f"{store}/runs/{second}")
    page.get_by_role("button", name="Undo this run").click()
    expect(page.get_by_text("takes back")).to_be_visible()
    page.get_by_role("tab", name="1 stays").click()
    expect(page.get_by_text(re.compile("Cost stays as run"))).to_be_visible()
    page.get_by_role("button", name="Changes of H-1").click()
    expect(page.get_by_text("stays instead of 10.00")).to_be_visible()
    page.get_by_role("button", name="Take back 2 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    undo = page.url.split("?")[0]
    cost_of(page, store, "H-1", "12.50")
    cost_of(page, store, "H-2", "32.00")
    page.goto(f"{store}/catalog/S-1")
    expect(page.get_by_text("There is no product 'S-1'")).to_be_visible()

    page.goto(f"{store}/runs")
    page.get_by_role("row").filter(has_text="By hand").get_by_role("link").click()
    page.get_by_role("button", name="Undo this run").click()
    page.get_by_role("button", name="Take back 1 product").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    cost_of(page, store, "H-1", "10.00")

    page.goto(undo)
    page.get_by_role("button", name="Undo this run").click()
    page.get_by_role("button", name="Take back 3 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    for key, cost in (("H-1", "11.00"), ("H-2", "33.00"), ("S-1", "7.99")):
        cost_of(page, store, key, cost)
    expect(page.get_by_text(re.compile("taken back by run"))).to_have_count(0)


def test_a_stopped_run_says_so(page: Page, workshop, installation) -> None:
    store, second = workshop
    ask, api = page.request, f"{installation.address}/api/v1"
    feed = ask.get(f"{api}/runs/{second}").json()["feed_id"]
    # A worker may be quicker than the stop: such a run is prepared, and another one is tried.
    for _ in range(20):
        run = ask.post(f"{api}/feeds/{feed}/runs").json()["id"]
        ask.post(f"{api}/runs/{run}/stop")
        while (state := ask.get(f"{api}/runs/{run}").json()["status"]) in ("queued", "preparing"):
            page.wait_for_timeout(50)
        if state == "stopped":
            break
    page.goto(f"{store}/runs/{run}")
    expect(page.get_by_text("stopped; nothing was changed")).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("Apply|Stop|Undo"))).to_have_count(0)


def test_an_undo_is_decided_and_a_snapshot_restored(page: Page, workshop) -> None:
    store, second = workshop
    page.goto(f"{store}/catalog")
    page.get_by_role("link", name="Snapshots").click()
    page.get_by_role("button", name="Take a snapshot").click()
    expect(page.get_by_role("row").filter(has_text="by hand")).to_contain_text("3")
    expect(page.get_by_role("button", name="Restore …")).to_be_visible()

    cost_of(page, store, "H-1", "11.00")
    record = page.get_by_role("region", name="Record")
    record.get_by_title("Change Cost, and where it comes from").click()
    record.get_by_label("Value of Cost").fill("12.5")
    page.keyboard.press("Enter")
    expect(record.get_by_text(re.compile("^By hand"))).to_be_visible()
    record.get_by_role("combobox", name="State").click()
    page.get_by_role("option", name="hidden").click()
    expect(record.get_by_text("live → hidden")).to_be_visible()

    page.goto(f"{store}/runs/{second}")
    page.get_by_role("button", name="Undo this run").click()
    page.get_by_role("tab", name="1 stays").click()
    page.get_by_role("button", name="Changes of H-1").click()
    page.get_by_role("button", name="Put 10.00 back").click()
    expect(page.get_by_role("tab", name="0 stays")).to_be_visible()
    page.get_by_role("button", name="Take back 3 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    cost_of(page, store, "H-1", "10.00")

    page.goto(f"{store}/snapshots")
    page.get_by_role("button", name="Restore …").click()
    expect(page.get_by_text("hidden → live")).to_be_visible()
    page.get_by_role("tab", name="1 put back").click()
    expect(page.get_by_text("Pocket saw")).to_be_visible()
    page.get_by_role("button", name="Restore 3 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    for key, cost in (("H-1", "11.00"), ("H-2", "33.00"), ("S-1", "7.99")):
        cost_of(page, store, key, cost)
    expect(page.get_by_role("combobox", name="State")).to_have_text("live")
    page.goto(f"{store}/catalog?state=hidden")
    expect(page.get_by_text("No products here")).to_be_visible()


def test_what_a_feed_no_longer_brings_is_hidden_and_comes_back(page: Page, workshop):
    """Chosen on the bench in words, seen before it is done, and put back by the next delivery."""
    store, second = workshop
    feed = page.request.get(f"{store.split('/s/')[0]}/api/v1/runs/{second}").json()["feed_id"]

    def deliver(text: str) -> None:
        upload = {"name": "next.csv", "mimeType": "text/csv", "buffer": text.encode()}
        api = f"{store.split('/s/')[0]}/api/v1"
        answer = page.request.post(f"{api}/feeds/{feed}/deliveries", multipart={"file": upload})
        assert answer.ok, answer.text()
        page.goto(f"{store}/feeds/{feed}/bench")

    deliver(FIRST)
    may_do = page.get_by_role("button", name=re.compile("^This feed"))
    expect(may_do).to_contain_text("makes and changes products")
    may_do.click()
    page.get_by_label("Products it no longer brings").click()
    page.get_by_role("option", name="are hidden").click()
    page.keyboard.press("Escape")
    expect(may_do).to_contain_text("missing ones are hidden")
    page.get_by_role("button", name="Prepare", exact=True).click()
    page.get_by_role("tab", name="gone").click()
    expect(page.get_by_text("not in this delivery; it is hidden")).to_be_visible()
    page.get_by_text("Pocket saw").click()
    expect(page.get_by_label("The product's changes")).to_contain_text("live → hidden")
    page.get_by_role("button", name="Apply to 3 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    page.goto(f"{store}/catalog/S-1")
    expect(page.get_by_text("hidden").first).to_be_visible()
    deliver(SECOND)
    page.get_by_role("button", name="Prepare", exact=True).click()
    page.get_by_role("button", name=re.compile("^Apply to")).click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    page.goto(f"{store}/catalog/S-1")
    expect(page.get_by_text("hidden → live")).to_be_visible()
