"""Deliveries of a chandler's list in Norwegian, as tables of texts."""

from __future__ import annotations

import random
from collections.abc import Sequence
from functools import cache

import polars as pl

from nomotax.core.drift.find import Beheld, behold, first
from nomotax.core.drift.imprint import Imprint, Table

COLOURS = ("rød", "grønn", "blå", "hvit")
GROUPS = ("Tau", "Blokker", "Seil > Stor", "Seil > Fokk")


def goods(rows: int = 40, seed: int = 1) -> list[dict[str, str | None]]:
    """A first week."""
    rng = random.Random(seed)
    return [
        {
            "Varenr": f"T-{1000 + 7 * i}",
            "Navn": f"Skjøt nr {i}",
            "Gruppe": GROUPS[i % 4],
            "Pris": f"{rng.uniform(20, 900):.2f}".replace(".", ","),
            "Valuta": "NOK",
            "Vekt g": str(rng.randint(20, 4000)),
            "Lager": str(rng.choice((0, *range(2, 80)))),
            "Farge": COLOURS[i % 4],
            "Dato": f"{1 + i % 27:02d}.{1 + i % 11:02d}.2027",
        }
        for i in range(rows)
    ]


def later(rows: list[dict[str, str | None]], seed: int) -> list[dict[str, str | None]]:
    """An ordinary week later: some prices creep, stocks are sold, a few come in."""
    rng = random.Random(seed)
    made = []
    for row in rows:
        new = dict(row)
        if rng.random() < 0.3:
            price = float(str(row["Pris"]).replace(",", ".")) * rng.uniform(0.98, 1.03)
            new["Pris"] = f"{price:.2f}".replace(".", ",")
        stock = int(int(str(row["Lager"])) * rng.uniform(0.5, 1))
        new["Lager"] = str(stock + 200 * (rng.random() < 0.1))
        made.append(new)
    return made


def table(rows: list[dict[str, str | None]]) -> Table:
    return Table(pl.DataFrame(rows, infer_schema_length=None).lazy(), ",")


def history(weeks: int = 3) -> list[list[dict[str, str | None]]]:
    """Ordinary weeks, the newest last."""
    made = [goods()]
    for seed in range(1, weeks):
        made.append(later(made[-1], seed))
    return made


def imprints(weeks: Sequence[Table]) -> list[Imprint]:
    """What is kept of deliveries, each held beside those before it."""
    made: list[Imprint] = []
    for at, one in enumerate(weeks):
        made.append(behold(one, weeks[at - 1], made).imprint if at else first(one))
    return made


def told(*weeks: Table, cut: bool = False) -> Beheld:
    """What is told of the last of some deliveries."""
    return behold(weeks[-1], weeks[-2], imprints(weeks[:-1]), cut)


@cache
def ordinary(weeks: int = 3) -> tuple[list[Table], list[Imprint]]:
    """Ordinary weeks, and what is kept of them."""
    tables = [table(rows) for rows in history(weeks)]
    return tables, imprints(tables)


def kinds(beheld: Beheld) -> set[tuple[str, str]]:
    """What is told above a note, and of which columns."""
    return {(one.kind, one.column) for one in beheld.findings if one.rank}
