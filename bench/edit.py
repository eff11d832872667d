"""How long an edit on the bench takes until the refreshed sample is there, through the API, on a
feed of a million rows and, as the baseline, on one of a thousand: ``python -m bench.edit``."""

from __future__ import annotations

import io
import itertools
import os
import shutil
import statistics
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest.mock import patch

import click
from flask.testing import FlaskClient

from bench.job import BUNDLE
from bench.make_feed import make_feed

OUT = Path(__file__).parent / "out"
AIM = 0.150


@contextmanager
def server() -> Iterator[FlaskClient]:
    """The API over a database of its own, with the demo's store and no delivery."""
    from nomotax.api.app import served_app
    from nomotax.demo.load import load_demo
    from nomotax.flows import receive
    from nomotax.records.database import migrate
    from nomotax.records.postgres import Cluster, free_port

    folder = Path(tempfile.mkdtemp(prefix="nomotax-bench-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "pg", free_port())
    cluster.start()
    os.environ["NOMOTAX_DATABASE_URL"] = cluster.url
    os.environ["NOMOTAX_ARTIFACTS"] = str(folder / "artifacts")
    os.environ["NOMOTAX_SECRET_FILE"] = str(folder / "secret.key")
    # No worker is there: what is sent is read by whoever takes it.
    monkey = patch.object(receive, "awaited", lambda delivery: receive.read_queued(delivery.id))
    try:
        monkey.start()
        migrate()
        load_demo([])
        yield served_app().test_client()
    finally:
        monkey.stop()
        cluster.stop("immediate")
        shutil.rmtree(folder, ignore_errors=True)


def set_up(client: FlaskClient, rows: int) -> int:
    """A feed with one delivery of ``rows`` rows and the whole crosswalk; gives its id."""
    from nomotax.flows.receive import read_queued

    path = OUT / f"feed-{rows}.csv"
    if not path.exists():
        make_feed(path, rows)
    body = {"supplier": f"Quarrow Pigments {rows}", "name": "Weekly list"}
    feed = client.post("/api/v1/stores/1/feeds", json=body).json["id"]
    with path.open("rb") as stream:
        form = {"file": (stream, path.name)}
        made = client.post(f"/api/v1/feeds/{feed}/deliveries", data=form)
    assert made.status_code == 201, made.text
    if made.json["status"] == "reading":
        read_queued(made.json["id"])
    document = BUNDLE.model_dump(mode="json")
    put = client.put(f"/api/v1/feeds/{feed}/crosswalk", json=document)
    assert put.status_code == 200, put.text
    return int(feed)


#: Every edit says something new, so that none was worked out before.
_numbers = itertools.count()


def small_feeds(client: FlaskClient, count: int) -> None:
    """So many other feeds of the store, each with a delivery."""
    for n in range(count):
        body = {"supplier": f"Small supplier {n}", "name": "List"}
        feed = client.post("/api/v1/stores/1/feeds", json=body).json["id"]
        form = {"file": (io.BytesIO(b"code;name;g\nA-1;Spade;900\nA-2;Rake;700\n"), "list.csv")}
        made = client.post(f"/api/v1/feeds/{feed}/deliveries", data=form)
        assert made.status_code == 201, made.text


def edits(client: FlaskClient, feed: int, count: int) -> list[tuple[float, float]]:
    """Seconds of each of ``count`` edits, in which a step of another field changes: until the
    sample is filled anew and the state of every field answered, and until the rows in view, the
    open questions and the field in hand are."""
    bench: Any = client.get(f"/api/v1/feeds/{feed}/bench").json
    taken = []
    names = ["name", "brand", "form", "price", "cost", "category"]
    for n in itertools.islice(_numbers, count):
        fills = bench["crosswalk"]["fills"]
        fill = fills[names[n % 3]] if names[n % 3] in fills else fills["name"]
        fill["steps"] = [s for s in fill["steps"] if s["do"] != "affix"]
        fill["steps"].append({"do": "affix", "before": f"{n} "})
        body = {"crosswalk": bench["crosswalk"], "revision": bench["revision"]}
        begin = time.perf_counter()
        answer = client.put(f"/api/v1/feeds/{feed}/draft", json=body)
        middle = time.perf_counter()
        window = client.get(f"/api/v1/feeds/{feed}/window?limit=60")
        client.get(f"/api/v1/feeds/{feed}/questions")
        client.get(f"/api/v1/feeds/{feed}/fields/name?row=1")
        taken.append((middle - begin, time.perf_counter() - middle))
        assert answer.status_code == window.status_code == 200, answer.text
        bench = answer.json
    return taken


@click.command()
@click.option("--rows", default=1_000_000, show_default=True)
@click.option("--count", default=40, show_default=True)
@click.option("--others", default=38, show_default=True, help="Other feeds of the store.")
def main(rows: int, count: int, others: int) -> None:
    """Compare the two feeds, their edits in turn."""
    OUT.mkdir(exist_ok=True)
    with server() as client:
        small_feeds(client, others)
        feeds = {n: set_up(client, n) for n in (1000, rows)}
        taken: dict[int, list[tuple[float, float]]] = {n: [] for n in feeds}
        for feed in feeds.values():
            edits(client, feed, 3)
        for _ in range(count // 10):
            for n, feed in feeds.items():
                taken[n] += edits(client, feed, 10)
    for n, found in taken.items():
        for what, seconds in zip(
            ("sample", "rows, questions, field"), zip(*found, strict=True), strict=True
        ):
            p50, p95 = statistics.median(seconds), statistics.quantiles(seconds, n=20)[-1]
            print(f"{n:>10,} rows, {what}: p50 {p50 * 1000:.0f} ms, p95 {p95 * 1000:.0f} ms")
    half = {n: statistics.median(s for s, _ in found) for n, found in taken.items()}
    ratio = half[rows] / half[1000]
    print(f"large/small {ratio:.2f}; aim: p95 at most {AIM * 1000:.0f} ms")


if __name__ == "__main__":
    main()
