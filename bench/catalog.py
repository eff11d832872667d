"""How long the catalog's life takes at a million products, through the tasks that a worker runs and
a real PostgreSQL: ``python -m bench.catalog``. Each is set beside bare COPY of the same products
into, or out of, a twin of the table with the same indexes, in the same run. Runs are done in this
process; the most memory that it holds during each is printed, too, which is no less than a worker
takes that does it alone.
"""

from __future__ import annotations

import io
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import click
import polars as pl
from flask.testing import FlaskClient
from sqlalchemy import text

from bench.edit import OUT, server, set_up
from nomotax.flows import applying, runs, undoing
from nomotax.records.database import session
from nomotax.records.runs import Runs

#: The aims: the work, as a ratio to COPY of all in, or of its share.
AIMS = {
    "prepare, all new": 0.6,
    "apply, all new": 1.5,
    "prepare against as many": 0.8,
    "prepare found in three ways": 0.8,
    "apply a tenth changed": 3.0,
    "prepare its undo": 2.0,
    "apply its undo": 2.5,
    "outbound CSV": 2.0,
}
_CHANGED = 10
#: Aims of a page, at the 95th percentile, in seconds.
PAGE = 0.2


def _most_held() -> int:
    """Kilobytes of memory."""
    told = Path("/proc/self/status").read_text()
    return int(told.split("VmHWM:")[1].split()[0])


@dataclass
class Clock:
    """Seconds by what was done."""

    seconds: dict[str, float] = field(default_factory=dict)

    def __call__(self, what: str, work: Callable[[], object]) -> None:
        Path("/proc/self/clear_refs").write_text("5")  # Linux: the most held begins anew
        begin = time.perf_counter()
        work()
        self.seconds[what] = time.perf_counter() - begin
        gigabytes = _most_held() / 1e6
        print(f"{what:<34}{self.seconds[what]:>8.1f} s   memory {gigabytes:.2f} GB", flush=True)


def status(run: int) -> str:
    with session() as db:
        return Runs.holding(db, run).get(run).status


def prepared(client: FlaskClient, feed: int, delivery: int) -> int:
    """A run that waits for its preparation."""
    answer = client.post(f"/api/v1/feeds/{feed}/runs?delivery_id={delivery}")
    assert answer.status_code == 201, answer.text
    return int(answer.json["id"])


def apply(run: int) -> None:
    applying.request_apply(run)
    applying.apply(run)
    assert status(run) == "applied"


def undo(clock: Clock, run: int) -> None:
    """Prepared, then applied, as a delivery is."""
    made = undoing.start_undo(run).id or 0
    clock("prepare its undo", lambda: runs.prepare(made))
    clock("apply its undo", lambda: apply(made))
    assert status(run) == "undone"


def changed(client: FlaskClient, feed: int, rows: int) -> int:
    """The same delivery, with another price in a tenth of the rows, that no guard holds."""
    from nomotax.flows.receive import read_queued

    frame = pl.read_csv(OUT / f"feed-{rows}.csv", separator=";", infer_schema=False)
    cost = pl.col("Cost").str.replace(",", ".").cast(pl.Decimal(12, 2)) + pl.lit("0.01").cast(
        pl.Decimal(12, 2)
    )
    dearer = cost.cast(pl.String).str.replace(".", ",", literal=True)
    other = pl.when(pl.int_range(pl.len()) % _CHANGED == 0).then(dearer)
    out = io.BytesIO()
    frame.with_columns(other.otherwise(pl.col("Cost")).alias("Cost")).write_csv(out, separator=";")
    form = {"file": (io.BytesIO(out.getvalue()), "changed.csv")}
    made = client.post(f"/api/v1/feeds/{feed}/deliveries", data=form).json
    if made["status"] == "reading":
        read_queued(made["id"])
    return int(made["id"])


def copied(clock: Clock) -> None:
    """Bare COPY of the products out, and into a twin."""
    data = OUT / "products.copy"
    with session() as db:
        driver = db.connection().connection.driver_connection
        cursor = driver.cursor()  # type: ignore[union-attr]  # psycopg's connection

        def out() -> None:
            with data.open("wb") as file, cursor.copy("copy products to stdout") as copy:
                for piece in copy:
                    file.write(piece)

        def back() -> None:
            with data.open("rb") as file, cursor.copy("copy twin from stdin") as copy:
                while piece := file.read(1 << 20):
                    copy.write(piece)
            db.commit()

        clock("COPY out", out)
        cursor.execute("create table twin (like products including all)")
        clock("COPY in", back)
    with session() as db:
        db.connection().execute(text("drop table twin"))


def find_otherwise(client: FlaskClient, feed: int) -> None:
    """Rows find their products by three things in turn, the last of which is their key."""
    ways = [
        {"fields": ["gtin", "name"], "ignore": ["case", "blanks"]},
        {"fields": ["supplier_sku"], "ignore": ["case", "punctuation", "leading_zeros"]},
        {"fields": ["sku"]},
    ]
    bench = client.get(f"/api/v1/feeds/{feed}/bench").json
    document = bench["crosswalk"] | {"identity": {"ways": ways}}
    body = {"crosswalk": document, "revision": bench["revision"]}
    answer = client.put(f"/api/v1/feeds/{feed}/draft", json=body)
    assert answer.status_code == 200, answer.text


def outbound(client: FlaskClient) -> None:
    """The whole catalog as CSV, as it is sent."""
    answer = client.get("/api/v1/stores/1/outbound?format=csv")
    assert answer.status_code == 200
    size = sum(len(piece) for piece in answer.iter_encoded())
    print(f"outbound CSV of {size / 1e6:,.0f} MB", flush=True)


def at_95(what: str, ask: Callable[[int], object], times: int = 40, aim: float = PAGE) -> None:
    """So many requests, each of which gets a number of its own; their 95th percentile."""
    taken = []
    for n in range(times):
        begin = time.perf_counter()
        ask(n)
        taken.append(time.perf_counter() - begin)
    worst = statistics.quantiles(taken, n=20)[-1]
    print(f"{what:<34}{worst:>8.2f} s p95   aim {aim}", flush=True)


def pages(client: FlaskClient, run: int, key: str, feed: int) -> None:
    """Pages of the review, the matching and the catalog, at the 95th percentile."""
    asked = {
        "first page of a review": f"/runs/{run}/rows?limit=200",
        "far page of a review": f"/runs/{run}/rows?limit=200&offset=90000",
        "search in a review": f"/runs/{run}/rows?limit=200&search={key}",
        "page of found rows": f"/feeds/{feed}/matching/rows?group=found&offset=900000",
        "search in found rows": f"/feeds/{feed}/matching/rows?group=found&search={key}",
        "catalog page": "/stores/1/products",
        "far catalog page": "/stores/1/products?offset=900000",
        "catalog search": f"/stores/1/products?search={key}",
        "catalog sorted": "/stores/1/products?sort=price",
    }
    begin = time.perf_counter()
    assert client.get("/api/v1/stores/1/products").status_code == 200
    print(f"catalog page right after a change   {time.perf_counter() - begin:.2f} s", flush=True)

    def get(path: str) -> None:
        answer = client.get(f"/api/v1{path}")
        assert answer.status_code == 200, answer.text

    for what, path in asked.items():
        at_95(what, lambda _, path=path: get(path))


@click.command()
@click.option("--rows", default=1_000_000, show_default=True)
def main(rows: int) -> None:
    """Measure, and print each as a ratio to its baseline."""
    OUT.mkdir(exist_ok=True)
    clock = Clock()
    with server() as client:
        feed = set_up(client, rows)
        first = client.get("/api/v1/stores/1/arrivals").json["feeds"][0]["deliveries"][0]["id"]
        run = prepared(client, feed, first)
        clock("prepare, all new", lambda: runs.prepare(run))
        assert status(run) == "prepared", client.get(f"/api/v1/runs/{run}").json["error"]
        clock("apply, all new", lambda: apply(run))
        copied(clock)
        second = prepared(client, feed, changed(client, feed, rows))
        clock("prepare against as many", lambda: runs.prepare(second))
        clock("apply a tenth changed", lambda: apply(second))
        find_otherwise(client, feed)
        third = prepared(client, feed, first)
        clock("prepare found in three ways", lambda: runs.prepare(third))
        assert status(third) == "prepared", client.get(f"/api/v1/runs/{third}").json["error"]
        print(client.get(f"/api/v1/runs/{third}").json["counts"], flush=True)
        clock("matching of the whole", lambda: client.get(f"/api/v1/feeds/{feed}/matching"))
        pages(client, second, "QP-000700", feed)
        clock("outbound CSV", lambda: outbound(client))
        undo(clock, second)
    told(clock.seconds)


def told(seconds: dict[str, float]) -> None:
    """The table: each beside its baseline, of which a tenth has its share."""
    whole, out = seconds["COPY in"], seconds["COPY out"]
    both = ("prepare against as many", "prepare found in three ways")
    base = dict.fromkeys(both, whole + out) | {"outbound CSV": out}
    base |= dict.fromkeys(
        ("apply a tenth changed", "prepare its undo", "apply its undo"), whole / _CHANGED
    )
    for what, aim in AIMS.items():
        ratio = seconds[what] / base.get(what, whole)
        print(f"{what:<34}{ratio:>8.2f} of COPY   aim {aim}")


if __name__ == "__main__":
    main()
