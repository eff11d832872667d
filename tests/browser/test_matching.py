"""Who is who, in the interface: a list that names products otherwise finds them by what is chosen,
one that is ambiguous and one that is unpaired are decided, and the next list knows it."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_runs import sender, to_descriptor_bytes

pytestmark = pytest.mark.browser

OWN = (
    "Code;Title;Barcode;Cost\nH-1;Claw hammer;4006381333931;10.00\nH-2;Sledge;;32.00\n"
    "H-3;Sledge;;41.00\n"
)
LIST = "No;What;EAN;Net\n71;Hammer, claw;4006381333931;9.00\n72;Sledge;;30.00\n73;Anvil;;99.00\n"


@pytest.fixture
def toolmart(page: Page, installation):
    """The address of a feed that completes the products of another one."""
    sent = sender(page, installation.address)

    def feed(store, supplier, text, columns, **more):
        made = sent("post", f"/stores/{store}/feeds", data={"supplier": supplier, "name": "List"})
        upload = {"name": "list.csv", "mimeType": "text/csv", "buffer": text.encode()}
        sent("post", f"/feeds/{made['id']}/deliveries", multipart={"file": upload})
        fills = {f: {"parts": [{"column": c}]} for f, c in columns.items()}
        fills["cost"]["steps"] = [{"do": "number"}]
        revision = sent("get", f"/feeds/{made['id']}/bench")["revision"]
        draft = {"crosswalk": {"fills": fills} | more, "revision": revision}
        sent("put", f"/feeds/{made['id']}/draft", data=draft)
        return made["id"]

    file = {"name": "s.json", "mimeType": "application/json", "buffer": to_descriptor_bytes()}
    store = sent("post", "/stores", multipart={"name": "Who is who", "file": file})["id"]
    place = f"{installation.address}/s/{store}"
    columns = {"code": "Code", "title": "Title", "barcode": "Barcode", "cost": "Cost"}
    run = sent("post", f"/feeds/{feed(store, 'Anvil', OWN, columns)}/runs")["id"]
    page.goto(f"{place}/runs/{run}")
    page.get_by_role("button", name="Apply to 3 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    columns = {"title": "What", "barcode": "EAN", "cost": "Net"}
    policy = {"products": "change", "others": "change"}
    own = feed(store, "Toolmart", LIST, columns, policy=policy)
    return f"{place}/feeds/{own}"


def groups(page: Page, *said: str) -> None:
    for one in said:
        expect(page.get_by_role("tab", name=one)).to_be_visible()


def test_an_ambiguous_and_an_unpaired_article_are_decided(page: Page, toolmart) -> None:
    page.goto(f"{toolmart}/matching")
    groups(page, "3 find none")
    for way in ("Barcode", "Title"):
        page.get_by_role("button", name="Another way").click()
        page.get_by_role("checkbox", name=way, exact=True).check()
        page.get_by_role("button", name="Use this").click()
        expect(page.get_by_role("button", name=f"Not by {way}")).to_be_visible()
    groups(page, "1 find several", "1 find none", "1 find one")
    page.get_by_role("combobox", name="Column with the supplier's own number").click()
    page.get_by_role("option", name="No", exact=True).click()

    page.get_by_role("tab", name="1 find several").click()
    page.get_by_role("article", name="Row 2: 72 Sledge").focus()
    page.keyboard.press("2")
    groups(page, "0 find several", "2 find one")
    page.keyboard.press("Control+z")
    groups(page, "1 find several", "1 find one")
    page.get_by_role("button", name="Pair with H-3").click()
    groups(page, "2 find one")
    page.get_by_role("tab", name="1 find none").click()
    page.get_by_role("article", name="Row 3: 73 Anvil").focus()
    page.keyboard.press("o")
    groups(page, "0 find none", "1 left out")
    page.get_by_role("button", name="2 articles are decided").click()
    decided = page.get_by_role("list", name="Articles")
    expect(decided.get_by_role("listitem")).to_have_count(2)
    expect(decided).to_contain_text("72 is H-3")

    page.get_by_role("button", name="Prepare", exact=True).click()
    page.get_by_role("button", name="Apply to 2 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    groups(page, "2 changed", "1 left out")
    for key, cost in (("H-1", "9.00"), ("H-2", "32.00"), ("H-3", "30.00")):
        page.goto(f"{toolmart.split('/feeds')[0]}/catalog/{key}")
        expect(page.get_by_title("Change Cost, and where it comes from")).to_have_text(cost)

    # The next list knows what was decided.
    later = LIST.replace("30.00", "31.00").encode()
    upload = {"name": "next.csv", "mimeType": "text/csv", "buffer": later}
    api = re.sub(r"/s/\d+/feeds", "/api/v1/feeds", toolmart)
    assert page.request.post(f"{api}/deliveries", multipart={"file": upload}).ok
    page.goto(f"{toolmart}/matching?group=found")
    groups(page, "2 find one", "1 left out")
    row = page.get_by_role("article", name="Row 2: 72 Sledge")
    expect(row).to_contain_text(re.compile(r"is, by a pairing,\s*H-3"))
    row.get_by_role("button", name="Open again").click()
    groups(page, "1 find several")
