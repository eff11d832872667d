"""A store data manager's first two weeks, by hand, in the browser."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from nomotax.demo.load import DATA
from nomotax.demo.store import STORE_COLOURS
from tests.browser.taking import take_the_sure_columns

pytestmark = pytest.mark.browser

OPACITY = {"O": "opaque", "SO": "semi-opaque", "ST": "semi-transparent", "T": "transparent"}


def place(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Places of the feed").get_by_role("link", name=name).click()


def read_another_way_and_back(page: Page) -> None:
    """A wrong choice shows at once, and is taken back."""
    place(page, "Reading")
    expect(page.get_by_text("1,188 rows, 27 columns, all text")).to_be_visible()
    expect(page.get_by_text("every byte is a Windows-1252 character")).to_be_visible()
    page.get_by_role("combobox", name="Delimiter").click()
    page.get_by_role("option", name=", comma").click()
    expect(page.get_by_text("detected was ';'")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("1,188 rows, 27 columns, all text")).to_be_visible()


def fill_the_fields(page: Page) -> None:
    """Accept what is sure; write a constant; add a step and see its effect on the row in hand."""
    place(page, "Bench")
    take_the_sure_columns(page)
    expect(page.get_by_placeholder(re.compile("26 of 39 fields"))).to_be_visible()
    # Opened, a field is looked at; the others stay marked.
    marks = page.get_by_role("img", name=re.compile("nobody has looked at it"))
    expect(marks).to_have_count(26)
    page.get_by_role("option", name=re.compile("^Cost")).click()
    expect(marks).to_have_count(25)
    # What prefixes or prices by itself is not among the sure ones: each is looked at.
    for field, column in [("SKU", "ArtNo"), ("Price", "Cost EUR")]:
        page.get_by_role("option", name=re.compile(rf"^{field} \*")).click()
        panel = page.get_by_role("complementary", name=f"Fill of {field}")
        panel.get_by_role("button", name=f"Fill from {column}").first.click()
        expect(panel.get_by_text("Taken for granted")).to_be_visible()
    expect(page.get_by_placeholder(re.compile("28 of 39 fields"))).to_be_visible()
    for field, text in [("Brand", "Quarrow"), ("VAT rate %", "20")]:
        page.get_by_role("option", name=re.compile(f"^{field}")).click()
        panel = page.get_by_role("complementary", name=f"Fill of {field}")
        box = panel.get_by_label("Own text")
        box.fill(text)
        box.press("Enter")
        expect(panel.get_by_text(f"“{text}”")).to_be_visible()
    page.get_by_role("option", name=re.compile("^Form")).click()
    panel = page.get_by_role("complementary", name="Fill of Form")
    panel.get_by_role("button", name="Add a step").click()
    page.get_by_role("menuitem", name="Change case").click()
    expect(panel.get_by_text("Half pan").first).to_be_visible()
    page.keyboard.press("Escape")
    result = page.get_by_role("grid", name="What the store gets")
    expect(result.get_by_role("gridcell", name="Half pan").first).to_be_visible()


def leave_a_column_out(page: Page) -> None:
    arriving = page.get_by_role("grid", name="What arrives")
    arriving.evaluate("node => node.scrollLeft = node.scrollWidth")
    arriving.get_by_role("columnheader", name="Remark").click()
    page.get_by_role("button", name="Do not use it").click()
    expect(page.get_by_text("Not used, on purpose.")).to_be_visible()


#: Where these go if nothing is sure of them.
BY_HAND = {
    "Mediums and varnishes > Varnishes": ["Auxiliaries/Varnish"],
    "Painting > Gouache": ["Paint/Gouache/Jars", "Paint/Gouache/Tubes"],
    "Painting > Oil > Studio tubes": ["Paint/Oil/Tubes to 60 ml"],
    "Painting > Watercolour > Sets": ["Sets/Watercolour"],
    "Painting > Oil > Sets": ["Sets/Oil"],
    "Painting > Acrylic > Sets": ["Sets/Acrylic"],
    "Pigments and binders > Dry pigments > Studio sizes": [
        "Pigment/Dry/Large jars",
        "Pigment/Dry/Bags",
        "Sets/Pigment",
    ],
}


def take_the_suggestions(page: Page, likely: bool = False) -> None:
    """After a look at the list, where the sure ones are ticked; with ``likely``, all of them."""
    page.get_by_role("button", name=re.compile(r"^Look at \d+ suggestions?$")).click()
    looked = page.get_by_role("dialog")
    if likely:
        looked.get_by_role("checkbox", name=re.compile("^Pick all")).check()
    accept = looked.get_by_role("button", name=re.compile(r"^Accept \d+ suggestions?$"))
    accept.click()
    expect(accept).to_have_count(0)


def place_the_categories(page: Page) -> None:
    """Suggestions first, then the rest by hand, several at once."""
    place(page, "Categories")
    take_the_suggestions(page)
    # What was accepted is placed by now, and no longer among the open ones.
    expect(page.get_by_role("button", name=re.compile(r"^Show \d+ to look at$"))).to_be_visible()
    page.get_by_role("button", name="Show open ones").click()
    for target, paths in BY_HAND.items():
        picks = [page.get_by_label(f"Pick {path}", exact=True) for path in paths]
        still = [pick for pick in picks if pick.count()]
        for pick in still:
            pick.check()
        if still:
            page.get_by_role("button", name=f"Place in {target}", exact=True).click()
            expect(still[0]).to_have_count(0)
    if page.get_by_role("button", name=re.compile("^Look at")).count():
        take_the_suggestions(page, likely=True)
    expect(page.get_by_text("every product is placed")).to_be_visible()


def answer_the_words(page: Page) -> None:
    place(page, "Values")
    for field, words in [("Colour", STORE_COLOURS), ("Opacity", OPACITY)]:
        page.get_by_role("option", name=re.compile(f"^{field}")).click()
        take_the_suggestions(page, likely=True)
        listed = page.get_by_role("list", name="Arriving words")
        expect(listed.get_by_role("listitem")).to_have_count(12 if field == "Colour" else 4)
        while listed.get_by_role("img", name="no store word yet").count():
            line = listed.get_by_role("listitem").filter(
                has=page.get_by_role("img", name="no store word yet")
            ).first  # fmt: skip
            name = line.get_attribute("aria-label")
            box = line.get_by_role("combobox")
            box.fill(words[name.strip()])
            box.press("Enter")
            same = listed.get_by_role("listitem", name=name, exact=True)
            expect(same.get_by_role("img", name="decided")).to_be_visible()


def try_a_ladder(page: Page) -> None:
    place(page, "Prices")
    amount = page.get_by_role("textbox").nth(1)
    expect(page.get_by_role("heading", name="Lowest margins")).to_be_visible()
    amount.fill("120")
    amount.press("Enter")
    expect(page.get_by_text("nothing is saved")).to_be_visible()
    page.get_by_role("button", name="Save the ladder").click()
    expect(page.get_by_text("Saved the ladder")).to_be_visible()


def prepare_and_apply(page: Page, counts: dict[str, int]) -> None:
    page.get_by_role("button", name="Prepare").click()
    for status, n in counts.items():
        expect(page.get_by_role("tab", name=re.compile(rf"\b{n} {status}$"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Apply to")).click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()


def test_two_weeks_of_quarrow(page: Page, installation, tmp_path) -> None:
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    page.goto(installation.address)
    expect(page.get_by_text("5 feeds wait for you")).to_be_visible()
    quarrow = page.get_by_role("region", name="Quarrow Pigments")
    quarrow.get_by_role("link", name="Open the bench").click()
    expect(page.get_by_role("grid", name="What arrives")).to_contain_text("004000")

    read_another_way_and_back(page)
    fill_the_fields(page)
    leave_a_column_out(page)
    place_the_categories(page)
    answer_the_words(page)
    expect(page.get_by_role("button", name=re.compile("0 open questions"))).to_be_visible()
    try_a_ladder(page)
    prepare_and_apply(page, {"new": 878, "changed": 291, "rejected": 19, "gone": 0})

    page.get_by_role("link", name="Catalog").click()
    page.get_by_role("button", name=re.compile("^Pans")).click()
    page.get_by_role("link", name="QP-004026").click()
    shop = page.get_by_role("region", name="As a shop shows it")
    expect(shop.get_by_role("img", name=re.compile("Cobalt Blue"))).to_be_visible()
    expect(shop.get_by_text(re.compile(r"\d+\.95 EUR"))).to_be_visible()

    page.get_by_role("link", name="Arrivals").click()
    chooser = page.get_by_label("File for Quarrow Pigments")
    chooser.set_input_files(DATA / "quarrow-week-2.csv")
    expect(page.get_by_text("2 open questions")).to_be_visible()
    quarrow.get_by_role("link", name="Open the bench").first.click()
    page.get_by_role("button", name=re.compile("2 open questions")).click()
    colour = page.get_by_role("article", name="Colour 'T' has no store value.")
    colour.get_by_role("combobox").fill("Turquoise")
    colour.get_by_role("combobox").press("Enter")
    colour.get_by_role("button", name="Answer").click()
    casein = page.get_by_role("article", name="'Paint/Casein' has no store category.")
    casein.get_by_role("combobox").fill("Painting > Casein")
    casein.get_by_role("button", name="Answer").click()
    expect(page.get_by_text("Nothing is open")).to_be_visible()
    prepare_and_apply(page, {"held": 0, "rejected": 16})

    page.get_by_role("button", name="Files").click()
    with page.expect_download() as download:
        page.get_by_role("menuitem", name="The products now, as CSV").click()
    saved = tmp_path / "changed.csv"
    download.value.save_as(saved)
    lines = saved.read_text().splitlines()
    assert lines[0].startswith("sku,supplier_sku,gtin,name") and "Turquoise" in saved.read_text()
    assert not problems
