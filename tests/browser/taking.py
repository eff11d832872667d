"""What every walk does: the suggested columns are looked at, and the sure ones taken."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect


def take_the_sure_columns(page: Page, sure: int | None = None) -> None:
    """Opens the list of suggested columns, and takes those that are ticked: ``sure`` of them."""
    page.get_by_role("button", name=re.compile(r"^Look at \d+$")).click()
    list_of_them = page.get_by_role("dialog", name="Suggested columns")
    wanted = r"\d+" if sure is None else str(sure)
    list_of_them.get_by_role("button", name=re.compile(rf"^Accept {wanted} suggestions?$")).click()
    expect(page.get_by_text(re.compile(r"^Took \d+ suggestions$"))).to_be_visible()
    expect(list_of_them).to_have_count(0)
