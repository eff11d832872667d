"""A delivery that is not as before: told in Arrivals, explained, and its renamed column taken with
one click."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from nomotax.demo.load import DATA
from tests.browser.conftest import feed_of

pytestmark = pytest.mark.browser


@pytest.fixture
def strange(page: Page, store):
    """The pigments' second week with a column of another name and a tenth of its costs in cents."""
    feed = feed_of(page.request, store, "Quarrow Pigments")
    text = (DATA / "quarrow-week-2.csv").read_bytes().decode("cp1252")
    head, *lines = text.splitlines()
    at = head.split(";").index("Cost EUR")
    for n in range(0, len(lines), 10):
        cells = lines[n].split(";")
        if len(cells) == len(head.split(";")):
            cells[at] = cells[at].replace(",", "")
            lines[n] = ";".join(cells)
    head = head.replace("Désignation", "Product")
    data = "\r\n".join([head, *lines, ""]).encode("cp1252")
    address = store.split("/s/")[0]
    number = feed.rsplit("/", 1)[-1]
    file = {"name": "quarrow-week-3.csv", "mimeType": "text/csv", "buffer": data}
    sent = page.request.post(
        f"{address}/api/v1/feeds/{number}/deliveries", multipart={"file": file}
    )
    assert sent.status == 201, sent.text()
    return feed


def test_a_renamed_column_is_taken_with_one_click_and_given_back(
    page: Page, store, strange
) -> None:
    page.goto(f"{store}/arrivals")
    page.get_by_role("link", name=re.compile(r"\d things? unusual")).first.click()
    expect(page).to_have_url(re.compile("/unusual"))
    look = page.get_by_role("region", name="Worth a look")
    expect(look.get_by_text("Other scale")).to_be_visible()
    expect(look.get_by_text(re.compile("'Cost EUR' is times 100 what it was"))).to_be_visible()
    expect(look.get_by_text(re.compile("'Désignation' is called 'Product' now"))).to_be_visible()
    page.get_by_role("button", name="Take the new name").click()
    expect(page.get_by_text("'Product' is called 'Désignation', as the reading")).to_be_visible()
    expect(page.get_by_text("Column renamed")).to_have_count(0)
    expect(page.get_by_role("button", name="Undo")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="Take the new name")).to_be_visible()
