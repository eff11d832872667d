"""Runs the engine and three hand-written programs over one feed, as whole processes in turn, and
prints times, ratios and peak memory: ``make bench``, or ``python -m bench.run --rows 100000``."""

from __future__ import annotations

import filecmp
import os
import statistics
import sys
import time
from pathlib import Path

import click

from bench.make_feed import COLUMNS, make_feed

OUT = Path(__file__).parent / "out"
#: What is aimed at: the engine's time as a share of each baseline's.
AIMS = {"by_polars": 1.5, "by_pandas": 0.5, "by_csv": None}


def run(name: str, feed: Path) -> tuple[float, int]:
    """Seconds and peak resident memory (MB) of one whole process."""
    begin = time.perf_counter()
    target = OUT / f"{name}.csv"
    command = [sys.executable, "-m", f"bench.{name}", str(feed), str(target)]
    child = os.posix_spawn(sys.executable, command, os.environ)
    _, status, usage = os.wait4(child, 0)
    if status:
        raise SystemExit(f"{name} ended with {status}")
    return time.perf_counter() - begin, usage.ru_maxrss // 1024


@click.command()
@click.option("--rows", default=1_000_000, show_default=True)
@click.option("--rounds", default=3, show_default=True)
@click.option("--slow/--no-slow", default=True, show_default=True, help="pandas and csv, too.")
def main(rows: int, rounds: int, slow: bool) -> None:
    """Compare; the slow baselines run once, the engine and Polars in turn ``rounds`` times."""
    OUT.mkdir(exist_ok=True)
    feed = OUT / f"feed-{rows}.csv"
    if not feed.exists():
        make_feed(feed, rows)
    print(f"{rows:,} rows x {COLUMNS} columns, {feed.stat().st_size >> 20} MB")
    times: dict[str, list[float]] = {}
    memory: dict[str, int] = {}
    plan = ["engine", "by_polars"] * rounds + ["by_pandas", "by_csv"] * slow
    for name in plan:
        seconds, peak = run(name, feed)
        times.setdefault(name, []).append(seconds)
        memory[name] = max(memory.get(name, 0), peak)
    engine = statistics.median(times["engine"])
    print(f"\n{'':<12}{'median s':>9}{'rows/s':>12}{'peak MB':>9}{'engine/it':>11}  aim")
    for name, measured in times.items():
        median = statistics.median(measured)
        ratio = "" if name == "engine" else f"{engine / median:.2f}"
        aim = f"at most {AIMS[name]}" if AIMS.get(name) else ""
        line = f"{name:<12}{median:>9.2f}{rows / median:>12,.0f}{memory[name]:>9}{ratio:>11}"
        print(f"{line}  {aim}")
    for name in times.keys() - {"engine"}:
        same = filecmp.cmp(OUT / "engine.csv", OUT / f"{name}.csv", shallow=False)
        print(f"engine and {name} wrote {'the same bytes' if same else 'DIFFERENT FILES'}")


if __name__ == "__main__":
    main()
