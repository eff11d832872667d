"""The API as others see it: its description, its pages, its health."""

from __future__ import annotations

import inspect
import sys

from pydantic import BaseModel

from nomotax.api.app import create_app


def test_no_two_models_share_a_name():
    """Models of one name would overwrite each other in the description, silently."""
    described = create_app().api_doc["components"]["schemas"]
    ours = {
        model
        for name, module in list(sys.modules.items())
        if name.startswith("nomotax.")
        for _, model in inspect.getmembers(module, inspect.isclass)
        if issubclass(model, BaseModel) and model.__module__.startswith("nomotax.")
    }
    names = [m.__name__ for m in ours if m.__name__ in described]
    assert sorted(names) == sorted(set(names))


def test_every_operation_says_what_it_does_and_how_it_fails():
    document = create_app().api_doc
    assert document["openapi"].startswith("3.1")
    operations = [
        (path, method, operation)
        for path, methods in document["paths"].items()
        for method, operation in methods.items()
        if path.startswith("/api/v1") and "health" not in path
    ]
    assert len(operations) > 35
    for path, method, operation in operations:
        assert operation["summary"], (path, method)
        problem = operation["responses"]["404"]["content"]["application/json"]["schema"]
        assert problem["$ref"].endswith("/Problem"), (path, method)


def test_every_place_of_the_interface_has_an_address(client, tmp_path, monkeypatch):
    """Deep links lead to the front end; what is no page of the API is a problem document."""
    (tmp_path / "index.html").write_text("<title>Nomotax</title>")
    (tmp_path / "assets").mkdir()
    (tmp_path / "assets" / "a.js").write_text("1")
    monkeypatch.setenv("NOMOTAX_WEB", str(tmp_path))
    for path in ("/", "/s/1/feeds/1/bench", "/s/1/catalog/QP-004026"):
        answer = client.get(path)
        assert answer.status_code == 200 and b"Nomotax" in answer.data
        assert answer.cache_control.max_age == 0
    assert client.get("/assets/a.js").cache_control.max_age == 31_536_000
    missing = client.get("/api/v1/nothing")
    assert missing.status_code == 404 and missing.mimetype == "application/problem+json"


def test_health_tells_a_lost_database(client, monkeypatch):
    assert client.get("/api/v1/health").json == {"status": "ok"}
    monkeypatch.setenv("NOMOTAX_DATABASE_URL", "postgresql://postgres@127.0.0.1:1/none")
    lost = client.get("/api/v1/health")
    assert lost.status_code == 503 and lost.json["remedy"]


def test_malformed_bodies_are_answered_clearly(client):
    answer = client.put("/api/v1/feeds/1/draft", data=b"{not json", content_type="application/json")
    assert answer.status_code == 422 and answer.mimetype == "application/problem+json"
    assert answer.json["title"]
