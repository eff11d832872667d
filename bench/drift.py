"""How good drift findings are, over made-up weeks of suppliers in other trades and languages than
the demo's, and how long they take (``python -m bench.drift``).

Aims: 95 % of gross changes found, 80 % of subtle ones, something above a note said of at most 2 %
of ordinary weeks; a delivery of 1,000,000 rows beside five earlier ones in under 10 s and 2 GB. The
weeks are made by ``bench.drift_weeks``; ``--seeds N`` makes N of each change.
"""

from __future__ import annotations

import resource
import tempfile
import time
from collections import Counter, defaultdict
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import click
import polars as pl

from bench.drift_weeks import (
    QUIET,
    STRANGE,
    Supplier,
    Week,
    live,
    quiet_week,
    strange_week,
    supplier,
    table,
    written,
)
from nomotax.core.drift.find import behold, first
from nomotax.core.drift.imprint import Imprint, Table
from nomotax.core.drift.model import RANK, DriftFinding

#: So many articles are made one by one.
_MADE = 20_000


def found_in(week: Week) -> list[DriftFinding]:
    """What is told of a week, each earlier delivery having been looked at in its turn."""
    before: list[Imprint] = []
    last: Table | None = None
    for frame in week.before:
        now = Table(frame.lazy())
        before.append(behold(now, last, before).imprint if last is not None else first(now))
        last = now
    assert last is not None
    return behold(Table(week.new.lazy()), last, before).findings


def is_found(week: Week, said: Sequence[DriftFinding]) -> bool:
    """Whether what went wrong in a week was told, of the right column and severely enough."""
    kinds = {week.kind, *week.near}
    return any(
        one.kind in kinds
        and one.rank >= RANK[week.least]  # type: ignore[index]
        and (not week.column or not one.column or week.column in (one.column, one.to))
        for one in said
    )


@click.command()
@click.option("--seeds", default=4, help="So many weeks of each change.")
@click.option("--quiet-seeds", default=40, help="So many weeks of each that is ordinary.")
@click.option("--rows", default=1_000_000, help="0 leaves the time out.")
@click.option("--verbose", is_flag=True, help="Names what was missed.")
def main(seeds: int, quiet_seeds: int, rows: int, verbose: bool) -> None:
    """Print found, missed and false alarms, and the time of a large delivery."""
    _strange(seeds, verbose)
    _quiet(quiet_seeds, verbose)
    if rows:
        _large(rows)


def _strange(seeds: int, verbose: bool) -> None:
    found: dict[bool, Counter[bool]] = defaultdict(Counter)
    besides = 0
    for at, change in enumerate(STRANGE):
        for seed in range(seeds):
            week = strange_week(change, 1000 * at + seed)
            if week is None:
                continue
            said = found_in(week)
            right = is_found(week, said)
            found[week.gross][right] += 1
            besides += sum(o.rank > 0 and o.kind not in {week.kind, *week.near} for o in said)
            if verbose and not right:
                told = "; ".join(f"{o.severity} {o.kind} {o.column}" for o in said)
                click.echo(f"missed {week.name} ({seed}, {week.new.height} rows): {told}")
    for gross, counts in sorted(found.items(), reverse=True):
        total = sum(counts.values())
        click.echo(
            f"{'gross' if gross else 'subtle':<7} changes found {counts[True]:>4} of {total:>4} = "
            f"{100 * counts[True] / total:.1f} %"
        )
    total = sum(sum(c.values()) for c in found.values())
    click.echo(f"further findings above a note {besides / total:.2f} a strange week")


def _quiet(seeds: int, verbose: bool) -> None:
    alarms, total, notes = Counter[str](), 0, 0
    for at, name in enumerate(QUIET):
        for seed in range(seeds):
            said = found_in(quiet_week(500_000 + 1000 * at + seed, name))
            loud = [one for one in said if one.rank > 0]
            total, notes = total + 1, notes + len(said) - len(loud)
            alarms[name] += bool(loud)
            if verbose and loud:
                told = "; ".join(f"{o.severity} {o.kind} {o.column}: {o.said}" for o in loud)
                click.echo(f"false alarm, {name} ({seed}): {told}")
    click.echo(
        f"false alarms in {alarms.total()} of {total} ordinary weeks = "
        f"{100 * alarms.total() / total:.1f} %; {notes / total:.2f} notes a week"
    )


def _tiled(frame: pl.DataFrame, own: Supplier, many: int) -> pl.DataFrame:
    """The same articles many times over, each time with codes and names of their own."""
    apart = [own.names[p] for p in ("key", "gtin", "name")]
    return pl.concat(
        frame.with_columns(pl.format("{}{}", pl.col(n), pl.lit(100 + i)).alias(n) for n in apart)
        for i in range(many)
    )


def _large(rows: int) -> None:
    own = supplier(7, min(rows, _MADE))
    own.columns = list(own.names)
    with tempfile.TemporaryDirectory(prefix="nomotax-") as name:
        folder = Path(name)
        for week in range(6):
            _tiled(table(written(own)), own, rows // _MADE or 1).write_parquet(_file(folder, week))
            live(own)
        with ProcessPoolExecutor(1, get_context("spawn"), max_tasks_per_child=1) as pool:
            kept = pool.submit(_imprints, folder).result()
            seconds, peak = pool.submit(_timed, folder, kept).result()
    click.echo(f"{rows:,} rows beside five earlier ones: {seconds:.1f} s, {peak:.2f} GB")


def _file(folder: Path, week: int) -> Path:
    return folder / f"{week}.parquet"


def _imprints(folder: Path) -> list[str]:
    """What is kept of the five earlier ones."""
    before: list[Imprint] = []
    last: Table | None = None
    for week in range(5):
        now = Table(pl.scan_parquet(_file(folder, week)))
        before.append(behold(now, last, before).imprint if last is not None else first(now))
        last = now
    return [one.model_dump_json() for one in before]


def _timed(folder: Path, kept: Sequence[str]) -> tuple[float, float]:
    """Seconds and the peak of memory in GB, in a process that does nothing else."""
    before = [Imprint.model_validate_json(one) for one in kept]
    last, new = (Table(pl.scan_parquet(_file(folder, week))) for week in (4, 5))
    began = time.perf_counter()
    behold(new, last, before)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    return time.perf_counter() - began, peak


if __name__ == "__main__":
    main()
