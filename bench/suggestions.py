"""How good the suggestions are, over decisions of made-up suppliers in other trades and languages
than the demo's (``python -m bench.suggestions``): how often the first and one of the first three is
right, how many are sure and right of those, what is suggested where nothing is right, how often
each score keeps what it promises, with and without the optional model, and how long it takes.

The decisions in ``bench/data`` are written without a look at what the ranker makes of them, and are
no source of its words.
"""

from __future__ import annotations

import csv
import time
from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import click
import polars as pl

from nomotax.core.reading.profile import profile_columns
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.suggest.columns import fits, weigh
from nomotax.core.suggest.facts import column_facts
from nomotax.core.suggest.lexicon import lexicon
from nomotax.core.suggest.meaning import Meaning, meaning
from nomotax.core.suggest.paths import Places
from nomotax.core.suggest.sayings import Arriving
from nomotax.core.suggest.weighing import LEAST, SURE
from nomotax.core.suggest.words import rank

_DATA = Path(__file__).parent / "data"
#: One answer: what it says, how likely in percent, whether it is sure.
Answer = tuple[str, int, bool]

_LISTS: dict[str, list[str]] = defaultdict(list)


def _rows(name: str) -> list[dict[str, str]]:
    with (_DATA / f"{name}.csv").open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file))


for _row in _rows("lists"):
    _LISTS[_row["list"]].append(_row["word"])


def _choice(name: str, title: str, words: str) -> StoreField:
    return StoreField(name=name, title=title, kind="choice", allowed=tuple(_LISTS[words]))


def _money(name: str, title: str, role: str | None = None) -> StoreField:
    return StoreField(name=name, title=title, kind="money", currency="EUR", role=role)


#: A store of everything: what every feed is mapped onto.
STORE = StoreSchema(
    name="Everything",
    key="sku",
    fields=(
        StoreField(name="sku", title="SKU", kind="identifier", role="key", required=True),
        StoreField(name="supplier_sku", title="Supplier's number", kind="identifier"),
        StoreField(name="gtin", title="GTIN", kind="gtin"),
        StoreField(name="carton_gtin", title="Carton GTIN", kind="gtin"),
        StoreField(name="name", title="Name", role="title", required=True),
        StoreField(name="short_text", title="Short description"),
        StoreField(name="description", title="Description", kind="rich_text", role="text"),
        StoreField(name="brand", title="Brand"),
        StoreField(name="category", title="Category", kind="category"),
        _money("cost", "Cost", "cost"),
        _money("price", "Price", "price"),
        _money("list_price", "Recommended price", "list_price"),
        _money("sale_price", "Sale price"),
        StoreField(name="vat", title="VAT rate", kind="decimal"),
        StoreField(name="stock", title="Stock", kind="integer", role="stock"),
        StoreField(name="min_order", title="Least order", kind="integer"),
        StoreField(name="pack", title="Pieces in a pack", kind="integer"),
        StoreField(name="net_weight", title="Net weight", kind="measure", unit="kg"),
        StoreField(name="gross_weight", title="Gross weight", kind="measure", unit="kg"),
        StoreField(name="length", title="Length", kind="measure", unit="cm"),
        StoreField(name="width", title="Width", kind="measure", unit="cm"),
        StoreField(name="height", title="Height", kind="measure", unit="cm"),
        StoreField(name="volume", title="Volume", kind="measure", unit="l"),
        _choice("colour", "Colour", "colours"),
        _choice("material", "Material", "materials"),
        _choice("size", "Size", "sizes"),
        _choice("season", "Season", "seasons"),
        StoreField(name="origin", title="Country of origin"),
        StoreField(name="tariff", title="Customs tariff number", kind="identifier"),
        StoreField(name="launch", title="Launch date", kind="date"),
        StoreField(name="discontinued", title="Discontinued", kind="yes_no"),
        StoreField(name="new", title="New", kind="yes_no"),
        StoreField(name="picture", title="Picture", kind="link", role="picture"),
    ),
)


@dataclass
class Tally:
    """Decisions of one kind, and what became of them."""

    name: str
    asked: int = 0
    first: int = 0
    third: int = 0
    sure: int = 0
    sure_right: int = 0
    nothing: int = 0
    false: int = 0
    seconds: float = 0.0
    #: Answers and right ones among them, by the tens of their score.
    curve: dict[int, list[int]] = field(default_factory=lambda: defaultdict(lambda: [0, 0]))

    def add(self, found: Sequence[Answer], right: str) -> None:
        """Count one decision; ``right`` is empty where nothing should be suggested."""
        hit = bool(found) and found[0][0] == right
        if found:
            band = self.curve[min(found[0][1] // 10, 9)]
            band[0] += 1
            band[1] += hit
        if not right:
            self.nothing += 1
            self.false += bool(found)
            return
        self.asked += 1
        self.first += hit
        self.third += right in [answer for answer, _, _ in found[:3]]
        sure = bool(found) and found[0][2]
        self.sure += sure
        self.sure_right += sure and hit

    def line(self) -> str:
        shares = (self.first / self.asked, self.third / self.asked, self.sure / self.asked)
        right = f"{self.sure_right / self.sure:>9.1%}" if self.sure else f"{'-':>9}"
        false = f"{self.false:>3} of {self.nothing}" if self.nothing else f"{'-':>8}"
        told = "".join(f"{share:>9.1%}" for share in shares)
        return f"{self.name:<22}{self.asked:>6}{told}{right}{false:>10}{self.seconds:>8.2f} s"

    def bands(self) -> str:
        """How many of the answers of each ten of scores are right."""
        told = [f"{10 * b}+: {r / n:.0%} of {n}" for b, (n, r) in sorted(self.curve.items())]
        return f"{self.name:<22}" + ", ".join(told)


def columns() -> Tally:
    """The right column for a field."""
    tally = Tally("columns")
    feeds: dict[str, list[dict[str, str]]] = defaultdict(list)
    for row in _rows("columns"):
        feeds[row["feed"]].append(row)
    for rows in feeds.values():
        cells = {r["heading"]: [v or None for v in r["values"].split("~")] * 10 for r in rows}
        frame = pl.DataFrame(cells, schema=dict.fromkeys(cells, pl.String))
        started = time.perf_counter()
        ranked = fits(weigh(STORE, column_facts(profile_columns(frame.lazy()), frame)))
        tally.seconds += time.perf_counter() - started
        right = {r["field"]: r["heading"] for r in rows}
        for name in STORE.names:
            found = [fit for fit in ranked.get(name, []) if fit.likely >= LEAST]
            if name == "sku":  # any number of the supplier's may become the store's own
                continue
            answers = [(f.column, round(100 * f.likely), f.likely >= SURE) for f in found]
            tally.add(answers, right.get(name, ""))
    return tally


def words() -> Tally:
    """The store's word for an arriving one."""
    tally = Tally("words")
    for row in _rows("words"):
        allowed = _LISTS[row["list"]]
        store = "de" if row["list"] == "farben" else "en"
        started = time.perf_counter()
        found = rank(row["word"], allowed, frozenset({row["language"]}), frozenset({store}))
        tally.seconds += time.perf_counter() - started
        tally.add([(p.place, p.score, p.sure) for p in found], row["right"])
    return tally


def paths(model: Meaning | None) -> Tally:
    """The store's category for an arriving path, with or without the model."""
    tally = Tally("paths" if model is None else "paths, with the model")
    trees: dict[str, list[str]] = defaultdict(list)
    language = {row["tree"]: row["language"] for row in _rows("trees")}
    for row in _rows("trees"):
        trees[row["tree"]].append(row["path"])
    asked: dict[tuple[str, str], list[dict[str, str]]] = defaultdict(list)
    for row in _rows("paths"):
        asked[row["tree"], row["language"]].append(row)
    for (tree, spoken), rows in asked.items():
        arriving = [Arriving(_parts(row["path"])) for row in rows]
        started = time.perf_counter()
        places = Places(trees[tree], languages=frozenset({language[tree]}), meaning=model)
        ranked = places.rank(arriving, frozenset({spoken}))
        tally.seconds += time.perf_counter() - started
        for row, found in zip(rows, ranked, strict=True):
            tally.add([(p.place, p.score, p.sure) for p in found], row["right"])
    return tally


def _parts(path: str) -> tuple[str, ...]:
    return tuple(part.strip() for part in path.split(">" if " > " in path else "/"))


def tallies() -> Iterator[Tally]:
    """Every kind of decision; what is loaded once a process is loaded before."""
    lexicon("goods", "values").read("load")
    model = meaning()
    kinds: list[Callable[[], Tally]] = [columns, words, lambda: paths(None)]
    if model is not None:
        kinds.append(lambda: paths(model))
    for kind in kinds:
        yield kind()


@click.command()
def main() -> None:
    """Print the figures."""
    heads = ("asked", "first", "three", "sure", "right", "false", "time")
    widths = (6, 9, 9, 9, 9, 10, 10)
    print(f"{'':<22}" + "".join(f"{h:>{w}}" for h, w in zip(heads, widths, strict=True)))
    known = list(tallies())
    for tally in known:
        print(tally.line())
    print("\nright, by score")
    for tally in known:
        print(tally.bands())


if __name__ == "__main__":
    main()
