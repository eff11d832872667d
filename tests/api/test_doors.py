"""Doors: whose requests are answered, where is fetched from, what is kept locked, and that no
request at all breaks the server."""

from __future__ import annotations

import io
import json
from urllib.parse import quote

import psycopg
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from openapi_spec_validator import validate
from sqlmodel import select

from nomotax.api.app import create_app
from nomotax.core.errors import UnreadableFile
from nomotax.flows.receive import set_password, source_of
from nomotax.records.database import session
from nomotax.records.secrets import lock, unlock
from nomotax.records.tables import Delivery, Feed

RATE = {"source": "USD", "target": "EUR", "rate": "0.9125", "day": "2026-11-20"}


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 200),
        ({"Origin": "http://localhost"}, 200),
        ({"Sec-Fetch-Site": "same-origin"}, 200),
        ({"Origin": "http://evil.example"}, 403),
        ({"Origin": "http://localhost:8080"}, 403),
        ({"Origin": "null"}, 403),
        ({"Sec-Fetch-Site": "cross-site"}, 403),
        ({"Host": "evil.example"}, 403),
        ({"Host": "evil.example", "Origin": "http://evil.example"}, 403),
    ],
)
def test_only_our_own_pages_may_change_anything(client, headers, status):
    answer = client.put("/api/v1/stores/1/rates", json=RATE, headers=headers)
    assert answer.status_code == status, answer.text
    if status == 403:  # the remedy is one that helps
        foreign_host = headers.get("Host") is not None
        assert ("NOMOTAX_HOSTS" in answer.json["remedy"]) is foreign_host
    kept = client.get("/api/v1/stores/1/lookups").json["rates"]
    assert len(kept) == (status == 200)


def test_a_page_under_another_name_is_not_answered_even_to_read(client, monkeypatch):
    asked = {"Host": "shop.example:8420"}
    assert client.get("/api/v1/stores", headers=asked).status_code == 403
    monkeypatch.setenv("NOMOTAX_HOSTS", "office.example, shop.example")
    assert client.get("/api/v1/stores", headers=asked).status_code == 200


def test_a_foreign_upload_brings_nothing(client):
    form = {"file": (io.BytesIO(b"a;b\n1;2\n"), "x.csv")}
    answer = client.post(
        "/api/v1/feeds/1/deliveries", data=form, headers={"Origin": "http://evil.example"}
    )
    assert answer.status_code == 403
    feed = client.get("/api/v1/stores/1/arrivals").json["feeds"][0]
    assert len(feed["deliveries"]) == 1


def test_answers_say_what_a_browser_may_do(client):
    for path in ("/api/v1/stores", "/", "/api/v1/none"):
        headers = client.get(path).headers
        assert "frame-ancestors 'none'" in headers["Content-Security-Policy"]
        assert headers["X-Content-Type-Options"] == "nosniff"
        assert "script-src 'self';" in headers["Content-Security-Policy"]


@pytest.mark.parametrize(
    "path",
    ["arrivals", "products", "categories", "runs", "lookups", "schema", "outbound"],
)
def test_an_unknown_store_is_not_found(client, path):
    for store in (99, 10**12, 10**30):
        answer = client.get(f"/api/v1/stores/{store}/{path}")
        assert answer.status_code in (404, 422), (store, answer.text)


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("get", "/feeds/99999999999999999999/bench", None),
        ("get", "/feeds/1/bench?delivery_id=99999999999999999999", None),
        ("get", "/stores/1/products/a%00b", None),
        ("get", "/stores/1/products?search=%00", None),
        ("put", "/stores/1/chains", '{"name": "a\\u0000b", "steps": []}'),
        ("put", "/stores/1/chains", '{"name": "a\\ud800b", "steps": []}'),
        ("put", "/stores/1/kept", '{"key": "\\u0000", "field": "price", "kept": true}'),
        ("post", "/feeds/1/copy", '{"feed_id": 99999999999999999999}'),
    ],
)
def test_what_no_database_can_keep_is_refused_not_stumbled_over(client, method, path, body):
    more = {"data": body, "content_type": "application/json"} if body else {}
    answer = getattr(client, method)(f"/api/v1{path}", **more)
    assert answer.status_code in (404, 422), answer.text
    assert answer.mimetype == "application/problem+json"


def test_passwords_of_archives_are_locked(client, tmp_path):
    set_password(1, "open sesame")
    with session() as db:
        kept = db.exec(select(Feed).where(Feed.id == 1)).one().password
        delivery = db.exec(select(Delivery)).first()
    assert "sesame" not in kept and unlock(kept) == "open sesame" and lock(kept) == kept
    with source_of(delivery, kept) as source:
        assert source.password == "open sesame"
    assert (tmp_path / "secret.key").stat().st_mode & 0o077 == 0
    (tmp_path / "secret.key").unlink()
    with pytest.raises(UnreadableFile, match="another key") as refused:
        unlock(kept)
    assert refused.value.remedy == "Enter the password again."


def test_the_private_database_lets_nobody_in_without_its_password(cluster):
    right = cluster.url
    with psycopg.connect(right) as known:
        assert known.execute("select 1").fetchone() == (1,)
    for wrong in ("", ":guess"):
        address = right.replace(f":{cluster.password}@", f"{wrong}@")
        with pytest.raises(psycopg.OperationalError, match="password"):
            psycopg.connect(address)
    assert (cluster.folder / "password").stat().st_mode & 0o077 == 0


def test_the_published_description_is_valid_openapi():
    validate(create_app().api_doc)


def ask(client, case):
    """The made-up request, sent as it is."""
    body = {}
    if case.media_type == "multipart/form-data":
        parts = case.body if isinstance(case.body, dict) else {}
        body = {"data": {k: (io.BytesIO(_bytes(v)), "x.csv") if k == "file" else str(v)
                         for k, v in parts.items()}}  # fmt: skip
    elif case.media_type is not None and not isinstance(case.body, schemathesis.core.NotSet):
        body = {"data": json.dumps(case.body), "content_type": "application/json"}
    query = {k: v for k, v in (case.query or {}).items() if v is not None}
    return client.open(
        quote(case.formatted_path, safe="/%"), method=case.method, query_string=query, **body
    )


def _bytes(value):
    return value if isinstance(value, bytes) else str(value).encode("utf-8", "replace")


def test_no_request_of_the_description_breaks_the_server(client):
    """A bounded walk through every operation with made-up requests: no answer is a 5xx."""
    surface = schemathesis.openapi.from_dict(create_app().api_doc)
    limits = settings(
        max_examples=5, deadline=None, derandomize=True, phases=[Phase.generate], database=None,
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    broken, walked = [], 0
    for found in surface.get_all_operations():
        operation = found.ok()
        if "demo" in operation.path:
            continue  # the demo's own doors wait for files and weeks

        @limits
        @given(case=operation.as_strategy())
        def requests(case):
            answer = ask(client, case)
            if answer.status_code >= 500:
                broken.append((case.method, case.formatted_path, case.body, answer.text[:120]))

        requests()
        walked += 1
    assert walked > 60 and broken == []
