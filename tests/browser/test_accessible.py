"""Every place, in light and in dark: axe finds nothing serious, and one heading names the place."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from nomotax.demo.load import DATA
from tests.browser.conftest import feed_of

pytestmark = pytest.mark.browser

AXE = (Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js").read_text()
#: What axe calls serious or critical, with the first elements that have it.
FIND = """async (only) => {
  const options = {resultTypes: ["violations"], ...(only ? {runOnly: only} : {})};
  const found = await axe.run(document, options);
  return found.violations
    .filter((v) => ["serious", "critical"].includes(v.impact))
    .map((v) => `${v.id}: ${v.nodes.slice(0, 4).map((n) => n.html.slice(0, 160)).join(" | ")}`);
}"""

PLACES = [
    "arrivals",
    "catalog",
    "catalog/QP-004000",
    "feeds/{feed}/profile",
    "messages",
    "feeds/{feed}/unusual",
    "notes",
    "outbound",
    "runs",
    "runs/{run}",
    "runs/{run}?product=QP-004000",
    "runs/{run}?status=new&step=0",
    "schema",
    "schema?field=colour",
    "schema?view=categories",
    "schema?view=ladders",
    "schema?view=sources",
    "schema?view=rates",
    "schema?view=removed",
    "feeds/{feed}/reading",
    "feeds/{feed}/bench",
    "feeds/{feed}/bench?field=price",
    "feeds/{feed}/bench?column=Remark",
    "feeds/{feed}/matching",
    "feeds/{feed}/matching?group=found",
    "feeds/{feed}/range",
    "feeds/{feed}/categories",
    "feeds/{feed}/values",
    "feeds/{feed}/prices",
    "feeds/{feed}/guards",
    "feeds/{feed}/beside/{beside}",
    "feeds/{feed}/beside/{beside}?about=0",
]


@pytest.fixture
def worked(page: Page, store):
    """A store with one mapped feed, whose first delivery has been applied: its places."""
    ask, address = page.request, store.split("/s/")[0]
    api = f"{address}/api/v1"
    feed = feed_of(ask, store, "Quarrow Pigments").rsplit("/", 1)[1]
    bundle = json.loads((DATA / "quarrow-crosswalk.json").read_text())
    ask.put(f"{api}/feeds/{feed}/crosswalk", data=bundle)
    run = ask.post(f"{api}/feeds/{feed}/runs").json()["id"]
    wait_for(page, f"{api}/runs/{run}", "prepared")
    ask.post(f"{api}/runs/{run}/apply")
    wait_for(page, f"{api}/runs/{run}", "applied")
    # A crosswalk that makes other names, beside the one that was applied.
    bench = ask.get(f"{api}/feeds/{feed}/bench").json()
    bench["crosswalk"]["fills"]["name"]["steps"] = [{"do": "affix", "before": "New: "}]
    draft = {"crosswalk": bench["crosswalk"], "revision": bench["revision"]}
    ask.put(f"{api}/feeds/{feed}/draft", data=draft)
    sides = {"before": {"version": 1}, "after": {"version": 0}}
    beside = ask.post(f"{api}/feeds/{feed}/contrasts", data=sides).json()["id"]
    wait_for(page, f"{api}/contrasts/{beside}", "ready")
    known = {"feed": feed, "run": run, "beside": beside}
    return [f"{store}/{place.format(**known)}" for place in PLACES]


def wait_for(page: Page, address: str, status: str) -> None:
    for _ in range(300):
        if page.request.get(address).json()["status"] == status:
            return
        page.wait_for_timeout(100)
    pytest.fail(f"{address} did not become {status}")


def violations(page: Page, scheme: str = "light") -> list[str]:
    """Once more for the dark scheme it is about what colours are alone."""
    page.wait_for_load_state("networkidle")
    if not page.evaluate("() => 'axe' in window"):
        page.evaluate(AXE)
    return page.evaluate(FIND, ["color-contrast"] if scheme == "dark" else None)


def test_nothing_serious_stands_in_the_way_of_anybody(page: Page, worked) -> None:
    page.emulate_media(color_scheme="light", reduced_motion="reduce")
    found = {}
    for place in worked:
        page.goto(place)
        page.wait_for_load_state("networkidle")
        expect(page.get_by_role("heading", level=1)).to_have_count(1)
        for scheme in ("light", "dark"):
            page.emulate_media(color_scheme=scheme, reduced_motion="reduce")
            expect(page.locator("html")).to_have_attribute("data-scheme", scheme)
            if wrong := violations(page, scheme):
                found[f"{place.split('/s/')[1]}, {scheme}"] = wrong
        page.emulate_media(color_scheme="light", reduced_motion="reduce")
    assert not found, json.dumps(found, indent=1)


def test_nor_in_what_is_asked(page: Page, worked) -> None:
    """Dialogs and panels: a new feed, a gathering, an edit of the tree, questions, a trial."""
    arrivals, tree, reading = (next(p for p in worked if end in p) for end in
                               ("/arrivals", "view=categories", "/reading"))  # fmt: skip
    page.goto(arrivals)
    page.get_by_role("button", name="New feed").click()
    assert violations(page) == []
    page.goto(tree)
    page.get_by_role("button", name="What can be done with Painting", exact=True).click()
    page.get_by_role("menuitem", name="Delete").click()
    assert violations(page) == []
    page.goto(reading)
    page.get_by_role("button", name="Change the shape").click()
    page.get_by_role("menuitem", name="Gather").click()
    page.get_by_label("One row for each").click()
    page.get_by_role("option", name="ArtNo").click()
    page.keyboard.press("Escape")
    expect(page.get_by_label("EAN is kept as")).to_be_visible()
    assert violations(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("button", name="open question").click()
    assert violations(page) == []
    page.get_by_role("button", name="Some rows, or from a day").click()
    expect(page.get_by_role("form", name="Prepare otherwise")).to_be_visible()
    assert violations(page) == []
