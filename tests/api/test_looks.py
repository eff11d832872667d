"""Suggestions that the background works out: what is there at once, what comes, and for whom."""

from __future__ import annotations

import io

import pytest
from sqlmodel import select

from nomotax.core.suggest.meaning import meaning
from nomotax.flows import likely
from nomotax.records.database import session
from nomotax.records.tables import Ranking

GOODS = """Nr;Bezeichnung;Warengruppe;EK
A1;Kolibri Aquarellfarbe;Farben/Aquarell;1,20
A2;Falke Ölfarbe;Farben/Öl;2,20
A3;Specht Rundpinsel Borste;Geräte/Pinsel;3,20
A4;Specht Flachpinsel Borste;Geräte/Pinsel;3,50
"""

needs_meaning = pytest.mark.skipif(meaning() is None, reason="the language model is not installed")


@pytest.fixture
def feed(client):
    """A feed of somebody new, its paths entering the store's category."""
    made = client.post("/api/v1/stores/1/feeds", json={"supplier": "Farbhof", "name": "Preise"})
    feed = made.json["id"]
    form = {"file": (io.BytesIO(GOODS.encode()), "preise.csv")}
    assert client.post(f"/api/v1/feeds/{feed}/deliveries", data=form).status_code == 201
    column = "Warengruppe"
    fill = client.get(f"/api/v1/feeds/{feed}/fill?field=category&column={column}").json["fill"]
    state = client.get(f"/api/v1/feeds/{feed}/bench").json
    crosswalk = state["crosswalk"] | {"fills": state["crosswalk"]["fills"] | {"category": fill}}
    kept = {"crosswalk": crosswalk, "revision": state["revision"]}
    assert client.put(f"/api/v1/feeds/{feed}/draft", json=kept).status_code == 200
    return feed


def tree(client, feed):
    said = client.get(f"/api/v1/feeds/{feed}/categories").json
    assert "views" in said, said
    (view,) = said["views"]
    return view["looking"], {row["path"]: row["proposals"] for row in view["arriving"]}


def asked():
    """Jobs for the background that wait."""
    with session() as db:
        query = "select count(*) from procrastinate_jobs where queue_name = 'looks'"
        return db.connection().exec_driver_sql(query).scalar()


@needs_meaning
def test_a_small_tree_is_ranked_at_once_and_by_meaning_later(client, feed, look):
    looking, at_once = tree(client, feed)
    assert looking == {"done": 0, "total": 0} and asked() == 1
    assert at_once["Farben/Aquarell"] and tree(client, feed) == (looking, at_once)
    assert asked() == 1, "it is asked for once"
    look()
    looking, later = tree(client, feed)
    assert looking is None and later["Farben/Aquarell"][0]["place"].endswith("Watercolour")
    assert client.get(f"/api/v1/feeds/{feed}/questions").json["questions"] and asked() == 1
    with session() as db:
        (kept,) = db.exec(select(Ranking)).all()
        assert kept.done == kept.total > 0


@needs_meaning
def test_another_tree_of_the_store_is_looked_at_anew(client, feed, look):
    tree(client, feed)
    look()
    assert tree(client, feed)[0] is None
    (view,) = client.get(f"/api/v1/feeds/{feed}/categories").json["views"]
    placed = {"table": view["table"], "places": {"Geräte": "Tools of a new kind"}}
    assert client.put(f"/api/v1/feeds/{feed}/categories", json=placed).status_code == 200
    assert tree(client, feed)[0] == {"done": 0, "total": 0} and asked() == 2


def test_without_the_model_nothing_more_is_to_come(client, feed, monkeypatch):
    monkeypatch.setattr(likely, "has_meaning", lambda: False)
    looking, places = tree(client, feed)
    assert looking is None and places["Farben/Aquarell"] and asked() == 0


def test_a_large_tree_is_never_ranked_while_a_person_waits(client, feed, look, monkeypatch):
    monkeypatch.setattr(likely, "has_meaning", lambda: False)
    monkeypatch.setattr(likely, "meaning", lambda: None)
    monkeypatch.setattr(likely, "_AT_ONCE", 10)
    looking, places = tree(client, feed)
    assert looking and not any(places.values()) and asked() == 1
    look()
    looking, places = tree(client, feed)
    assert looking is None and places["Farben/Aquarell"]
