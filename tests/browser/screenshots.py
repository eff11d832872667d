"""Takes the pictures in docs/screenshots from the demo data: ``make screenshots``."""

from __future__ import annotations

import json
import sys
import time
import urllib.request
from pathlib import Path

import polars as pl
from playwright.sync_api import Browser, sync_playwright

from nomotax.core.reading.read import Source, detect, read
from nomotax.demo.load import DATA
from tests.browser.conftest import FLAGS, Installation

#: Buttons pressed before the picture is taken, by the view.
PRESSED = {
    "profile": "Change it",
    "guards": "Try on the last deliveries",
    "product": "fr",
    "questions": "open question",
    "tree": "What can be done with Painting > Gouache",
}
VIEWS = [
    ("arrivals", "/s/1/arrivals", "light"),
    ("reading", "/s/1/feeds/1/reading", "light"),
    ("bench", "/s/1/feeds/1/bench?delivery=6", "light"),
    ("profile", "/s/1/feeds/2/profile", "light"),
    ("bench-dark", "/s/1/feeds/1/bench?delivery=6&field=colour&only=questions", "dark"),
    ("categories", "/s/1/feeds/1/categories?delivery=6", "light"),
    ("values", "/s/1/feeds/1/values?delivery=6", "light"),
    ("prices", "/s/1/feeds/3/prices", "light"),
    ("review", "/s/1/runs/3", "light"),
    ("trace", "/s/1/runs/3?status=changed&field=price&product=QP-004603", "light"),
    ("catalog", "/s/1/catalog?category=Painting", "light"),
    ("guards", "/s/1/feeds/1/guards", "light"),
    ("product", "/s/1/catalog/CW-00402", "light"),
    ("questions", "/s/1/feeds/1/bench?delivery=6", "light"),
    ("store", "/s/1/schema?field=colour", "light"),
    ("tree", "/s/1/schema?view=categories", "light"),
    ("range", "/s/1/feeds/1/range", "light"),
    # These bring what the others do not show: a strange delivery, and a feed of its own.
    ("unusual", "/s/1/feeds/1/unusual", "light"),
    ("matching", "/s/1/feeds/6/matching?group=none", "light"),
]


def ask(address: str, method: str, path: str, body: object = None) -> dict:
    request = urllib.request.Request(
        f"{address}/api/v1{path}",
        method=method,
        data=json.dumps(body).encode() if body is not None else None,
        headers={"Content-Type": "application/json"},
    )
    with urllib.request.urlopen(request) as answer:
        return json.load(answer)


def two_weeks(address: str) -> None:
    """The first week applied, the second prepared with its two questions open."""
    ask(
        address,
        "PUT",
        "/feeds/1/crosswalk",
        json.loads((DATA / "quarrow-crosswalk.json").read_text()),
    )
    others = ("sollund", "brindlecombe", "castelune", "former-platform")
    for feed, name in enumerate(others, 2):
        document = json.loads((DATA / f"{name}-crosswalk.json").read_text())
        ask(address, "PUT", f"/feeds/{feed}/crosswalk", document)
    ask(address, "POST", "/stores/1/snapshots")
    settle(address, ask(address, "POST", "/feeds/1/runs")["id"], "prepared")
    ask(address, "POST", "/runs/1/apply")
    settle(address, 1, "applied")
    castelune = ask(address, "POST", "/feeds/4/runs")["id"]
    settle(address, castelune, "prepared")
    ask(address, "POST", f"/runs/{castelune}/apply?snapshot_first=true")
    settle(address, castelune, "applied")
    # What comes by itself is prepared by itself.
    fetched(address, 1)
    settle(address, 3, "prepared")


def fetched(address: str, feed: int) -> None:
    """A week passes, and the next delivery is fetched."""
    ask(address, "POST", f"/demo/feeds/{feed}/next")
    while ask(address, "GET", f"/feeds/{feed}/fetches")["fetches"][0]["status"] != "new":
        time.sleep(0.3)


def strange(address: str) -> None:
    """A third week of the pigments in which several things are not as before."""
    reading = detect(Source(DATA / "quarrow-week-2.csv")).reading
    rows = read(Source(DATA / "quarrow-week-2.csv"), reading).frame.drop("__row", "__fault")
    text = pl.col("Cost EUR").str.replace(",", "")
    part = pl.int_range(pl.len()) % 9 == 0
    rows = rows.with_columns(
        pl.when(part).then(text).otherwise("Cost EUR").alias("Cost EUR"),
        pl.when(part).then(pl.lit("0")).otherwise("Stock").alias("Stock"),
    ).rename({"Désignation": "Product"})
    send_file(address, 1, "quarrow-week-3.csv", rows.write_csv(separator=";"))


def send_file(address: str, feed: int, name: str, text: str) -> None:
    part = f'--x\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'
    data = f"{part}{text}\r\n--x--\r\n".encode()
    header = {"Content-Type": "multipart/form-data; boundary=x"}
    where = f"{address}/api/v1/feeds/{feed}/deliveries"
    urllib.request.urlopen(urllib.request.Request(where, data, header)).close()


def wholesaler(address: str) -> None:
    """A feed that names products of the store otherwise, half of them by their GTIN."""
    body = {"supplier": "Tillwick Wholesale", "name": "Net prices"}
    feed = ask(address, "POST", "/stores/1/feeds", body)["id"]
    found = ask(address, "GET", "/stores/1/products?search=Quill&limit=24")["products"]
    found = found or ask(address, "GET", "/stores/1/products?limit=24")["products"]
    lines = ["No;Item;EAN;Net"]
    for n, product in enumerate(found):
        words = product["title"].replace(",", "").split()
        ean = product["content"].get("gtin", "") if n % 3 == 0 else ""
        lines.append(f"{70400 + 3 * n};{' '.join(words[1:])};{ean};{n + 2}.40")
    send_file(address, feed, "net.csv", "\n".join(lines))
    columns = {"name": "Item", "gtin": "EAN", "cost": "Net"}
    crosswalk = {
        "fills": {f: {"parts": [{"column": c}]} for f, c in columns.items()},
        "identity": {"ways": [{"fields": ["gtin"]}], "article": "No"},
        "policy": {"products": "change", "others": "change"},
    }
    revision = ask(address, "GET", f"/feeds/{feed}/bench")["revision"]
    ask(address, "PUT", f"/feeds/{feed}/draft", {"crosswalk": crosswalk, "revision": revision})


def settle(address: str, run: int, status: str) -> None:
    for _ in range(200):
        if ask(address, "GET", f"/runs/{run}")["status"] == status:
            return
        time.sleep(0.1)
    raise SystemExit(f"run {run} never became {status}")


def take(browser: Browser, address: str, name: str, path: str, scheme: str, out: Path) -> None:
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, color_scheme=scheme, reduced_motion="reduce"
    )
    page = context.new_page()
    page.goto(address + path)
    page.wait_for_load_state("networkidle")
    if name in PRESSED:
        page.get_by_role("button", name=PRESSED[name]).first.click()
        page.wait_for_load_state("networkidle")
    if name == "trace":
        page.get_by_title("Where Price comes from").click()
        page.wait_for_load_state("networkidle")
    if name == "tree":
        page.get_by_role("menuitem", name="Merge into another").click()
        page.get_by_label("Into which category").fill("Drawing")
        page.get_by_role("option", name="Drawing", exact=True).click()
        page.get_by_text("products get another category").wait_for()
    page.wait_for_timeout(500)
    page.screenshot(path=out / f"{name}.png")
    context.close()


def main() -> None:
    out = Path(sys.argv[1])
    out.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[2:]
    installation = Installation()
    try:
        installation.command("up", "--port", str(installation.port))
        two_weeks(installation.address)
        with sync_playwright() as tool:
            browser = tool.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            for name, path, scheme in VIEWS:
                if not wanted or name in wanted:
                    if name == "unusual":
                        strange(installation.address)
                    if name == "matching":
                        wholesaler(installation.address)
                    if name == "range":
                        rules = {"rules": [{"category": "Painting > Gouache", "search": ""}]}
                        ask(installation.address, "PUT", "/feeds/1/picking", rules)
                    take(browser, installation.address, name, path, scheme, out)
            browser.close()
    finally:
        installation.remove()


if __name__ == "__main__":
    main()
