"""How long suggestions take at the sizes that are promised: 200 columns against 60 fields, and
4,000 paths with titles against 2,000 categories (``python -m bench.suggesting``). Each is set
against work on the same data that nobody would do without: profiling the columns, and cutting the
same texts into words. Without the model, which the background asks; what is loaded once a process
is loaded before.
"""

from __future__ import annotations

import csv
import random
import statistics
import time
from collections.abc import Callable, Iterator
from importlib import resources
from pathlib import Path

import click
import polars as pl

from bench.suggestions import STORE
from nomotax.core.reading.profile import profile_columns
from nomotax.core.schema.model import StoreSchema
from nomotax.core.suggest.columns import fits, weigh
from nomotax.core.suggest.facts import column_facts
from nomotax.core.suggest.lexicon import lexicon
from nomotax.core.suggest.paths import Places
from nomotax.core.suggest.sayings import Arriving
from nomotax.core.suggest.spelling import tokens

_DATA = Path(__file__).parent / "data"
_COLUMNS, _FIELDS, _PATHS, _PLACES, _TITLES = 200, 60, 4000, 2000, 8


def wide() -> tuple[StoreSchema, pl.DataFrame]:
    """A store of 60 fields, and a table of 200 columns, each with a heading of its own."""
    with (_DATA / "columns.csv").open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))[:_COLUMNS]
    cells = {
        f"{r['heading']} {n}": (r["values"].split("~") * 250)[:1000] for n, r in enumerate(rows)
    }
    copies = (f.model_copy(update={"name": f"{f.name}_2", "title": f"{f.title} 2", "role": None})
              for f in STORE.fields)  # fmt: skip
    fields = (*STORE.fields, *copies)[:_FIELDS]
    return STORE.model_copy(update={"fields": fields}), pl.DataFrame(cells)


def trees() -> tuple[list[str], list[Arriving]]:
    """Categories and paths out of the names of goods, many of them with a number behind."""
    rng = random.Random(1)
    words = resources.files("nomotax.core.suggest") / "data" / "goods.csv"
    goods = csv.DictReader(words.read_text(encoding="utf-8").splitlines())
    phrases = [name for row in goods for name in row["de"].split("|") if len(name) > 3]

    def path() -> tuple[str, ...]:
        parts = [rng.choice(phrases) for _ in range(rng.randrange(2, 5))]
        return tuple(f"{p} {rng.randrange(99)}" if rng.random() < 0.5 else p for p in parts)

    places = [" > ".join(path()) for _ in range(_PLACES)]
    arriving = [path() for _ in range(_PATHS)]
    titles = [tuple(f"{p[-1]} {rng.choice(phrases)} {n}" for n in range(_TITLES)) for p in arriving]
    return places, [Arriving(p, t) for p, t in zip(arriving, titles, strict=True)]


def timed(work: Callable[[], object]) -> float:
    """Seconds that a piece of work takes."""
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def measures() -> Iterator[tuple[str, float, str, float]]:
    """What is promised, its seconds, the baseline, and its seconds; medians of three."""
    for lists in (("goods", "values"), ("terms",)):
        lexicon(*lists).read("load")
    schema, frame = wide()
    profiles = profile_columns(frame.lazy())
    mine = [timed(lambda: fits(weigh(schema, column_facts(profiles, frame)))) for _ in range(3)]
    base = [timed(lambda: profile_columns(frame.lazy())) for _ in range(3)]
    about = f"{_COLUMNS} columns for {_FIELDS} fields"
    yield about, statistics.median(mine), "profiling the columns", statistics.median(base)
    places, arriving = trees()
    texts = [t for a in arriving for t in (*a.parts, *a.titles)]
    languages = frozenset({"en"})
    ranked = timed(lambda: Places(places, languages=languages).rank(arriving, frozenset({"de"})))
    tokens.cache_clear()
    cut = timed(lambda: [tokens(t) for t in texts])
    yield f"{_PATHS:,} paths for {_PLACES:,} categories", ranked, "cutting their texts", cut


@click.command()
def main() -> None:
    """Print seconds and ratios."""
    for about, seconds, baseline, base in measures():
        print(f"{about:<36}{seconds:>7.2f} s   {seconds / base:>6.1f} x {baseline} ({base:.2f} s)")


if __name__ == "__main__":
    main()
