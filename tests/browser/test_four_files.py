"""Files of other trades than the demo's, from the drop to the catalog in the browser: nothing but
suggestions and hands, at most fifteen actions each, and every value as worked by hand."""

from __future__ import annotations

import base64
import json
import re

import pytest
from playwright.sync_api import Locator, Page, expect

from nomotax.core.schema.table_schema import to_descriptor
from tests.api.test_four_files import POLISH, SCHEMA, XML, workbook
from tests.browser.taking import take_the_sure_columns

pytestmark = pytest.mark.browser

#: A person's file let go over the place.
DROP = """([name, data]) => {
  const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
  const carried = new DataTransfer();
  carried.items.add(new File([bytes], name));
  const place = document.querySelector("main h1").parentElement.parentElement.parentElement;
  for (const kind of ["dragover", "drop"])
    place.dispatchEvent(new DragEvent(kind, {dataTransfer: carried, bubbles: true}));
}"""


class Hands:
    """A person at the store of a workshop: does things, and counts them."""

    def __init__(self, page: Page, store: str) -> None:
        self.page, self.store, self.actions = page, store, 0

    def click(self, what: Locator) -> None:
        self.actions += 1
        what.click()

    def press(self, name: str) -> None:
        self.click(self.page.get_by_role("button", name=re.compile(name)))

    def choose(self, label: str, option: str) -> None:
        """One of a list that opens."""
        self.page.get_by_label(label, exact=True).click()
        self.click(self.page.get_by_role("option", name=option, exact=True))

    def asked(self, label: str) -> Locator:
        """The question that has this input."""
        return self.page.get_by_role("article").filter(has=self.page.get_by_label(label))

    def accept(self, sure: int) -> None:
        self.actions += 2
        take_the_sure_columns(self.page, sure)

    def drop(self, name: str, data: bytes) -> None:
        """On the place itself, before anybody has said whose file it is."""
        self.page.goto(f"{self.store}/arrivals")
        expect(self.page.get_by_role("heading", name="Arrivals", level=1)).to_be_visible()
        self.actions += 1
        self.page.evaluate(DROP, [name, base64.b64encode(data).decode()])
        self.press("^Make it$")
        expect(self.page.get_by_role("grid", name="What arrives")).to_be_visible()

    def apply(self) -> dict[str, dict[str, str]]:
        """Prepared and applied; the catalog by key."""
        expect(self.page.get_by_role("button", name="0 open questions")).to_be_visible()
        self.press("^Prepare$")
        self.press("^Apply to")
        expect(self.page.get_by_text("applied to the catalog")).to_be_visible()
        return self.products()

    def products(self) -> dict[str, dict[str, str]]:
        address, number = self.store.split("/s/")
        page = self.page.request.get(f"{address}/api/v1/stores/{number}/products").json()
        return {p["key"]: p["content"] for p in page["products"]}


@pytest.fixture
def hands(page: Page, installation):
    """In a store of another trade, with a rate for dollars."""
    api = f"{installation.address}/api/v1"
    document = json.dumps(to_descriptor(SCHEMA)).encode()
    file = {"name": "schema.json", "mimeType": "application/json", "buffer": document}
    ask = page.request
    store = ask.post(f"{api}/stores", multipart={"name": "Workshop", "file": file}).json()["id"]
    rate = {"source": "USD", "target": "EUR", "rate": "0.8", "day": "2026-11-20"}
    ask.put(f"{api}/stores/{store}/rates", data=rate)
    paths = ["Tools > Hammers", "Tools > Saws", "Paint"]
    ask.post(f"{api}/stores/{store}/categories", data={"paths": paths})
    return Hands(page, f"{installation.address}/s/{store}")


def test_xml_with_pounds_and_dollars(hands: Hands) -> None:
    """12.50 x 0.8 = 10.00; 9.99 x 0.8 = 7.992; 1.25 lb = 0.567 kg, 8 lb = 3.629, 7 oz = 0.198."""
    hands.drop("anvil-tools.xml", XML.encode())
    hands.accept(5)
    hands.press("open question")
    for leaf in ("Hammers", "Saws"):
        asked = hands.asked(f"Store category for Hand tools > {leaf}")
        expect(asked.get_by_role("combobox")).to_have_value(f"Tools > {leaf}")
        hands.click(asked.get_by_role("button", name="Answer"))
    made = hands.apply()
    assert {k: (p["title"], p["cost"], p["weight"], p["shelf"]) for k, p in made.items()} == {
        "H-1": ("Claw hammer", "10.00", "0.567", "Tools > Hammers"),
        "H-2": ("Sledge", "32.00", "3.629", "Tools > Hammers"),
        "S-1": ("Pocket saw", "7.99", "0.198", "Tools > Saws"),
    }
    assert hands.actions <= 15


def test_a_workbook_and_the_stores_own_export_after_it(hands: Hands) -> None:
    """1742 g = 1.742 kg; 905.5 g = 0.906; 2.5 in = 6.35 -> 6.4 cm. The export is the same."""
    hands.drop("anvil-december.xlsx", workbook())
    hands.accept(6)
    hands.press("open question")
    hands.click(hands.asked("Field that Pg fills").get_by_role("button", name="Do not use"))
    made = hands.apply()
    keys = ("title", "cost", "weight", "length", "sizes")
    assert {k: tuple(p[f] for f in keys) for k, p in made.items()} == {
        "00007": ("Chalk line", "3.10", "0.250", "30.5", "S | M"),
        "00019": ("Plumb bob", "4.46", "1.742", "6.4", "M | L"),
        "01204": ("Spirit level", "18.00", "0.906", "61.0", "S | L"),
    }
    assert hands.actions <= 15
    hands.actions = 0
    address, number = hands.store.split("/s/")
    own = hands.page.request.get(f"{address}/api/v1/stores/{number}/outbound").body()
    hands.drop("own-export.csv", own)
    hands.accept(6)
    hands.press("open question")
    hands.press("^Decide together$")
    hands.press("^Do not use 4 columns$")
    hands.press("^Prepare$")
    expect(hands.page.get_by_role("tab", name=re.compile("^3 same|same 3"))).to_be_visible()
    assert hands.products() == made and hands.actions <= 15


def test_another_language_with_commas_blanks_and_a_date_in_doubt(hands: Hands) -> None:
    """1.250,50 is one thousand two hundred and fifty and a half; 1 200 g is 1.2 kg; 03/04 is the
    third of April. Money and the order of dates are asked, once each."""
    hands.drop("cennik-anvil.csv", POLISH.encode())
    hands.accept(6)
    hands.press("open question")
    hands.choose("Field that Od fills", "Launched")
    for about, meant in (("currency", "EUR"), ("date", "day")):
        asked = hands.asked(f"What is meant: {about}")
        expect(asked.get_by_role("combobox")).to_have_value(re.compile(meant))
        hands.click(asked.get_by_role("button", name="Answer"))
    for leaf in ("Farby", "Pędzle"):
        asked = hands.asked(f"Store category for Malowanie/{leaf}")
        expect(asked.get_by_role("combobox")).to_have_value("Paint")
        hands.click(asked.get_by_role("button", name="Answer"))
    made = hands.apply()
    keys = ("title", "barcode", "cost", "weight", "shelf", "launched")
    assert {k: [p[f] for f in keys] for k, p in made.items()} == {
        "P-1": ["Farba biała", "9520000000004", "1250.50", "1.200", "Paint", "2026-04-03"],
        "P-2": ["Pędzel płaski", "9520000000011", "8.90", "0.085", "Paint", "2026-02-01"],
    }
    assert hands.actions <= 15
