"""What may let somebody in is never told: not in messages, not in lists, not in a profile."""

from __future__ import annotations

import json

import pytest

from nomotax.intake.failures import masked
from nomotax.records.postgres import free_port
from tests.api.test_path import get, send


@pytest.mark.parametrize(
    ("address", "shown"),
    [
        ("https://a.example/list.csv", "https://a.example/list.csv"),
        ("https://a.example/l?token=s3cr3t-9f", "https://a.example/l?token=…"),
        ("https://a.example/l?key=12", "https://a.example/l?key=…"),
        ("https://a.example/l?format=csv&u=8f14e45fceea167a", "https://a.example/l?format=csv&u=…"),
        ("https://a.example/l?day=2026-11-30&page=2", "https://a.example/l?day=2026-11-30&page=2"),
        ("https://a.example/l?day={YYYY-MM-DD}", "https://a.example/l?day={YYYY-MM-DD}"),
        ("sftp://a.example:22/out", "sftp://a.example:22/out"),
    ],
)
def test_an_address_is_shown_without_its_secrets(address, shown):
    assert masked(address) == shown


def test_a_token_of_an_address_stands_nowhere_but_where_it_was_typed(client, work, monkeypatch):
    port, secret = free_port(), "s3cr3t-9f14e45fce"
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", f"127.0.0.1:{port}")
    source = {
        "kind": "web", "addresses": [f"http://127.0.0.1:{port}/list.csv?token={secret}"],
        "headers": [{"name": "X-Shop", "value": f"{secret}-too"}],
    }  # fmt: skip
    send(client, "put", "/feeds/1/source", {"source": source})
    monkeypatch.setattr("nomotax.intake.bringing.FIRST_WAIT", 0.01)
    send(client, "post", "/feeds/1/fetches", status=202)
    work()
    (fetch,) = get(client, "/feeds/1/fetches")["fetches"]
    assert fetch["status"] == "failed" and "token=…" in fetch["said"]
    told = [fetch, get(client, "/stores/1/messages"), get(client, "/feeds/1/profile.json")]
    told += [get(client, "/feeds/1/history"), get(client, "/stores/1/arrivals")]
    assert secret not in json.dumps(told)
    kept = get(client, "/feeds/1/source")["source"]
    assert kept["addresses"] == source["addresses"], "whoever set it finds it as it was"
    # The profile brought in again says that something is missing, and asks nobody.
    profile = get(client, "/feeds/1/profile.json") | {"name": "Again"}
    other = send(client, "post", "/stores/1/feeds/from-profile", profile, 201)["id"]
    tried = send(client, "post", f"/feeds/{other}/source/try", {"source": profile["source"]})
    assert "secret" in tried["error"]
