"""Artifacts in a bucket: a delivery on its whole way, and what lies nearby."""

import os
from pathlib import Path

import pytest

from nomotax.artifacts.nearby import Nearby
from nomotax.artifacts.store import artifacts
from nomotax.core.errors import NotFound
from tests.api.test_path import get, send, take_back
from tests.api.test_reading import upload
from tests.intake.test_places import KEY, bucket, bucket_server

# Fixtures that are used by their names.
__all__ = ["bucket", "bucket_server"]


@pytest.fixture
def kept(bucket, monkeypatch, tmp_path):
    """The bucket that holds the artifacts, asked for its objects' names."""
    s3, address = bucket
    for name, value in (
        ("AWS_ENDPOINT_URL", address), ("AWS_ACCESS_KEY_ID", KEY["key"]),
        ("AWS_SECRET_ACCESS_KEY", KEY["secret"]), ("AWS_DEFAULT_REGION", "eu-west-1"),
        ("NOMOTAX_ARTIFACTS", f"s3://lists/{tmp_path.name}"),
        ("NOMOTAX_NEARBY", str(tmp_path / "nearby")),
    ):  # fmt: skip
        monkeypatch.setenv(name, value)
    return lambda: [o["Key"] for o in s3.list_objects_v2(Bucket="lists").get("Contents", [])]


def test_a_delivery_goes_its_whole_way(client, work, kept):
    body = {"supplier": "Kryddhuset", "name": "Prislista"}
    feed = send(client, "post", "/stores/1/feeds", body, 201)["id"]
    upload(client, feed, b"sku;name;cost\nKH-1;Saffran;3.05\nKH-2;Dill;2.10\n", "v1.csv")
    bench = get(client, f"/feeds/{feed}/bench")
    fills = {n: {"parts": [{"column": n}]} for n in ("sku", "name", "cost")}
    fills["category"] = {"parts": [{"text": "Brushes"}]}
    fills["price"] = {"parts": [{"text": "9.90"}], "steps": [{"do": "number"}]}
    fills["cost"]["steps"] = [{"do": "number"}]
    draft = {"crosswalk": {"fills": fills}, "revision": bench["revision"]}
    send(client, "put", f"/feeds/{feed}/draft", draft)
    run = send(client, "post", f"/feeds/{feed}/runs", status=201)["id"]
    work()
    assert get(client, f"/runs/{run}/rows")["rows"][0]["key"] == "KH-1"
    send(client, "post", f"/runs/{run}/apply", None, 202)
    work()
    product = get(client, "/stores/1/products/KH-1")["product"]
    assert product["content"]["cost"] == "3.05"
    take_back(client, work, run)
    assert get(client, f"/runs/{run}")["status"] == "undone"
    names = {key.split("/")[1] for key in kept()}
    assert {"deliveries", "tables", "imprints"} <= names and "incoming" not in names
    assert not [key for key in kept() if key.endswith(".part")]
    with pytest.raises(NotFound, match="no longer kept"):
        artifacts().scan("tables/none.parquet")


class _Bucket:
    """Files by their paths; ``fetched`` are those that were asked for."""

    def __init__(self):
        self.fetched = []

    def get_file(self, path, to):
        self.fetched.append(path)
        if path == "gone":
            raise FileNotFoundError(path)
        Path(to).write_bytes(path.encode() * 10)


def test_what_lies_nearby_is_fetched_once_and_makes_room(tmp_path):
    bucket = _Bucket()
    near = Nearby(bucket, tmp_path / "near", 25)
    assert near.file("a").read_bytes() == b"a" * 10 == near.file("a").read_bytes()
    os.utime(near.file("b"), (1, 1))
    near.file("c")
    assert bucket.fetched == ["a", "b", "c"]
    near.file("a")
    near.file("b")
    assert bucket.fetched == ["a", "b", "c", "b"]
    with pytest.raises(FileNotFoundError):
        near.file("gone")
    assert len(list((tmp_path / "near").iterdir())) == 2
