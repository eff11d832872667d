"""How long deciding takes in a review of a million lines: filters, decisions about all that a
filter shows, what applying would then write: ``python -m bench.review``. A filter that was not
asked before, and a decision with the page and the counts after it, have an aim of 0.3 s each.
"""

from __future__ import annotations

import click
from flask.testing import FlaskClient

from bench.catalog import Clock, apply, at_95, changed, prepared, status
from bench.edit import OUT, server, set_up
from bench.ranges import delivery
from nomotax.flows import runs

AIM = 0.3


def decided(client: FlaskClient, run: int) -> None:
    """Every filter and every decision is one that was not asked before."""

    def get(path: str) -> None:
        answer = client.get(f"/api/v1/runs/{run}{path}")
        assert answer.status_code == 200, answer.text

    def decide(verdict: str, field: str = "", **of: object) -> None:
        body = {"verdict": verdict, "of": of, "field": field}
        answer = client.post(f"/api/v1/runs/{run}/decisions", json=body)
        assert answer.status_code == 201, answer.text

    def release(search: str) -> None:
        body = {"verdict": "release", "of": {"search": search}, "reason": "measured"}
        answer = client.post(f"/api/v1/runs/{run}/decisions", json=body)
        assert answer.status_code == 201, answer.text

    lines = client.get(f"/api/v1/runs/{run}/rows?status=changed&limit=200").json["rows"]
    at_95(
        "filter by a search", lambda n: get(f"/rows?status=changed&search=number+{n + 10}"), aim=AIM
    )
    at_95("decline one line", lambda n: decide("decline", keys=[lines[n]["key"]]), aim=AIM)
    at_95(
        "decline all that a filter shows",
        lambda n: decide("decline", search=f"number {n + 60}"),
        aim=AIM,
    )
    get("/decisions")
    at_95(
        "brush over the bars of a price",
        lambda n: get(f"/rows?status=changed&field=price&least={n}.01&most={n + 9}&limit=200"),
        aim=AIM,
    )
    at_95(
        "let through what a search shows",
        lambda n: release(f"number {n + 90}"),
        aim=AIM,
    )

    def whole(n: int) -> None:
        """A decision about the changed lines, the page and the counts, as the screen asks."""
        decide("accept" if n % 2 else "decline", status="changed", search=f"{n}" if n else "")
        get("/rows?status=changed&limit=200")
        get("/decisions")

    at_95("decide, page and counts", whole, 10, AIM)

    def one_field(n: int) -> None:
        """The same about one field of them."""
        decide("decline", "price", status="changed", search=f"{n + 20}")
        get("/rows?status=changed&limit=200")
        get("/decisions")

    at_95("one field, page and counts", one_field, 5, AIM)


@click.command()
@click.option("--rows", default=1_000_000, show_default=True)
def main(rows: int) -> None:
    """Measure, and print each beside its aim."""
    OUT.mkdir(exist_ok=True)
    clock = Clock()
    with server() as client:
        feed = set_up(client, rows)
        first = prepared(client, feed, delivery(client, feed))
        runs.prepare(first)
        apply(first)
        second = prepared(client, feed, changed(client, feed, rows))
        clock("prepare", lambda: runs.prepare(second))
        assert status(second) == "prepared"
        decided(client, second)


if __name__ == "__main__":
    main()
