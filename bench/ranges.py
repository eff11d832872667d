"""How long a range of a million articles takes to look through and to pick from, and how long
resolving two feeds of half a million takes: ``python -m bench.ranges``. Resolving is set beside
bare COPY of the same products out of their table and into a twin of it, in the same run.
"""

from __future__ import annotations

import click
from flask.testing import FlaskClient

from bench.catalog import Clock, apply, at_95, copied, prepared, status
from bench.edit import OUT, server, set_up
from nomotax.flows import runs

#: The aim of preparing one of two feeds that offer the same, as a ratio to COPY in and out.
RESOLVE = 0.8


def delivery(client: FlaskClient, feed: int) -> int:
    """The delivery of a feed that has one."""
    arrivals = client.get("/api/v1/stores/1/arrivals").json
    return next(int(f["deliveries"][0]["id"]) for f in arrivals["feeds"] if f["id"] == feed)


def only_picked(client: FlaskClient, feed: int) -> None:
    """Products are made of picked articles alone."""
    bench = client.get(f"/api/v1/feeds/{feed}/bench").json
    document = bench["crosswalk"] | {"policy": {"products": "picked"}}
    body = {"crosswalk": document, "revision": bench["revision"]}
    answer = client.put(f"/api/v1/feeds/{feed}/draft", json=body)
    assert answer.status_code == 200, answer.text


def done(clock: Clock, what: str, run: int) -> None:
    """A preparation, and what it counts."""
    clock(what, lambda: runs.prepare(run))
    assert status(run) == "prepared"


def looked_through(clock: Clock, client: FlaskClient, feed: int, rows: int) -> None:
    """The range, page by page; every search and every pick is one that was not asked before."""

    def get(path: str) -> None:
        answer = client.get(f"/api/v1/feeds/{feed}/range{path}")
        assert answer.status_code == 200, answer.text

    def pick(n: int) -> None:
        body = {"articles": [f"QP-{n * 997 % rows:06d}"], "pick": True}
        answer = client.put(f"/api/v1/feeds/{feed}/picks", json=body)
        assert answer.status_code == 200, answer.text

    clock("range, first look", lambda: get(""))
    at_95("page of the range", lambda n: get(f"/articles?offset={n * 1000}"))
    at_95("far page", lambda n: get(f"/articles?offset={rows - 1000 - n}"))
    at_95("search", lambda n: get(f"/articles?search=number+{n + 100}"))
    clock("sorted by a price, first", lambda: get("/articles?sort=price"))
    at_95("page of it", lambda n: get(f"/articles?sort=price&offset={n * 1000}"))
    at_95("pick", pick)
    at_95("page after a pick", lambda n: (pick(n + 100), get("/articles"))[-1])
    body = {"shown": {"search": "number 1"}}
    many = client.put(f"/api/v1/feeds/{feed}/picks", json=body).json["changed"]
    body["pick"] = False
    clock(f"{many:,} picked no more", lambda: client.put(f"/api/v1/feeds/{feed}/picks", json=body))


@click.command()
@click.option("--rows", default=1_000_000, show_default=True)
def main(rows: int) -> None:
    """Measure, and print each beside its aim."""
    OUT.mkdir(exist_ok=True)
    clock = Clock()
    with server() as client:
        feed = set_up(client, rows)
        only_picked(client, feed)
        done(clock, "prepare a range", prepared(client, feed, delivery(client, feed)))
        looked_through(clock, client, feed, rows)
    with server() as client:
        first, second = set_up(client, rows // 2), set_up(client, rows // 2)
        run = prepared(client, first, delivery(client, first))
        done(clock, "prepare the first of two", run)
        apply(run)
        copied(clock)
        done(clock, "prepare the second alone", prepared(client, second, delivery(client, second)))
        order = {"order": [second, first], "choose": "cheapest"}
        assert client.put("/api/v1/stores/1/sources", json=order).status_code == 200
        done(clock, "prepare it among offers", prepared(client, second, delivery(client, second)))
    base = clock.seconds["COPY in"] + clock.seconds["COPY out"]
    for what in ("prepare the second alone", "prepare it among offers"):
        print(f"{what:<34}{clock.seconds[what] / base:>8.2f} of COPY   aim {RESOLVE}")


if __name__ == "__main__":
    main()
