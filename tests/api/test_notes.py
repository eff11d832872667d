"""Notes on products: written, listed, done and removed, each with who and when."""

from __future__ import annotations

import pytest

from tests.api.test_path import get, send


def write(client, text, key="BB-100", who="", status=201, **more):
    body = {"key": key, "text": text} | more
    answer = client.post("/api/v1/stores/1/notes", json=body, headers={"X-Person": who})
    assert answer.status_code == status, answer.text
    return answer.json


def told(client, **query):
    found = get(client, "/stores/1/notes", **query)
    return [(n["key"], n["text"]) for n in found["notes"]], found["open"], found["total"]


def test_a_note_is_listed_until_it_is_done_and_by_whom(client):
    title = get(client, "/stores/1/products/BB-100")["product"]["title"]
    first = write(client, " Foto fehlt ", who="Ines", whom="Bram")["id"]
    second = write(client, "Preis prüfen", key="NEW-1")["id"]
    assert told(client) == ([("NEW-1", "Preis prüfen"), ("BB-100", "Foto fehlt")], 2, 2)
    one = get(client, "/stores/1/notes", key="BB-100")["notes"][0]
    assert (one["author"], one["whom"], one["title"], one["done_at"]) == (
        "Ines",
        "Bram",
        title,
        None,
    )
    done = {"json": {"done": True}, "headers": {"X-Person": "Bram"}}
    assert client.put(f"/api/v1/stores/1/notes/{second}", **done).status_code == 200
    # What is done comes last, and may be asked for no more.
    assert told(client) == ([("BB-100", "Foto fehlt"), ("NEW-1", "Preis prüfen")], 1, 2)
    assert told(client, only_open=True) == ([("BB-100", "Foto fehlt")], 1, 1)
    assert get(client, "/stores/1/notes", key="NEW-1")["notes"][0]["done_by"] == "Bram"
    send(client, "put", f"/stores/1/notes/{second}", {"done": False})
    assert told(client)[1] == 2 and get(client, "/stores/1/notes")["notes"][0]["done_by"] == ""
    was = send(client, "delete", f"/stores/1/notes/{first}")
    assert was == {"key": "BB-100", "text": "Foto fehlt", "whom": "Bram", "run_id": None}
    assert told(client) == ([("NEW-1", "Preis prüfen")], 1, 1)
    assert told(client, offset=1) == ([], 1, 1)


@pytest.mark.parametrize("method, path, body, status, says", [
    ("post", "notes", {"key": "BB-100", "text": "  "}, 422, "says nothing"),
    ("post", "notes", {"key": "", "text": "x"}, 422, "at least 1 character"),
    ("post", "notes", {"key": "BB-100", "text": "x" * 2_001}, 422, "at most 2000"),
    ("post", "notes", {"key": "BB-100", "text": "x", "run_id": 99}, 404, "99"),
    ("put", "notes/9", {"done": True}, 404, "no such note"),
    ("delete", "notes/9", None, 404, "no such note"),
])  # fmt: skip
def test_notes_that_are_none_are_refused(client, method, path, body, status, says):
    answer = getattr(client, method)(f"/api/v1/stores/1/{path}", json=body)
    assert answer.status_code == status and says in answer.text
    assert told(client) == ([], 0, 0)
