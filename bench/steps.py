"""Every kind of step over a million rows, against the same work written by hand in Polars:
``python -m bench.steps``. Each program is a whole process, in turn; both must give the same values.

``python -m bench.steps --apart`` times every kind of step alone, for finding slow ones.
"""

from __future__ import annotations

import os
import statistics
import sys
import time
from pathlib import Path

import click
import polars as pl

from bench.steps_job import CASES, Case, context, crosswalk, feed, schema
from nomotax.core.crosswalk.compiler import BATCH, compile_plan
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.table import FAULT, ROW

OUT = Path(__file__).parent / "out"
AIM = 1.5


def arriving(rows: int) -> pl.DataFrame:
    """The feed as the reading gives it."""
    table = feed(rows).with_row_index(ROW, 1)
    return table.with_columns(pl.lit(None, pl.String).alias(FAULT))


def by_engine(table: pl.DataFrame, cases: tuple[Case, ...]) -> pl.DataFrame:
    """Filled and checked by the plan; problems counted, as every run does."""
    names = [c for c in table.columns if c not in (ROW, FAULT)]
    plan = compile_plan(crosswalk(cases), schema(cases), context(), names)
    filled = plan.fill(table)
    problems = problems_of(filled, plan, table)
    assert problems.height == 0, problems.head(3).rows()
    return filled.select(c.name for c in cases)


def by_hand(table: pl.DataFrame, cases: tuple[Case, ...]) -> pl.DataFrame:
    """The same, checked as well, in as many rows at a time as the engine takes."""
    made = []
    for part in table.iter_slices(BATCH):
        values = part.lazy().select(c.by_hand.alias(c.name) for c in cases).collect()
        faults = values.lazy().select(c.fault().sum().alias(c.name) for c in cases).collect()
        assert not any(faults.row(0)), faults
        made.append(values)
    return pl.concat(made)


PROGRAMS = {"engine": by_engine, "by_hand": by_hand}


def _child(name: str, rows: int) -> tuple[float, int]:
    """Seconds of the work and peak memory (MB) of a process of its own."""
    command = [sys.executable, "-m", "bench.steps", "--only", name, "--rows", str(rows)]
    child = os.posix_spawn(sys.executable, command, os.environ)
    _, status, usage = os.wait4(child, 0)
    if status:
        raise SystemExit(f"{name} ended with {status}")
    return float((OUT / f"steps-{name}.txt").read_text()), usage.ru_maxrss // 1024


def _work(name: str, rows: int) -> None:
    table = arriving(rows)
    begin = time.perf_counter()
    made = PROGRAMS[name](table, CASES)
    (OUT / f"steps-{name}.txt").write_text(f"{time.perf_counter() - begin}")
    made.write_parquet(OUT / f"steps-{name}.parquet", compression="uncompressed")


def _apart(rows: int) -> None:
    table = arriving(rows)
    for case in CASES:
        seconds = {}
        for name, program in PROGRAMS.items():
            begin = time.perf_counter()
            program(table, (case,))
            seconds[name] = time.perf_counter() - begin
        ratio = seconds["engine"] / seconds["by_hand"]
        print(f"{case.name:<28}{seconds['engine']:>8.2f}{seconds['by_hand']:>8.2f}{ratio:>8.2f}")


@click.command()
@click.option("--rows", default=1_000_000, show_default=True)
@click.option("--rounds", default=3, show_default=True)
@click.option("--apart", is_flag=True)
@click.option("--only", type=click.Choice(list(PROGRAMS)))
def main(rows: int, rounds: int, apart: bool, only: str | None) -> None:
    """Compare all kinds of steps at once."""
    OUT.mkdir(exist_ok=True)
    if only:
        return _work(only, rows)
    if apart:
        return _apart(rows)
    runs = {name: [] for name in PROGRAMS}
    for _ in range(rounds):
        for name in PROGRAMS:
            runs[name].append(_child(name, rows))
    seconds = {n: statistics.median(s for s, _ in found) for n, found in runs.items()}
    kinds = len({s["do"] for c in CASES for s in c.steps})
    print(f"{rows:,} rows, {len(CASES)} fields, {kinds} kinds of steps")
    for name, found in runs.items():
        print(f"{name:<10}{seconds[name]:>8.2f} s, peak {max(m for _, m in found):,} MB")
    print(f"engine/by_hand {seconds['engine'] / seconds['by_hand']:.2f}, aim at most {AIM}")
    same = pl.read_parquet(OUT / "steps-engine.parquet").equals(
        pl.read_parquet(OUT / "steps-by_hand.parquet")
    )
    print(f"engine and by_hand gave {'the same values' if same else 'DIFFERENT VALUES'}")
    return None


if __name__ == "__main__":
    main()
