"""What feeds may do, in the interface: thirty of four hundred articles picked, and what changed a
week later; an offer that takes over and gives back; stock of three suppliers; new products alone; a
price from tomorrow on."""

from __future__ import annotations

import json
import re
from datetime import date, timedelta

import pytest
from playwright.sync_api import Page, expect

from nomotax.core.schema.model import StoreSchema
from nomotax.core.schema.table_schema import to_descriptor
from tests.api.test_four_files import SCHEMA
from tests.browser.test_runs import sender

pytestmark = pytest.mark.browser

COLUMNS = {"code": "No", "title": "What", "cost": "Net"}


def listing(numbers, dear=()):
    rows = (f"R-{n:03d};Rope {n} mm;{n % 40 + (2 if n in dear else 1)}.50\n" for n in numbers)
    return "No;What;Net\n" + "".join(rows)


@pytest.fixture
def chandler(page: Page, installation):
    """A store of its own; gives what makes a feed of it and what sends a file to one, and where
    its places are."""
    sent = sender(page, installation.address)

    def deliver(feed, text):
        upload = {"name": "list.csv", "mimeType": "text/csv", "buffer": text.encode()}
        sent("post", f"/feeds/{feed}/deliveries", multipart={"file": upload})

    def feed(supplier, text, columns=COLUMNS, **more):
        about = {"supplier": supplier, "name": "List"}
        made = sent("post", f"/stores/{store}/feeds", data=about)["id"]
        deliver(made, text)
        fills = {f: {"parts": [{"column": c}]} for f, c in columns.items()}
        for name in {"cost", "stock"} & fills.keys():
            fills[name]["steps"] = [{"do": "number"}]
        revision = sent("get", f"/feeds/{made}/bench")["revision"]
        draft = {"crosswalk": {"fills": fills} | more, "revision": revision}
        sent("put", f"/feeds/{made}/draft", data=draft)
        return made

    stocked = SCHEMA.model_dump(mode="json")
    stocked["fields"].append(
        {"name": "stock", "title": "Stock", "kind": "integer", "role": "stock"}
    )
    document = json.dumps(to_descriptor(StoreSchema.model_validate(stocked))).encode()
    file = {"name": "s.json", "mimeType": "application/json", "buffer": document}
    store = sent("post", "/stores", multipart={"name": "Ropery", "file": file})["id"]
    return feed, deliver, f"{installation.address}/s/{store}"


def prepare(page: Page, place: str, feed: int) -> None:
    page.goto(f"{place}/feeds/{feed}/range")
    page.get_by_role("button", name="Prepare", exact=True).click()
    page.wait_for_url(re.compile(r"/runs/\d+"))
    expect(page.get_by_text(re.compile("prepared"))).to_be_visible(timeout=20_000)


def apply(page: Page, place: str, feed: int) -> None:
    prepare(page, place, feed)
    page.get_by_role("button", name=re.compile("^Apply to")).click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible(timeout=20_000)


def test_thirty_of_four_hundred_are_picked_and_a_week_later_what_changed(page: Page, chandler):
    feed, deliver, place = chandler
    own = feed("Ropery", listing(range(400)), policy={"products": "picked"})
    page.goto(f"{place}/feeds/{own}/range")
    expect(page.get_by_text("The range is not filled yet")).to_be_visible()
    prepare(page, place, own)
    page.goto(f"{place}/feeds/{own}/range")
    expect(page.get_by_role("tab", name="400 articles")).to_be_visible()
    page.get_by_role("checkbox", name="Pick R-007").check()
    page.get_by_role("button", name="Paste numbers").click()
    page.get_by_role("textbox", name="Article numbers").fill(
        "\n".join(f"R-{n:03d}" for n in range(100, 119)) + "\nX-1"
    )
    page.get_by_role("button", name="Pick 20 articles").click()
    expect(page.get_by_text("19 articles picked; the range does not have X-1")).to_be_visible()
    page.get_by_label("Search in the range").fill("rope 39")
    page.get_by_role("button", name="Pick 11 articles").click()
    expect(page.get_by_role("tab", name="31 picked")).to_be_visible()
    page.keyboard.press("Escape")
    once = page.get_by_role("checkbox", name="Pick R-039")
    expect(once).to_be_checked()
    once.click()
    expect(once).not_to_be_checked()
    expect(page.get_by_role("tab", name="30 picked")).to_be_visible()
    apply(page, place, own)
    expect(page.get_by_text("30 new")).to_be_visible()

    deliver(own, listing([n for n in range(1, 402) if n != 110], dear=(7, 8, 105)))
    apply(page, place, own)
    page.goto(f"{place}/feeds/{own}/range?group=changed")
    for said in ("3 changed", "2 new", "2 gone", "29 in the store"):
        expect(page.get_by_role("tab", name=said)).to_be_visible()
    expect(page.get_by_role("link", name="R-105")).to_be_visible()
    expect(page.get_by_role("checkbox", name="Pick R-008")).not_to_be_checked()
    page.goto(f"{place}/catalog/R-105")
    expect(page.get_by_text("27.50").first).to_be_visible()


def test_a_second_suppliers_offer_takes_over_and_gives_back(page: Page, chandler):
    feed, deliver, place = chandler
    north = "No;What;Net\nR-1;Rope;4.00\nR-2;Cord;6.00\n"
    first, second = feed("North", north), feed("East", north.replace("6.00", "5.00"))
    page.goto(f"{place}/schema?view=sources")
    for who in ("North: List", "East: List"):
        page.get_by_role("combobox", name=re.compile("^(First|Then)")).click()
        page.get_by_role("option", name=who).click()
        expect(page.get_by_role("button", name=f"Move {who} up")).to_be_visible()
    page.get_by_role("combobox", name="A product goes by").click()
    page.get_by_role("option", name="the cheapest of them").click()
    expect(page.get_by_text("with freight or duty")).to_be_visible()
    apply(page, place, first)
    apply(page, place, second)
    page.goto(f"{place}/catalog/R-2")
    offers = page.get_by_role("table", name="What each feed says")
    goes_by = offers.get_by_role("columnheader", name=re.compile("East.*the product goes by it"))
    expect(goes_by).to_be_visible()
    expect(page.get_by_role("region", name="Record").get_by_text("5.00").first).to_be_visible()

    deliver(second, "No;What;Net\nR-1;Rope;4.00\n")
    prepare(page, place, second)
    expect(page.get_by_text("the offer of North: List holds").first).to_be_visible()
    page.get_by_role("button", name=re.compile("^Apply to")).click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    page.goto(f"{place}/catalog/R-2")
    expect(page.get_by_role("region", name="Record").get_by_text("6.00").first).to_be_visible()


def stock_of(page: Page, place: str, key: str, stock: str) -> None:
    page.goto(f"{place}/catalog/{key}")
    shown = page.get_by_role("region", name="Record").get_by_title(
        "Change Stock, and where it comes"
    )
    expect(shown).to_have_text(stock)


def test_a_stock_file_over_three_suppliers_and_one_that_is_missing(page: Page, chandler) -> None:
    feed, deliver, place = chandler
    columns = COLUMNS | {"stock": "Qty"}
    lists = {
        who: "No;What;Net;Qty\n" + "".join(f"{who}-{n};Rope;4.00;1\n" for n in (1, 2))
        for who in ("NO", "EA", "WE")
    }
    feeds = {who: feed(who, text, columns) for who, text in lists.items()}
    for one in feeds.values():
        apply(page, place, one)
    depot = "No;Qty\nNO-1;11\nEA-1;12\nWE-1;13\nXX-1;9\n"
    may = {"products": "change", "others": "change"}
    apply(page, place, feed("Depot", depot, {"code": "No", "stock": "Qty"}, policy=may))
    for tab in ("3 changed", "1 rejected"):
        expect(page.get_by_role("tab", name=tab)).to_be_visible()
    for key, stock in (("NO-1", "11"), ("EA-1", "12"), ("WE-1", "13"), ("WE-2", "1")):
        stock_of(page, place, key, stock)

    page.goto(f"{place}/feeds/{feeds['NO']}/bench")
    may_do = page.get_by_role("button", name=re.compile("^This feed"))
    may_do.click()
    page.get_by_label("Products it no longer brings").click()
    page.get_by_role("option", name="get stock 0").click()
    page.keyboard.press("Escape")
    expect(may_do).to_contain_text("missing ones get stock 0")
    deliver(feeds["NO"], "No;What;Net;Qty\nNO-2;Rope;4.00;1\n")
    prepare(page, place, feeds["NO"])
    page.get_by_role("tab", name="1 gone").click()
    expect(page.get_by_text("not in this delivery; its stock becomes 0")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Apply to")).click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    stock_of(page, place, "NO-1", "0")
    deliver(feeds["NO"], lists["NO"])
    apply(page, place, feeds["NO"])
    stock_of(page, place, "NO-1", "1")


def test_new_products_alone_and_a_trial_of_five(page: Page, chandler) -> None:
    feed, deliver, place = chandler
    own = feed("Ropery", listing(range(20)))
    page.goto(f"{place}/feeds/{own}/bench")
    page.get_by_role("button", name="Some rows, or from a day").click()
    page.get_by_label("To row").fill("5")
    page.get_by_role("button", name="Prepare this").click()
    page.get_by_role("button", name="Apply to 5 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()

    page.goto(f"{place}/feeds/{own}/bench")
    may_do = page.get_by_role("button", name=re.compile("^This feed"))
    may_do.click()
    page.get_by_label("This feed", exact=True).click()
    page.get_by_role("option", name="only makes new products").click()
    page.keyboard.press("Escape")
    expect(may_do).to_contain_text("only makes new products")
    deliver(own, listing(range(20), dear=(2, 3)))
    apply(page, place, own)
    for tab in ("15 new", "5 left out", "0 changed"):
        expect(page.get_by_role("tab", name=tab)).to_be_visible()


def test_a_price_holds_from_tomorrow_and_the_old_one_until_then(page: Page, chandler) -> None:
    feed, _, place = chandler
    apply(page, place, feed("Ropery", "No;What;Net\nR-1;Rope;4.00\n"))
    page.goto(f"{place}/catalog/R-1")
    record = page.get_by_role("region", name="Record")
    record.get_by_title("Change Cost, and where it comes from").click()
    record.get_by_label("Value of Cost").fill("4.75")
    day = (date.today() + timedelta(days=1)).isoformat()
    record.get_by_label("Day from which Cost holds").fill(day)
    record.get_by_role("button", name="Have it wait").click()
    expect(page.get_by_text("4.75").first).to_be_visible()
    expect(record.get_by_title("Change Cost, and where it comes from")).to_have_text("4.00")


def test_a_list_holds_from_a_day_and_what_is_declined_by_keyboard_does_not(page: Page, chandler):
    feed, deliver, place = chandler
    own = feed("Ropery", listing(range(12)))
    apply(page, place, own)
    deliver(own, listing(range(13), dear=(1, 2, 3)))
    page.goto(f"{place}/feeds/{own}/bench")
    page.get_by_role("button", name="Some rows, or from a day").click()
    page.get_by_role("radio", name="13 rows").check()
    day = date.today() + timedelta(days=2)
    page.get_by_label("Prices hold from").fill(day.isoformat())
    page.get_by_role("button", name="Prepare this").click()
    expect(page.get_by_text("3 values wait for their day")).to_be_visible(timeout=20_000)
    page.get_by_label("3 changed rows").focus()
    for key in ("ArrowDown", "ArrowDown", "d"):
        page.keyboard.press(key)
    expect(page.get_by_role("region", name="Decided").get_by_text("not R-002")).to_be_visible()
    page.get_by_role("button", name="Apply to 3 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible(timeout=20_000)
    page.goto(f"{place}/runs")
    waiting = page.get_by_role("list", name="Waiting for their day")
    expect(waiting.get_by_role("listitem")).to_have_count(2)
    expect(waiting.get_by_text("3.50")).to_have_count(1)
    page.get_by_role("link", name="Rope 1 mm").click()
    expect(page.get_by_role("region", name="Prices over time").get_by_text("waits")).to_be_visible()
