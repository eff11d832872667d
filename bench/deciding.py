"""How long decisions take at the sizes of large stores, through the API on a real PostgreSQL: an
answer in a table of 3,000 words, a placing in a tree of 4,000 leaves, a trial of a price ladder
over a feed and a catalog of a million; each beside the same at a hundredth of the size:
``python -m bench.deciding``."""

from __future__ import annotations

import io
import statistics
import time
from collections.abc import Callable, Iterator
from typing import Any

import click
from flask.testing import FlaskClient
from sqlalchemy import text

from bench.edit import server, set_up
from nomotax.records.database import session
from nomotax.records.repositories import Feeds

WORDS, LEAVES = 3_000, 4_000
AIMS = {"answer": 0.200, "placing": 0.200, "ladder": 0.500}


def p95(seconds: list[float]) -> float:
    return statistics.quantiles(seconds, n=20)[-1]


def timed(work: Callable[[], Any]) -> float:
    begin = time.perf_counter()
    answer = work()
    taken = time.perf_counter() - begin
    assert answer.status_code == 200, answer.text
    return taken


def feed(client: FlaskClient, name: str, rows: Iterator[str]) -> int:
    """A feed with one delivery: code, word, path, cost."""
    body = {"supplier": name, "name": "List"}
    made = int(client.post("/api/v1/stores/1/feeds", json=body).json["id"])
    data = "code;word;path;cost\n" + "\n".join(rows)
    form = {"file": (io.BytesIO(data.encode()), "list.csv")}
    answer = client.post(f"/api/v1/feeds/{made}/deliveries", data=form)
    assert answer.status_code == 201, answer.text
    bench = client.get(f"/api/v1/feeds/{made}/bench").json
    walk = bench["crosswalk"]
    walk["fills"] = {
        "sku": {"parts": [{"column": "code"}]},
        "colour": {
            "parts": [{"column": "word"}],
            "steps": [{"do": "value_table", "table": f"{name} words"}],
        },
        "category": {
            "parts": [{"column": "path"}],
            "steps": [{"do": "category_table", "table": f"{name} tree"}],
        },
    }
    put = {"crosswalk": walk, "revision": bench["revision"]}
    answer = client.put(f"/api/v1/feeds/{made}/draft", json=put)
    assert answer.status_code == 200, answer.text
    return made


def stocked(client: FlaskClient, share: int) -> tuple[int, str]:
    """A feed of so many words and paths, a ``share`` of the full size."""
    words, leaves = WORDS // share, LEAVES // share
    name = f"Bench {share}"
    paths = [f"Top {n % 20}/Branch {n % 200}/Leaf {n}" for n in range(leaves)]
    rows = (f"C-{n};word {n % words};{paths[n % leaves]};1" for n in range(4 * LEAVES // share))
    return feed(client, name, rows), name


def answers(client: FlaskClient, made: int, name: str, n: int) -> float:
    """One word answered, and the questions that are left."""

    def work() -> Any:
        body = {"table": f"{name} words", "words": {f"word {n}": "Blue"}}
        client.put(f"/api/v1/feeds/{made}/values", json=body)
        return client.get(f"/api/v1/feeds/{made}/values")

    return timed(work)


def placings(client: FlaskClient, made: int, name: str, n: int) -> float:
    """One leaf placed, and the tree as it then is."""

    def work() -> Any:
        path = f"Top {n % 20}/Branch {n % 200}/Leaf {n}"
        body = {"table": f"{name} tree", "places": {path: f"Shop > Kind {n % 50}"}}
        client.put(f"/api/v1/feeds/{made}/categories", json=body)
        return client.get(f"/api/v1/feeds/{made}/categories")

    return timed(work)


def trials(client: FlaskClient, made: int, n: int) -> float:
    """A ladder that is not saved, over the feed's products."""
    rungs = [
        {"start": "0", "kind": "markup", "amount": str(50 + n)},
        {"start": "10", "kind": "margin", "amount": "40"},
    ]
    body = {"ladder": {"name": "Standard", "rungs": rungs, "ending": "95"}}
    return timed(lambda: client.post(f"/api/v1/feeds/{made}/prices/try", json=body))


def stock(count: int) -> None:
    """So many products of another supplier's in the catalog beside those that are priced."""
    with session() as db:
        Feeds(db, 1).supplier_named("Another")
        db.flush()
        db.connection().execute(
            text(
                "insert into products (store_id, supplier_id, key, title, category, variant_group,"
                " content, changed_at) select 1, s.id, 'X-' || n, '', '', '',"
                " jsonb_build_object('sku', 'X-' || n, 'price', '9.95'), now()"
                " from generate_series(1, :n) n, suppliers s where s.name = 'Another'"
            ),
            {"n": count},
        )


def shop(client: FlaskClient) -> None:
    """The store's tree, of as many leaves."""
    paths = [f"Shop > Kind {n % 50} > Part {n}" for n in range(LEAVES)]
    answer = client.post("/api/v1/stores/1/categories", json={"paths": paths})
    assert answer.status_code == 200, answer.text


@click.command()
@click.option("--rows", default=1_000_000, show_default=True)
@click.option("--count", default=20, show_default=True)
def main(rows: int, count: int) -> None:
    """Measure each, large and small in turn."""
    with server() as client:
        shop(client)
        sizes = {"large": stocked(client, 1), "small": stocked(client, 100)}
        stock(rows)
        priced = {"large": set_up(client, rows), "small": set_up(client, rows // 100)}
        taken: dict[tuple[str, str], list[float]] = {}
        for n in range(count + 2):
            for size, (made, name) in sizes.items():
                limit = 30 if size == "small" else WORDS
                found = {
                    "answer": answers(client, made, name, n % limit),
                    "placing": placings(client, made, name, n % limit),
                    "ladder": trials(client, priced[size], n),
                }
                if n < 2:
                    continue  # what is loaded once
                for what, seconds in found.items():
                    taken.setdefault((what, size), []).append(seconds)
    for what, aim in AIMS.items():
        large, small = taken[what, "large"], taken[what, "small"]
        ratio = statistics.median(large) / statistics.median(small)
        print(
            f"{what:<8} p50 {statistics.median(large) * 1000:>5.0f} ms, "
            f"p95 {p95(large) * 1000:>5.0f} ms (aim {aim * 1000:.0f}); "
            f"{ratio:.1f} of the small one's {statistics.median(small) * 1000:.0f} ms"
        )


if __name__ == "__main__":
    main()
