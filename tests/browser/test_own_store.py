"""The store made the user's own, in the browser: a field, a word, a category; some rows tried,
applied, and taken back; a feed removed and brought back."""

from __future__ import annotations

import json
import re

import pytest
from playwright.sync_api import Locator, Page, expect

from nomotax.demo.load import DATA
from tests.browser.conftest import feed_of

pytestmark = pytest.mark.browser


@pytest.fixture
def feed(page: Page, store):
    """Quarrow's feed, mapped but for one word of its colours."""
    path = feed_of(page.request, store, "Quarrow Pigments")
    bundle = json.loads((DATA / "quarrow-crosswalk.json").read_text())
    colours = next(t for t in bundle["value_tables"] if t["name"].endswith("colour"))
    colours["entries"] = {k: v for k, v in colours["entries"].items() if k != "W"}
    address, number = path.split("/s/")[0], path.rsplit("/", 1)[1]
    answer = page.request.put(f"{address}/api/v1/feeds/{number}/crosswalk", data=bundle)
    assert answer.ok, answer.text()
    return path


def a_label_is_changed_and_a_limit_looked_at(page: Page, store: str) -> None:
    page.goto(f"{store}/schema")
    page.get_by_role("button", name="Name", exact=True).click()
    panel = page.get_by_role("complementary", name="Field name")
    panel.get_by_label("Label").fill("What it is called")
    expect(panel.get_by_role("status")).to_contain_text("0 products have a value in it")
    panel.get_by_role("button", name="Keep the change").click()
    expect(page.get_by_role("button", name="What it is called")).to_be_visible()
    expect(page.get_by_text("title: Name -> What it is called")).to_be_visible()


def a_word_is_added_where_it_is_missed(page: Page, feed: str) -> None:
    page.goto(f"{feed}/values?field=colour")
    word = page.get_by_label("Store word for W", exact=True)
    word.click()
    word.fill("Ivory")
    page.get_by_role("option", name="Add to the store's words: Ivory").click()
    expect(page.get_by_text("'W' becomes Ivory")).to_be_visible()
    expect(page.get_by_label("Store word for W", exact=True)).to_have_value("Ivory")
    expect(page.get_by_role("button", name="0 open questions")).to_be_visible()


def some_rows_are_tried_and_applied(page: Page) -> None:
    page.get_by_role("button", name="Some rows, or from a day").click()
    page.get_by_label("To row").fill("40")
    page.get_by_role("button", name="Prepare this").click()
    expect(page.get_by_text("trial of rows 1 to 40")).to_be_visible()
    expect(page.get_by_text("40 rows arrived, all accounted for")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Apply to")).click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()


def line(page: Page, path: str) -> Locator:
    """The row of a category."""
    what = page.get_by_role("button", name=f"What can be done with {path}", exact=True)
    return page.get_by_role("row").filter(has=what)


def a_category_is_renamed_with_its_products(page: Page, store: str) -> None:
    page.goto(f"{store}/schema?view=categories")
    products = line(page, "Painting").get_by_role("cell").nth(1).inner_text()
    assert int(products) > 0
    page.get_by_role("button", name="What can be done with Painting", exact=True).click()
    page.get_by_role("menuitem", name="Rename").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("New name").fill("Colours")
    expect(dialog.get_by_text(f"{products} products get another category")).to_be_visible()
    dialog.get_by_role("button", name="Rename it").click()
    expect(line(page, "Colours").get_by_role("cell").nth(1)).to_have_text(products)
    page.goto(f"{store}/catalog?category=Colours")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Colours")
    expect(page.get_by_text(re.compile(rf"\b{products}\b")).first).to_be_visible()


def the_run_is_taken_back_after_a_question(page: Page, store: str) -> None:
    """Though the tree was edited since: the run's history has followed."""
    page.goto(f"{store}/runs")
    expect(page.get_by_text("quarrow-week-1.csv, trial of rows 1 to 40")).to_be_visible()
    page.get_by_role("link", name=re.compile(r"^Run \d")).first.click()
    page.get_by_role("button", name="Undo this run").click()
    expect(page.get_by_text("takes back")).to_be_visible()
    expect(page.get_by_role("tab", name=re.compile(r"\d+ taken out"))).to_be_enabled()
    page.get_by_role("button", name=re.compile(r"^Take back \d+ product")).click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    page.get_by_role("link", name=re.compile(r"^run \d")).click()
    expect(page.get_by_text("undone; what it changed is as before")).to_be_visible()


def the_feed_goes_out_of_sight_and_comes_back(page: Page, store: str) -> None:
    page.goto(f"{store}/arrivals")
    page.get_by_role("button", name=re.compile("^More for Quarrow Pigments,")).click()
    page.get_by_role("menuitem", name="Remove the feed").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("The catalog is not touched")).to_be_visible()
    dialog.get_by_role("button", name="Remove the feed").click()
    expect(page.get_by_text("No feeds yet")).to_be_visible()
    page.goto(f"{store}/schema?view=removed")
    page.get_by_role("row", name=re.compile("Quarrow")).get_by_role("button").click()
    page.get_by_role("link", name="Arrivals").click()
    expect(page.get_by_role("region", name="Quarrow Pigments", exact=True)).to_be_visible()


def test_a_store_is_made_ones_own(page: Page, store, feed) -> None:
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    a_label_is_changed_and_a_limit_looked_at(page, store)
    a_word_is_added_where_it_is_missed(page, feed)
    some_rows_are_tried_and_applied(page)
    a_category_is_renamed_with_its_products(page, store)
    the_run_is_taken_back_after_a_question(page, store)
    the_feed_goes_out_of_sight_and_comes_back(page, store)
    assert not problems
