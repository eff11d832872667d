"""What a product has beside its plain fields: pictures, variants, texts in other languages."""

from __future__ import annotations

import io
import json

import pytest

from nomotax.demo.load import DATA
from tests.api.test_path import BUNDLE, get, send, take_back


def crosswalk_of(supplier):
    return json.loads((DATA / f"{supplier}-crosswalk.json").read_text("utf-8"))


def apply(client, work, feed=1):
    run = send(client, "post", f"/feeds/{feed}/runs", status=201)
    work()
    send(client, "post", f"/runs/{run['id']}/apply", None, 202)
    work()
    assert get(client, f"/runs/{run['id']}")["status"] == "applied"
    return run


def receive(client, feed, name, data):
    form = {"file": (io.BytesIO(data), name)}
    assert client.post(f"/api/v1/feeds/{feed}/deliveries", data=form).status_code == 201


@pytest.mark.parametrize("suppliers", [["Castelune Wholesale"]], ids=["castelune"])
def test_pictures_and_languages_of_an_archive_come_to_the_catalog(client, work):
    send(client, "put", "/feeds/1/crosswalk", crosswalk_of("castelune"))
    apply(client, work)
    product = get(client, "/stores/1/products/CW-00402")["product"]["content"]
    assert product["name_fr"] == "Chevalet de campagne no. 2"
    assert product["picture"].startswith("picture:") and product["picture_text"]
    name = product["picture"].removeprefix("picture:")
    picture = client.get(f"/api/v1/pictures/{name}")
    assert picture.status_code == 200 and picture.data.startswith(b"<svg")
    assert "sandbox" in picture.headers["Content-Security-Policy"]
    assert client.get("/api/v1/pictures/..%2f..%2fetc").status_code == 404
    assert client.get(f"/api/v1/pictures/{'0' * 32}.png").status_code == 404
    outbound = client.get("/api/v1/stores/1/outbound?format=csv").data.decode()
    assert f"http://localhost/api/v1/pictures/{name}" in outbound


@pytest.mark.parametrize("suppliers", [["Former platform"]], ids=["former"])
def test_a_product_shows_all_its_variants(client, work):
    send(client, "put", "/feeds/1/crosswalk", crosswalk_of("former-platform"))
    for path in ("Paper > Books", "Mediums and varnishes > Varnishes"):
        send(client, "post", "/stores/1/categories", {"paths": [path]})
    run = apply(client, work)
    shown = get(client, "/stores/1/products/OS-81007-3")
    assert [v["options"] for v in shown["variants"]] == [
        "Format: A6 | Ruling: blank", "Format: A6 | Ruling: dotted",
        "Format: A5 | Ruling: blank", "Format: A5 | Ruling: dotted",
        "Format: A4 | Ruling: blank", "Format: A4 | Ruling: dotted",
    ]  # fmt: skip
    assert shown["product"]["content"]["more_categories"] == "Paper > Books | Paper"
    take_back(client, work, run["id"])
    assert client.get("/api/v1/stores/1/products/OS-81007-3").status_code == 404


def test_a_feed_of_a_language_completes_what_another_brought(client, work):
    """Only its own fields are touched; what is not in the catalog is refused, nothing is gone."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    apply(client, work)
    body = {"supplier": "Quarrow Pigments", "name": "French texts"}
    feed = send(client, "post", "/stores/1/feeds", body, 201)["id"]
    receive(client, feed, "fr.csv", b"art;titre\n004000;Blanc de titane\n004999;Rien\n")
    bench = get(client, f"/feeds/{feed}/bench")
    fills = {
        "sku": {"parts": [{"column": "art"}], "steps": [{"do": "affix", "before": "QP-"}]},
        "name_fr": {"parts": [{"column": "titre"}]},
    }
    # As a document says it that was written before policies.
    crosswalk = {"fills": fills, "only_completes": True}
    state = send(
        client, "put", f"/feeds/{feed}/draft",
        {"crosswalk": crosswalk, "revision": bench["revision"]},
    )  # fmt: skip
    assert state["crosswalk"]["policy"]["products"] == "change"
    assert get(client, f"/feeds/{feed}/questions")["questions"] == []
    before = get(client, "/stores/1/products/QP-004000")["product"]["content"]
    run = get(client, f"/runs/{apply(client, work, feed)['id']}")
    assert {k: n for k, n in run["counts"].items() if n} == {"changed": 1, "rejected": 1}
    after = get(client, "/stores/1/products/QP-004000")["product"]["content"]
    assert after == before | {"name_fr": "Blanc de titane"}
