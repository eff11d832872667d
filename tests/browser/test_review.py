"""A review with its reports, groups, steps, notes and decisions that stay, in the interface."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_guards import HEAD, USUAL, masons  # noqa: F401  # a fixture
from tests.browser.test_runs import sender

pytestmark = pytest.mark.browser


@pytest.fixture
def dearer(page: Page, installation, masons):  # noqa: F811  # the fixture of another module
    """A run of the masons' list, a little dearer and with one article more, prepared."""
    path, feed = masons
    sent = sender(page, installation.address)
    rows = [line.replace("1.00", "1.50") for line in USUAL] + ["T-9;Float 9;9.00;0.9\n"]
    upload = {
        "name": "third.csv",
        "mimeType": "text/csv",
        "buffer": (HEAD + "".join(rows)).encode(),
    }
    sent("post", f"/feeds/{feed}/deliveries", multipart={"file": upload})
    run = sent("post", f"/feeds/{feed}/runs")["id"]
    page.goto(f"{path}/runs/{run}")
    expect(page.get_by_text("Applying makes 1 product and changes 8.")).to_be_visible()
    return f"{path}/runs/{run}", path, feed


def test_lines_are_grouped_chosen_and_declined_until_they_change(page: Page, dearer) -> None:
    _run, path, feed = dearer
    page.get_by_label("Group what is shown by").click()
    page.get_by_role("option", name="Weight").click()
    page.get_by_role("button", name=re.compile("^0.3 ?1$")).click()
    expect(page.get_by_role("listitem")).to_have_count(1)
    page.get_by_role("button", name=re.compile("^0.3 ?1$")).click()
    expect(page.get_by_role("listitem")).to_have_count(8)
    page.get_by_role("button", name="Changes of T-1").click(modifiers=["Control"])
    page.get_by_role("button", name="Changes of T-3").click(modifiers=["Shift"])
    expect(page.get_by_text("3 lines chosen")).to_be_visible()
    page.get_by_label("decline until it changes").check()
    page.get_by_role("button", name="Decline them").click()
    expect(page.get_by_text("of 3 something stays as it is", exact=False)).to_be_visible()
    page.get_by_role("button", name="Apply to 6 products").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    page.goto(f"{path}/catalog/T-2")
    declined = page.get_by_role("region", name="Declined until it changes")
    expect(declined.get_by_text("21.50")).to_be_visible()
    # The same list again: what was declined is not asked about a second time.
    page.goto(f"{path}/feeds/{feed}/bench")
    page.get_by_role("button", name="Prepare", exact=True).click()
    expect(page.get_by_text("Applying changes nothing.")).to_be_visible()
    page.goto(f"{path}/catalog/T-2")
    declined.get_by_role("button", name=re.compile("^Forget")).click()
    expect(declined).to_have_count(0)


def test_products_are_stepped_through_noted_and_told_to_others(
    page: Page, dearer, tmp_path
) -> None:
    run, path, _feed = dearer
    page.get_by_role("button", name="Step through").click()
    expect(page.get_by_text("1 of 8")).to_be_visible()
    shop = page.get_by_role("region", name="As a shop shows it")
    expect(shop.get_by_role("heading", name="Trowel 1")).to_be_visible()
    expect(page.get_by_role("region", name="What changes")).to_contain_text("11.00 → 11.50")
    page.get_by_role("button", name="as it is").click()
    expect(shop.get_by_role("heading", name="Trowel 1")).to_be_visible()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_text("2 of 8")).to_be_visible()
    page.get_by_role("button", name="← All lines").click()
    page.get_by_role("button", name="Changes of T-4").click()
    page.get_by_role("button", name="Write a note").click()
    note = page.get_by_role("form", name="A new note")
    note.get_by_label("What is to be known or done").fill("Ask for the price")
    note.get_by_role("button", name="Keep it").click()
    expect(page.get_by_text("Ask for the price")).to_be_visible()
    page.get_by_role("button", name="Files").click()
    with page.expect_download() as download:
        page.get_by_role("menuitem", name="What changes, as CSV").click()
    saved = tmp_path / "changes.csv"
    download.value.save_as(saved)
    lines = saved.read_text().splitlines()
    assert lines[0].startswith("key,title,supplier") and len(lines) == 1 + 8 + 4
    assert any(",11.00,11.50,0.5,4.5,," in line for line in lines)
    page.get_by_role("button", name="Decline all", exact=True).click()
    page.get_by_role("dialog").get_by_label("Why (optional)").fill("wrong week")
    page.get_by_role("button", name="Decline all of it").click()
    expect(page.get_by_text("declined: wrong week")).to_be_visible()
    page.goto(f"{path}/notes")
    page.get_by_label("Done: Ask for the price").click()
    expect(page.get_by_text("No notes")).to_be_visible()
    page.goto(run)
    page.get_by_role("button", name="Take it up again").click()
    expect(page.get_by_role("button", name="Apply to 9 products")).to_be_visible()


def test_a_new_product_is_declined_until_its_row_changes_and_made_after_all(
    page: Page, dearer
) -> None:
    run, path, feed = dearer
    page.goto(f"{run}?status=new")
    page.get_by_label("decline until it changes").check()
    page.get_by_role("button", name="Decline T-9").click()
    page.get_by_role("button", name=re.compile("8 changed")).or_(
        page.get_by_role("tab", name=re.compile("8 changed"))
    ).first.click()
    page.get_by_role("button", name="Decline all shown").click()
    # Nothing is written, but what was declined is kept.
    page.get_by_role("button", name="Keep what is declined").click()
    expect(page.get_by_text("applied to the catalog")).to_be_visible()
    page.goto(f"{path}/feeds/{feed}/bench")
    page.get_by_role("button", name="Prepare", exact=True).click()
    expect(page.get_by_text("Applying changes nothing.")).to_be_visible()
    page.get_by_role("tab", name=re.compile("1 left out")).click()
    expect(page.get_by_text("declined before: a product of its own")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Make the product of row")).click()
    expect(page.get_by_text("Applying makes 1 product.")).to_be_visible()
