"""A ladder asked what it would do before it is saved, its lines side by side; a price that becomes
a rule; what is wrong in the catalog; and a category merged where its products are."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import feed_of
from tests.browser.test_runs import sender
from tests.browser.test_sheet import ropes  # noqa: F401  # a fixture

pytestmark = pytest.mark.browser


@pytest.fixture
def priced(page: Page, installation, store):
    """A feed of the store's own whose price a ladder makes, and a run of it, prepared: the feed's
    path and the run's."""
    sent = sender(page, installation.address)
    feed = feed_of(page.request, store, "Quarrow Pigments")
    number = feed.rsplit("/", 1)[-1]
    bench = sent("get", f"/feeds/{number}/bench")
    code = {"parts": [{"column": "ArtNo"}], "steps": [{"do": "affix", "before": "QP-"}]}
    cost = {"parts": [{"column": "Cost EUR"}], "steps": [{"do": "number", "style": "comma"}]}
    fills = {
        "sku": code, "name": {"parts": [{"column": "Désignation"}]},
        "brand": {"parts": [{"text": "Quarrow"}]}, "cost": cost,
        "category": {"parts": [{"text": "Painting"}]},
        "price": cost | {"steps": [*cost["steps"], {"do": "ladder", "ladder": "Standard"}]},
    }  # fmt: skip
    draft = {"crosswalk": {"fills": fills}, "revision": bench["revision"]}
    sent("put", f"/feeds/{number}/draft", data=draft)
    run = sent("post", f"/feeds/{number}/runs")["id"]
    return feed, f"{store}/runs/{run}"


def test_a_ladder_is_asked_what_it_would_do_and_is_not_lost_on_the_way(page: Page, priced) -> None:
    feed, _run = priced
    page.goto(f"{feed}/prices")
    first = page.get_by_label("Amount").first
    before = first.input_value()
    first.fill("60")
    first.press("Tab")
    page.get_by_role("button", name="What would it do?").click()
    said = page.get_by_role("link", name=re.compile(r"^Price of [\d,]+ products moves: .* down"))
    said.click()
    title = "What changes from the draft to the draft with the ladder on trial"
    expect(page.get_by_role("heading", name=title)).to_be_visible()
    expect(page.get_by_role("columnheader", name="By the draft", exact=True)).to_be_visible()
    rows = page.get_by_role("group", name="Lines").get_by_role("row")
    expect(rows.nth(1)).to_contain_text("not there yet")
    # Of the worst first: the move of the first line is no smaller than that of the next.
    moves = [
        abs(float(rows.nth(n).get_by_role("cell").nth(4).inner_text().replace("−", "-").split()[0]))
        for n in (1, 2)
    ]
    assert moves[0] >= moves[1] > 0
    page.go_back()
    expect(page.get_by_label("Amount").first).to_have_value("60")
    expect(said).to_be_visible()
    page.get_by_role("button", name="Save the ladder").click()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Amount").first).to_have_value(before)


def test_a_corrected_price_is_a_rule_for_its_whole_branch(page: Page, priced) -> None:
    _feed, run = priced
    page.goto(run)
    page.get_by_role("button", name=re.compile("^Changes of QP-")).first.click()
    page.get_by_role("button", name="Correct Price").click()
    page.get_by_role("textbox", name="Right value of Price").fill("77.95")
    page.get_by_role("combobox", name="The same rule for all of").click()
    page.get_by_role("option", name=re.compile("^Brand Quarrow")).click()
    page.get_by_role("button", name="Price them so").click()
    expect(
        page.get_by_text(re.compile("In the ladder 'Standard': Brand Quarrow: "))
    ).to_be_visible()
    # It is prepared again, and others have followed; undone, they go back.
    expect(page.get_by_text(re.compile("has the rule 'Brand Quarrow'"))).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text(re.compile("has the rule 'Brand Quarrow'"))).to_have_count(0)


def test_what_is_wrong_is_listed_shown_and_mended(page: Page, ropes) -> None:  # noqa: F811
    page.goto(f"{ropes}/catalog?columns=naam,prijs,inkoop")
    cell = page.locator('[data-cell="2 1"]')
    cell.click()
    page.keyboard.type("1")
    page.keyboard.press("Enter")
    expect(cell).to_have_text("1.00")
    page.get_by_role("button", name="Problems").click()
    page.get_by_role("button", name=re.compile("^Prijs")).click()
    expect(page.get_by_role("button", name="Problems in Prijs")).to_be_visible()
    expect(page.get_by_text("1 product", exact=True)).to_be_visible()
    page.get_by_role("link", name="TW-3").click()
    wrong = page.get_by_role("region", name="What is wrong")
    expect(wrong.get_by_text("Prijs: 1.00 is under the cost of 3.00")).to_be_visible()


def test_a_category_is_merged_where_its_products_are(page: Page, ropes) -> None:  # noqa: F811
    page.goto(f"{ropes}/catalog?category=Touw")
    page.get_by_role("button", name="Category …").click()
    page.get_by_role("menuitem", name="Merge into another …").click()
    ask = page.get_by_role("dialog", name="Merge: Touw")
    ask.get_by_role("combobox").fill("Koord")
    page.get_by_role("option", name="Koord").click()
    expect(ask.get_by_text("8 products get another category", exact=False)).to_be_visible()
    ask.get_by_role("button", name="Merge them").click()
    page.get_by_role("button", name="Show all products").click()
    expect(page.get_by_role("button", name=re.compile("^Koord ?8$"))).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("button", name=re.compile("^Touw ?8$"))).to_be_visible()
