"""The paper mill's crosswalk from nothing to no open question, answered with the keyboard alone."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import feed_of
from tests.browser.taking import take_the_sure_columns

pytestmark = pytest.mark.browser

#: What a person answers where nothing (or nothing right) is suggested, by the path's last part or
#: by the word.
PLACES = {"Boards": "Paper > Boards", "Envelopes": "Paper > Envelopes", "Rolls": "Paper > Rolls",
          "grey": "Black"}  # fmt: skip
ELSE = "Paper > Drawing paper"
MOST = 60


def answer(page: Page) -> None:
    """Answer the question that has the focus: as suggested, else by leaving a column out or
    naming a category; then wait until it is gone."""
    articles = page.get_by_role("feed", name="Questions").get_by_role("article")
    there = articles.count()
    asked = page.locator("article:focus")
    expect(asked).to_have_count(1)
    if asked.locator("[data-does=answer]:not(:disabled)").count():
        page.keyboard.press("Enter")
    elif asked.locator("[data-does=leave-out]").count():
        page.keyboard.press("o")
    else:
        said = asked.get_attribute("aria-label") or ""
        last = re.split(r"'| > ", said)[-2]
        page.keyboard.press("e")
        page.keyboard.type(PLACES.get(last, ELSE))
        if "has no store value" in said:
            page.keyboard.press("Enter")
            expect(articles).not_to_have_count(there)
            return
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        page.keyboard.press("Enter")
    expect(articles).not_to_have_count(there)


def test_the_paper_mill_from_nothing_to_no_open_question(page: Page, store, installation) -> None:
    feed = feed_of(page.request, store, "Sollund Paper Mill")
    page.goto(f"{feed}/bench")
    take_the_sure_columns(page)
    # What a supplier calls just price may be what the store pays: it is never taken unseen.
    page.get_by_role("option", name=re.compile(r"^Price \*")).click()
    panel = page.get_by_role("complementary", name="Fill of Price")
    panel.get_by_role("button", name="Fill from sizes.size.price").first.click()
    expect(panel.get_by_text("Taken for granted")).to_be_visible()
    page.keyboard.press("Escape")

    # Dollars are never taken for euros: without a rate every price is held, and says why.
    page.keyboard.press("q")
    held = page.get_by_role("article", name=re.compile("^Price: 'USD' has no rate into EUR"))
    expect(held).to_contain_text("enter one under Store, Rates")
    expect(held).to_contain_text(re.compile(r"7\d\d products|800 products"))
    page.get_by_role("link", name="Store", exact=True).click()
    page.get_by_role("tab", name="Rates and look-ups").click()
    bank = f"{installation.address}/stand-in/bank.example/rates/daily.csv"
    page.get_by_label("Address of the rates").fill(bank)
    page.get_by_role("button", name="Fetch now").click()
    expect(page.get_by_text(re.compile("^Kept USD/EUR"))).to_be_visible()

    page.goto(f"{feed}/bench")
    expect(page.get_by_role("listbox", name="Store fields")).to_be_visible()
    page.keyboard.press("q")
    expect(page.get_by_role("article").first).to_be_focused()
    for _ in range(MOST):
        answer(page)
        if page.get_by_text("Nothing is open").is_visible():
            break
    expect(page.get_by_text("Nothing is open")).to_be_visible()

    page.get_by_role("button", name="Prepare").click()
    expect(page.get_by_role("status").first).to_contain_text("prepared")
    new = page.get_by_role("tab", name=re.compile(r"^\D*79\d new"))
    expect(new).to_be_visible()
    expect(page.get_by_role("tab", name=re.compile("0 held"))).to_be_disabled()
    new.click()
    page.get_by_role("button", name="Changes of SP-10900-1115").click()
    page.get_by_title("Where Price comes from").click()
    panel = page.get_by_role("complementary", name="The product's changes")
    expect(panel.get_by_text(re.compile("^amount by .*, into EUR"))).to_be_visible()
    expect(panel.get_by_text("15.08").first).to_be_visible()
