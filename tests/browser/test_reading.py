"""Three suppliers set up from their files, by hand, in the browser."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from nomotax.demo.load import DATA
from tests.browser.test_walk import place

pytestmark = pytest.mark.browser


def new_supplier(page: Page, name: str, file: str) -> None:
    """A feed, its first file, and the reading of it."""
    page.get_by_role("link", name="Arrivals").click()
    page.get_by_role("button", name="New feed").click()
    page.get_by_role("textbox", name="Supplier").fill(name)
    page.get_by_role("button", name="Make it").click()
    page.get_by_label(f"File for {name}").set_input_files(DATA / file)
    box = page.get_by_role("region", name=name, exact=True)
    box.get_by_role("link", name=file).click()


def becomes(page: Page, rows: str, columns: int) -> None:
    expect(page.get_by_text(f"{rows} rows, {columns} columns, all text")).to_be_visible()


def pick(page: Page, label: str, option: str) -> None:
    page.get_by_label(label, exact=True).click()
    page.get_by_role("option", name=option, exact=True).click()


def to_the_bench(page: Page, column: str) -> None:
    place(page, "Bench")
    arriving = page.get_by_role("grid", name="What arrives")
    expect(arriving.get_by_role("columnheader", name=re.compile(f"^{column}"))).to_be_visible()
    expect(page.get_by_role("button", name=re.compile(r"^Look at \d+$"))).to_be_visible()


def a_workbook_with_titles(page: Page) -> None:
    new_supplier(page, "Brush makers", "brindlecombe-week-1.xlsx")
    becomes(page, "512", 17)
    expect(page.get_by_text("3 lines of titles stand above the names")).to_be_visible()
    cells = page.get_by_role("table", name="Cells as they are")
    expect(cells.get_by_role("cell", name="BRINDLECOMBE BRUSHES")).to_be_visible()

    header = page.get_by_label("Header row (0: none)")
    header.fill("1")
    header.press("Enter")
    expect(page.get_by_text("saved on this feed; detected was 4")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    becomes(page, "512", 17)
    page.get_by_label("Take hidden rows too").click()
    becomes(page, "500", 17)
    page.get_by_label(re.compile("^Wash and hake")).click()
    becomes(page, "437", 16)

    table = page.get_by_role("grid", name="The table it becomes")
    table.get_by_role("columnheader", name="Barcode").click()
    panel = page.get_by_role("complementary", name="Column Barcode")
    expect(panel.get_by_text("GTIN")).to_be_visible()
    to_the_bench(page, "Barcode")


def an_xml_with_variants(page: Page) -> None:
    new_supplier(page, "Paper makers", "sollund-week-1.xml")
    becomes(page, "800", 25)
    page.get_by_role("button", name="Remove Unfold").click()
    becomes(page, "142", 24)
    page.get_by_role("button", name="Change the shape").click()
    page.get_by_role("menuitem", name=re.compile("^Unfold")).click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("What repeats").fill("sizes.size")
    page.get_by_role("option", name="sizes.size", exact=True).click()
    page.keyboard.press("Escape")
    pick(page, "Rows of one product share", "@ref")
    expect(dialog.get_by_text(re.compile("rows became"))).to_be_visible()
    dialog.get_by_role("button", name="Keep it").click()
    becomes(page, "800", 25)
    to_the_bench(page, "@ref")


def a_zip_with_companions(page: Page) -> None:
    new_supplier(page, "Wholesalers", "castelune-week-1.zip")
    becomes(page, "828", 25)
    expect(page.get_by_text("276 pictures")).to_be_visible()
    page.get_by_role("button", name="castelune/stock.csv").click()
    expect(page.get_by_text("article;free;next_delivery")).to_be_visible()
    page.get_by_role("button", name="Remove stock").click()
    becomes(page, "828", 22)
    page.get_by_role("button", name="Join a second table").click()
    pick(page, "Table", "castelune/stock.csv (in this delivery)")
    expect(page.get_by_label("Called")).to_have_value("stock")
    pick(page, "Column here", "item")
    pick(page, "Column there", "article")
    expect(page.get_by_text(re.compile("have no partner in stock"))).to_be_visible()
    page.get_by_role("button", name="Join it").click()
    becomes(page, "828", 25)
    to_the_bench(page, "label")


def test_three_suppliers_are_set_up_from_their_files(page: Page, store) -> None:
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    page.goto(f"{store}/arrivals")
    a_workbook_with_titles(page)
    an_xml_with_variants(page)
    a_zip_with_companions(page)
    assert not problems
