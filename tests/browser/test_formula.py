"""A formula with a mistake, mended; where its value comes from; and the version it is kept in."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from nomotax.demo.load import DATA, SUPPLIER
from tests.browser.conftest import feed_of

pytestmark = pytest.mark.browser


def test_a_formula_is_mended_traced_and_kept(page: Page, store) -> None:
    page.goto(store)
    page.get_by_role("button", name="Your name").click()
    page.get_by_role("textbox", name="Your name").fill("Inès")
    page.keyboard.press("Enter")
    feed = feed_of(page.request, store, SUPPLIER)
    page.goto(f"{feed}/bench")
    page.get_by_label("Crosswalk file").set_input_files(DATA / "quarrow-crosswalk.json")
    expect(page.get_by_text("Took over the crosswalk in quarrow-crosswalk.json")).to_be_visible()
    page.goto(f"{feed}/bench?field=min_order")

    panel = page.get_by_role("complementary", name="Fill of Least order")
    panel.get_by_role("button", name="Add a step").click()
    page.get_by_label("Find a step").fill("formula")
    page.keyboard.press("Enter")
    formula = panel.get_by_label("formula", exact=True)
    formula.fill("CEILING([=:value]; [Pack")
    page.get_by_role("listbox", name="Completions").get_by_text("Pack", exact=True).click()
    expect(formula).to_have_value("CEILING([=:value]; [Pack]")
    expect(panel.get_by_text("It ends too early; ) or ; should follow.")).to_be_visible()
    formula.press("End")
    formula.type(") / 0")
    expect(panel.get_by_text("divides by zero")).to_be_visible()
    formula.fill("CEILING([=:value]; [Pack])")
    expect(panel.get_by_role("status")).to_contain_text("6")
    formula.press("Enter")
    expect(panel.get_by_text(re.compile("^Over all rows: changes"))).to_be_visible()

    panel.get_by_role("button", name=re.compile("^Where row 1")).click()
    expect(panel.get_by_text("= CEILING([=:value]; [Pack])")).to_be_visible()

    page.get_by_role("button", name="Crosswalk", exact=True).click()
    page.get_by_role("menuitem", name="Versions").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Note").fill("whole packs")
    dialog.get_by_role("button", name="Save a version").click()
    first = dialog.get_by_role("region", name="Version 1")
    expect(first).to_contain_text("whole packs")
    expect(first).to_contain_text("Inès, just now")
