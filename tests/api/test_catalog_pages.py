"""Pages of the catalog: found, filtered and sorted as a plain list would be, as it is now."""

from __future__ import annotations

import unicodedata
from decimal import Decimal

import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.showing import Selection
from tests.api.test_path import BUNDLE, get, prepare, send, take_back

FIELDS = ("key", "title", "category", "price", "stock", "brand", "net_weight", "pigment")
NUMBERS = ("price", "stock", "net_weight")
QUERIES = st.fixed_dictionaries(
    {
        "category": st.sampled_from(["", "Painting", "Painting > Oil", "Paint", "Nowhere"]),
        "search": st.sampled_from(["", "qp-00", "BLUE", "é", "%", "half pan", "nothing like it"]),
        "sort": st.sampled_from(FIELDS),
        "descending": st.booleans(),
        "offset": st.sampled_from([0, 3, 250, 5000]),
        "limit": st.sampled_from([1, 7, 100]),
    },
    optional={"state": st.sampled_from(["live", "hidden", "archived"])},
)


def everything(client):
    """Every product, page by page."""
    found = []
    while True:
        page = get(client, "/stores/1/products", offset=len(found), limit=500)
        found += page["products"]
        if len(found) == page["total"]:
            return found


def value(product, field):
    found = product[field] if field in FIELDS[:3] else product["content"].get(field)
    if found is None or field == "key":
        return found
    if field in NUMBERS:
        return Decimal(found)
    return unicodedata.normalize("NFKD", found).lower()


def expected(products, q):
    """The same by a plain list."""
    path = q["category"]
    fits = [
        p for p in products
        if (not path or p["category"] == path or p["category"].startswith(f"{path} > "))
        and ("state" not in q or p["state"] == q["state"])
        and q["search"].lower() in f"{p['key']}\n{p['title']}".lower()
    ]  # fmt: skip
    fits.sort(key=lambda p: p["key"], reverse=q["sort"] == "key" and q["descending"])
    filled = [p for p in fits if value(p, q["sort"]) is not None]
    empty = [p for p in fits if value(p, q["sort"]) is None]
    filled.sort(key=lambda p: value(p, q["sort"]), reverse=q["descending"])
    if q["descending"] and q["sort"] != "key":
        # Those that are alike stay in the order of their keys.
        filled.sort(key=lambda p: p["key"])
        filled.sort(key=lambda p: value(p, q["sort"]), reverse=True)
    return filled + empty


@pytest.fixture
def shown(client):
    """The demo's catalog with a product hidden and one archived."""
    for key, state in (("QP-003999", "hidden"), ("QP-004005", "archived")):
        send(client, "put", f"/stores/1/products/{key}", {"state": state})
    return client, everything(client)


@settings(max_examples=60, deadline=None,
          suppress_health_check=[HealthCheck.function_scoped_fixture])  # fmt: skip
@given(query=QUERIES)
def test_any_page_is_that_of_a_plain_list(shown, query):
    client, products = shown
    page, wanted = get(client, "/stores/1/products", **query), expected(products, query)
    assert page["total"] == len(wanted)
    begin = query["offset"]
    assert [p["key"] for p in page["products"]] == [
        p["key"] for p in wanted[begin : begin + query["limit"]]
    ]


def test_a_page_is_as_the_catalog_is_after_each_change(client, work):
    before = get(client, "/stores/1/products", sort="price", descending=True)
    key = before["products"][-1]["key"]
    send(client, "put", f"/stores/1/products/{key}", {"values": {"price": "99999", "name": "Dear"}})
    page = get(client, "/stores/1/products", sort="price", descending=True)
    assert page["products"][0]["key"] == key
    assert get(client, "/stores/1/products", search="dear")["products"][0]["key"] == key
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    run = prepare(client, work)["id"]
    send(client, "post", f"/runs/{run}/apply", status=202)
    work()
    more = get(client, "/stores/1/products")["total"]
    assert more > before["total"]
    assert sum(c["count"] for c in get(client, "/stores/1/categories")["categories"]
               if c["depth"] == 0) == more  # fmt: skip
    take_back(client, work, run)
    assert get(client, "/stores/1/products")["total"] == before["total"]


def test_a_branch_that_is_renamed_is_found_by_its_new_name(client):
    count = get(client, "/stores/1/products", category="Brushes")["total"]
    body = {"do": "rename", "path": "Brushes", "to": "Brushes and knives"}
    send(client, "post", "/stores/1/categories/edits", body)
    assert get(client, "/stores/1/products", category="Brushes")["total"] == 0
    assert get(client, "/stores/1/products", category="Brushes and knives")["total"] == count > 0


def test_a_field_that_is_not_there_is_no_order(client):
    assert client.get("/api/v1/stores/1/products?sort=nowhere").status_code == 404
    assert client.get("/api/v1/stores/9/products").status_code == 404


def test_a_field_may_be_called_as_our_own_columns_are(monkeypatch):
    from nomotax.flows import listing

    frame = pl.DataFrame({"id": [1, 2, 3], "key": ["a", "b", "c"], "title": [""] * 3,
                          "category": [""] * 3, "state": ["live"] * 3})  # fmt: skip
    held = pl.DataFrame({"id": [1, 2, 3], "value": ["30", "4", None]})
    monkeypatch.setattr(listing, "read_query", lambda query, shape: held)
    for name in ("state", "id"):
        fields = (StoreField(name="sku"), StoreField(name=name, kind="integer"))
        asked = listing.Asked(StoreSchema(name="S", key="sku", fields=fields))
        found = listing.Listing(1, 0, frame).ids(Selection(), asked, name, False)
        assert found.to_list() == [2, 1, 3]
