"""The profile of a feed through the real interface: a scope on a schedule of its own, a contract
that a delivery breaks, who may, and what was changed."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from nomotax.demo.load import DATA
from nomotax.demo.outside.layout import PASSWORD, USER
from tests.browser.test_by_itself import at_its_time, feed

# A fixture that is used by its name.
__all__ = ["feed"]

pytestmark = pytest.mark.browser


def part(page: Page, name: str):
    return page.get_by_role("region", name=name, exact=True)


def test_a_scope_comes_at_a_time_of_its_own_and_writes_its_fields_alone(
    page: Page, installation, store, feed
) -> None:
    number, api = feed.rsplit("/", 1)[-1], f"{store.split('/s/')[0]}/api/v1"
    lists = installation.folder / "outside" / "web"
    port = (installation.folder / "stand-in-web.port").read_text()
    (lists / "scoped.csv").write_bytes((DATA / "quarrow-week-1.csv").read_bytes())
    where = [f"http://127.0.0.1:{port}/lists/scoped.csv"]
    source = {"kind": "web", "addresses": where, "sign_in": "basic", "user": USER}
    kept = {"source": source, "secrets": {"password": PASSWORD}}
    assert page.request.put(f"{api}/feeds/{number}/source", data=kept).ok
    page.goto(f"{feed}/profile")
    scopes = part(page, "Scopes")
    scopes.get_by_role("button", name="Make a scope").click()
    scopes.get_by_label("Name").fill("Hourly")
    scopes.get_by_label("Fields").click()
    page.get_by_role("option", name="Stock", exact=True).click()
    scopes.get_by_label("Name").click()
    scopes.get_by_role("button", name="Keep it").click()
    expect(scopes.get_by_text("Hourly")).to_be_visible()

    when = part(page, "When")
    when.get_by_role("button", name=re.compile("Fetch it by itself|Add another time")).click()
    when.get_by_role("combobox", name="What is taken").click()
    page.get_by_role("option", name="Hourly").click()
    when.get_by_role("combobox", name="It is fetched").click()
    page.get_by_role("option", name="every hour").click()
    when.get_by_role("button", name="Fetch it then").click()
    expect(when.get_by_text("Hourly:")).to_be_visible()
    page.get_by_role("radio", name=re.compile("What is clean is applied")).click()

    # Its time comes, and the supplier has laid its second week out.
    (lists / "scoped.csv").write_bytes((DATA / "quarrow-week-2.csv").read_bytes() + b"\r\n")
    at_its_time(installation)
    runs = part(page, "Last runs")
    row = runs.get_by_role("listitem").filter(has_text="Hourly alone")
    expect(row.get_by_text(re.compile("applied: 0 products made"))).to_be_visible(timeout=60_000)
    expect(part(page, "Last looks").get_by_text(re.compile("Hourly, "))).to_be_visible()
    changed = part(page, "What was changed")
    expect(changed.get_by_text("The scope Hourly is Stock")).to_be_visible()
    expect(
        changed.get_by_text(re.compile("^Is fetched by itself: Hourly, Every hour"))
    ).to_be_visible()
    row.get_by_role("link", name=re.compile("^Run")).click()
    expect(page.get_by_text(re.compile("Hourly alone"))).to_be_visible()
    runs_told = page.request.get(f"{api}/feeds/{number}/runs").json()["runs"]
    assert {"name": "Hourly", "fields": ["stock"]} in [one["scope"] for one in runs_told]

    # Among all runs of the store it is found by its state and its feed.
    page.goto(f"{store}/runs?state=applied")
    page.get_by_role("combobox", name="Feed").click()
    page.get_by_role("option", name=re.compile("^Quarrow Pigments")).click()
    expect(page).to_have_url(re.compile(rf"feed={number}"))
    expect(page.get_by_role("row").filter(has_text="Hourly alone")).to_be_visible()
    page.get_by_role("combobox", name="State").click()
    page.get_by_role("option", name="failed").click()
    page.get_by_role("button", name="Show all runs").click()
    expect(page.get_by_role("row").filter(has_text="Hourly alone")).to_be_visible()


def test_a_contract_is_drafted_told_and_broken_by_the_next_file(page: Page, store, feed) -> None:
    page.goto(f"{feed}/profile")
    contract = part(page, "Contract")
    contract.get_by_role("button", name="Draft it from the last deliveries").click()
    expect(contract.get_by_text(re.compile("^Drafted: the last"))).to_be_visible()
    contract.get_by_role("button", name="More of ArtNo").click()
    contract.get_by_label("Said to the supplier", exact=True).fill("Six digits, zeros in front.")
    contract.get_by_role("button", name="Keep it").click()
    expect(contract.get_by_text(re.compile("keeps it"))).to_be_visible()
    with page.expect_popup() as opened:
        contract.get_by_role("link", name="Page for the supplier").click()
    told = opened.value
    expect(told.get_by_role("heading", name="Quarrow Pigments: Weekly list")).to_be_visible()
    expect(told.get_by_role("cell", name="Six digits, zeros in front.")).to_be_visible()
    told.close()

    number, api = feed.rsplit("/", 1)[-1], f"{store.split('/s/')[0]}/api/v1"
    broken = (DATA / "quarrow-week-1.csv").read_bytes().replace(b";Stock;", b";Bestand;", 1)
    file = {"name": "quarrow-week-9.csv", "mimeType": "text/csv", "buffer": broken}
    assert page.request.post(f"{api}/feeds/{number}/deliveries", multipart={"file": file}).ok
    page.goto(f"{store}/arrivals")
    page.get_by_role("link", name=re.compile("breaks its contract in 1 point")).click()
    broke = part(page, "Its contract")
    expect(broke.get_by_text("The column 'Stock' is missing.")).to_be_visible()
    broke.get_by_role("link", name="Open the contract").click()
    expect(contract.get_by_text(re.compile("breaks it in 1 point"))).to_be_visible()

    contract.get_by_role("button", name="Take it away").click()
    expect(contract.get_by_role("button", name="Draft it from the last deliveries")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(contract.get_by_text(re.compile("breaks it in 1 point"))).to_be_visible()
    changed = part(page, "What was changed")
    expect(changed.get_by_text("Its contract is taken away")).to_be_visible()


def test_only_those_who_are_named_may_change_it(page: Page, store, feed) -> None:
    page.goto(f"{feed}/profile")
    may = part(page, "Who may")
    changed_by = may.get_by_label("May be changed by")
    changed_by.fill("Anneke")
    changed_by.press("Enter")
    expect(may.get_by_text("You could not change this feed yourself any more.")).to_be_visible()
    page.evaluate("localStorage.setItem('nomotax.person', 'Anneke')")
    page.reload()
    changed_by.fill("Anneke")
    changed_by.press("Enter")
    expect(may.get_by_role("button", name="Anneke")).to_be_visible()
    page.evaluate("localStorage.setItem('nomotax.person', 'Cor')")
    page.reload()
    page.get_by_role("radio", name=re.compile("What is clean is applied")).click()
    expect(page.get_by_text(re.compile("may be changed by Anneke alone")).first).to_be_visible()
    expect(page.get_by_role("radio", name=re.compile("It is prepared, and waits"))).to_be_checked()
    page.evaluate("localStorage.removeItem('nomotax.person')")
