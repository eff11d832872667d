"""A feed that is set up from a link and runs by itself: what is clean is applied, what is strange
is held, told and explained."""

from __future__ import annotations

import json
import re

import pytest
from playwright.sync_api import Page, expect

from nomotax.demo.load import DATA
from nomotax.demo.outside.layout import PASSWORD, USER
from tests.browser.conftest import feed_of

pytestmark = pytest.mark.browser


def at_its_time(installation) -> None:
    """The time of every schedule has come."""
    installation.execute("update schedules set next_at = now() where next_at is not null")


def strange(data: bytes) -> bytes:
    """The costs in cents."""
    head, *lines = data.decode("cp1252").splitlines()
    at = head.split(";").index("Cost EUR")
    for n, line in enumerate(lines):
        cells = line.split(";")
        if len(cells) > at:  # the second half of a text that was broken has none
            cells[at] = cells[at].replace(",", "")
            lines[n] = ";".join(cells)
    return "\r\n".join([head, *lines, ""]).encode("cp1252")


@pytest.fixture
def feed(page: Page, store):
    """The pigments' feed, mapped, with its first delivery applied."""
    feed = feed_of(page.request, store, "Quarrow Pigments")
    api = f"{store.split('/s/')[0]}/api/v1"
    number = feed.rsplit("/", 1)[-1]
    bundle = json.loads((DATA / "quarrow-crosswalk.json").read_text("utf-8"))
    assert page.request.put(f"{api}/feeds/{number}/crosswalk", data=bundle).ok
    run = page.request.post(f"{api}/feeds/{number}/runs").json()["id"]
    for wanted, then in (("prepared", f"{api}/runs/{run}/apply"), ("applied", "")):
        for _ in range(300):
            if page.request.get(f"{api}/runs/{run}").json()["status"] == wanted:
                break
            page.wait_for_timeout(100)
        if then:
            assert page.request.post(then).ok
    return feed


def test_a_feed_from_a_link_runs_by_itself_and_holds_what_is_strange(
    page: Page, installation, store, feed
) -> None:
    lists = installation.folder / "outside" / "web"
    first = (DATA / "quarrow-week-1.csv").read_bytes()
    (lists / "own.csv").write_bytes(first)
    port = (installation.folder / "stand-in-web.port").read_text()

    page.goto(f"{feed}/profile")
    page.get_by_role("button", name="Say where they come from").click()
    page.get_by_label("Address").fill(f"http://127.0.0.1:{port}/lists/own.csv")
    page.get_by_role("button", name="Try it").click()
    expect(page.get_by_text(re.compile("answers 401"))).to_be_visible()
    page.get_by_label("Sign in").click()
    page.get_by_role("option", name="with a user and a password").click()
    page.get_by_label("User").fill(USER)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Try it").click()
    sample = page.get_by_role("region", name="The first file")
    expect(sample.get_by_role("columnheader", name="Désignation")).to_be_visible()
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_text(re.compile(r"^The file at http://127\.0\.0\.1"))).to_be_visible()
    page.get_by_role("button", name="Fetch now").click()
    expect(page.get_by_text("own.csv: the same bytes as before.")).to_be_visible()

    page.get_by_role("button", name="Fetch it by itself").click()
    page.get_by_role("combobox", name="It is fetched").click()
    page.get_by_role("option", name="every night at two").click()
    expect(page.get_by_text("At 02:00", exact=True)).to_be_visible()
    page.get_by_role("button", name="Fetch it then").click()
    expect(page.get_by_text(re.compile("^At 02:00, "))).to_be_visible()
    page.get_by_role("radio", name=re.compile("What is clean is applied")).click()

    # The next delivery is laid out, and its time comes.
    (lists / "own.csv").write_bytes((DATA / "quarrow-week-2.csv").read_bytes())
    at_its_time(installation)
    page.goto(f"{store}/runs")
    row = page.get_by_role("row", name=re.compile("own.csv"))
    expect(row.get_by_text("applied")).to_be_visible(timeout=60_000)

    # The one after it is strange: it is held, told on the first screen, and explained.
    (lists / "own.csv").write_bytes(strange((DATA / "quarrow-week-2.csv").read_bytes()))
    at_its_time(installation)
    page.goto(f"{store}/arrivals")
    held = page.get_by_role("link", name=re.compile("guard"))
    expect(held).to_be_visible(timeout=60_000)
    page.goto(f"{feed}/profile")
    expect(page.get_by_text(re.compile("own.csv came: "))).to_have_count(2)
    page.goto(f"{store}/arrivals")
    held.click()
    expect(page.get_by_role("region", name="What the guards saw")).to_be_visible()
    expect(page.get_by_text(re.compile("Cost is about 100 times what it was"))).to_be_visible()

    page.get_by_role("link", name=re.compile("new$")).click()
    told = page.get_by_role("list", name="Messages").get_by_role("listitem").first
    expect(told.get_by_text("held", exact=True)).to_be_visible()
    told.get_by_role("link").click()
    expect(page.get_by_role("region", name="What the guards saw")).to_be_visible()
