"""Sixty categories of a new supplier placed in under forty actions."""

from __future__ import annotations

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.taking import take_the_sure_columns

pytestmark = pytest.mark.browser

BRANCHES = {
    "Colours/Oil": "Painting > Oil",
    "Colours/Acrylic": "Painting > Acrylic",
    "Colours/Watercolour": "Painting > Watercolour",
    "Sheets/Drawing": "Paper > Drawing paper",
    "Hair/Artist": "Brushes",
    "Toys/Plastic": "",
}


class Actions:
    """Counts what a person does."""

    def __init__(self) -> None:
        self.count = 0

    def click(self, what: Locator) -> None:
        self.count += 1
        what.click()


def catalog_file() -> bytes:
    lines = ["Code;Title;Category;Cost"]
    for branch in BRANCHES:
        for n in range(120):
            code = f"{branch[:2]}{branch[-2:]}{n:03}"
            lines.append(f"{code};Article {code};{branch}/Kind {n % 10};{n + 1},50")
    return "\n".join(lines).encode()


def row(page: Page, path: str) -> Locator:
    """The line of an arriving category."""
    pick = page.get_by_label(f"Pick {path}", exact=True)
    return page.get_by_role("treeitem").filter(has=pick)


def test_sixty_categories_in_under_forty_actions(page: Page, store, tmp_path) -> None:
    file = tmp_path / "wide.csv"
    file.write_bytes(catalog_file())
    page.goto(f"{store}/arrivals")
    page.get_by_role("button", name="New feed").click()
    page.get_by_role("textbox", name="Supplier").fill("Wide Range")
    page.get_by_role("button", name="Make it").click()
    page.get_by_label("File for Wide Range").set_input_files(file)
    page.get_by_role("region", name="Wide Range", exact=True).get_by_role(
        "link", name="wide.csv"
    ).click()
    page.get_by_role("link", name="Bench", exact=True).click()
    take_the_sure_columns(page)

    page.get_by_role("link", name="Categories", exact=True).click()
    expect(page.get_by_text("720 products are not placed")).to_be_visible()
    do = Actions()
    store = page.get_by_role("region", name="Store categories")
    for branch, place in BRANCHES.items():
        do.click(page.get_by_role("checkbox", name=f"Pick {branch}", exact=True))
        if place:
            do.click(store.get_by_role("button", name=f"Place in {place}", exact=True))
        else:
            do.click(store.get_by_role("button", name="Do not sell"))
        expect(page.get_by_role("checkbox", name=f"Pick {branch}", exact=True)).not_to_be_checked()
    one = row(page, "Colours/Oil/Kind 3")
    expect(one.get_by_text("from 'Oil'")).to_be_visible()
    do.click(page.get_by_role("checkbox", name="Pick Sheets/Drawing/Kind 1", exact=True))
    do.click(store.get_by_role("button", name="Make them, names kept"))
    expect(page.get_by_text("every product is placed")).to_be_visible()
    made = row(page, "Sheets/Drawing/Kind 1")
    expect(made.get_by_role("combobox")).to_have_value("Sheets > Drawing > Kind 1")
    assert do.count < 40
