"""The catalog worked in, in the interface: a block is pasted, the bad cells mended, a view kept, a
branch moved, a field of all that is shown changed by a formula, and undone."""

from __future__ import annotations

import json
import re

import pytest
from playwright.sync_api import Page, expect

from nomotax.core.schema.table_schema import to_descriptor
from tests.api.test_sheet import COLUMNS, HEAD, SCHEMA
from tests.browser.test_runs import sender

pytestmark = pytest.mark.browser

LINES = [f"TW-{n};Touw {n};{n}.50;{n}.00;{n};0000{n};Touw\n" for n in range(1, 9)]


@pytest.fixture
def ropes(page: Page, installation):
    """A shop of ropes with eight products; its path."""
    sent = sender(page, installation.address)
    schema = {"name": "s.json", "mimeType": "application/json",
              "buffer": json.dumps(to_descriptor(SCHEMA)).encode()}  # fmt: skip
    store = sent("post", "/stores", multipart={"name": "Touw", "file": schema})["id"]
    for path in ("Touw", "Koord"):
        sent("post", f"/stores/{store}/categories/edits", data={"do": "add", "path": path})
    feed = sent("post", f"/stores/{store}/feeds", data={"supplier": "Zelf", "name": "L"})["id"]
    upload = {"name": "l.csv", "mimeType": "text/csv", "buffer": (HEAD + "".join(LINES)).encode()}
    sent("post", f"/feeds/{feed}/deliveries", multipart={"file": upload})
    fills = {f: {"parts": [{"column": c}]} for f, c in COLUMNS.items()}
    for name in ("prijs", "inkoop", "dikte"):
        fills[name]["steps"] = [{"do": "number"}]
    bench = sent("get", f"/feeds/{feed}/bench")
    draft = {"crosswalk": {"fills": fills}, "revision": bench["revision"]}
    sent("put", f"/feeds/{feed}/draft", data=draft)
    run = sent("post", f"/feeds/{feed}/runs")["id"]
    path = f"{installation.address}/s/{store}"
    page.goto(f"{path}/runs/{run}")
    page.get_by_role("button", name=re.compile("^Apply to")).click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    return path


def cell(page: Page, row: int, col: int):
    return page.locator(f'[data-cell="{row} {col}"]')


def paste(page: Page, text: str) -> None:
    """As if it came from a spreadsheet."""
    page.evaluate(
        """(text) => {
            const clipboardData = new DataTransfer();
            clipboardData.setData("text/plain", text);
            const paste = new ClipboardEvent("paste", { clipboardData, bubbles: true });
            document.activeElement.dispatchEvent(paste);
        }""",
        text,
    )


def test_a_block_is_pasted_its_bad_cell_mended_and_all_undone(page: Page, ropes) -> None:
    page.goto(f"{ropes}/catalog?columns=naam,prijs,soort")
    cell(page, 1, 0).click()
    paste(page, "Lijn A\t7,25\nLijn B\tduur\nLijn C\t9\n")
    expect(page.get_by_text("1 cell was not taken.")).to_be_visible()
    expect(cell(page, 2, 1)).to_have_attribute("aria-invalid", "true")
    expect(cell(page, 1, 0)).to_have_text("Lijn A")
    expect(cell(page, 1, 1)).to_have_text("7.25")
    # It is mended where it stands, by keyboard alone.
    cell(page, 2, 1).click()
    page.keyboard.type("8")
    page.keyboard.press("Enter")
    expect(cell(page, 2, 1)).to_have_text("8.00")
    expect(page.get_by_text("not taken")).to_have_count(0)
    expect(cell(page, 3, 1)).to_be_focused()
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Control+d")
    expect(cell(page, 5, 1)).to_have_text("9.00")
    for _ in range(3):
        page.keyboard.press("Control+z")
        page.wait_for_timeout(400)
    expect(cell(page, 1, 0)).to_have_text("Touw 2")
    expect(cell(page, 5, 1)).to_have_text("6.50")


def test_a_view_is_kept_and_a_branch_moved(page: Page, ropes) -> None:
    page.goto(f"{ropes}/catalog")
    page.get_by_role("button", name="+ Filter").click()
    ask = page.get_by_role("form", name="Filter")
    ask.get_by_role("combobox", name="What is asked").click()
    page.get_by_role("option", name="Dikte").click()
    ask.get_by_label("Value").fill("5")
    ask.get_by_role("button", name="Show these").click()
    expect(page.get_by_text("4 products")).to_be_visible()
    page.get_by_role("button", name="Keep what is shown as a view").click()
    page.get_by_role("textbox", name="Name").fill("Thick ones")
    page.keyboard.press("Enter")
    view = page.get_by_role("region", name="Saved views").get_by_role("button", name="Thick ones 4")
    expect(view).to_be_visible()
    nav = page.get_by_role("navigation", name="Views and categories")
    nav.get_by_role("button", name="Touw 8").drag_to(nav.get_by_role("button", name="Koord"))
    dialog = page.get_by_role("dialog", name="Move: Touw")
    expect(dialog.get_by_text("8 products get another category")).to_be_visible()
    dialog.get_by_role("button", name="Move it").click()
    expect(nav.get_by_role("button", name="Koord 8")).to_be_visible()
    page.goto(f"{ropes}/catalog?category=Koord > Touw")
    expect(page.get_by_text("8 products")).to_be_visible()
    page.get_by_role("button", name="Thick ones 4").click()
    expect(page.get_by_role("button", name="Dikte at least 5")).to_be_visible()
    # All of it by a formula: looked at, applied, undone.
    page.get_by_role("button", name="Change all …").click()
    change = page.get_by_role("dialog", name="Change 4 products")
    change.get_by_role("button", name="Formula").click()
    change.get_by_label("Formula").fill("ROUND([Inkoop] * 2; 2)")
    change.get_by_role("button", name="Look at it").click()
    page.get_by_role("button", name="Apply to 4 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    page.get_by_role("button", name="Undo this run").click()
    page.get_by_role("button", name="Take back 4 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    page.goto(f"{ropes}/catalog?columns=prijs&search=TW-7")
    expect(cell(page, 0, 0)).to_have_text("7.50")
