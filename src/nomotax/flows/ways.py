"""Ways in which the rows of a delivery could find their products, before one is chosen."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from pydantic import BaseModel, Field

from nomotax.core.crosswalk.identity import Way
from nomotax.core.errors import CrosswalkError
from nomotax.core.matching.finder import Known
from nomotax.core.matching.ways import Tried, propose, tried
from nomotax.flows.known import known_products
from nomotax.flows.matching import WayCount, telling_fields, told_of
from nomotax.flows.workbench import Workbench, open_workbench


class Trials(BaseModel):
    """Ways to be tried, each by itself."""

    ways: list[Way] = Field(max_length=40)


class TriedWays(BaseModel):
    """What ways find by themselves among so many rows: evenly spread ones of a large delivery."""

    rows: int
    ways: list[WayCount]


def propose_ways(feed_id: int, delivery_id: int | None = None) -> TriedWays:
    """Ways in which the rows would find products, the best first."""
    bench = open_workbench(feed_id, delivery_id)
    fields = [f.name for f in telling_fields(bench) if f.filled]
    rows, known = _asked(bench, fields)
    return _counted(rows, propose(rows, known, fields))


def try_ways(feed_id: int, ways: Sequence[Way], delivery_id: int | None = None) -> TriedWays:
    """What ways would find, each by itself. Raises ``CrosswalkError`` for an unknown field."""
    bench = open_workbench(feed_id, delivery_id)
    fields = list(dict.fromkeys(f for way in ways for f in way.fields))
    rows, known = _asked(bench, fields)
    return _counted(rows, [tried(way, rows, known) for way in ways])


def _asked(bench: Workbench, fields: Sequence[str]) -> tuple[pl.DataFrame, Known]:
    """These fields of the rows at hand, and of all products."""
    unknown = [f for f in fields if f not in bench.schema]
    if unknown:
        raise CrosswalkError(f"The store schema has no field {', '.join(map(repr, unknown))}.")
    return told_of(bench, bench.sample, fields), known_products(bench.store_id, fields)


def _counted(rows: pl.DataFrame, found: Sequence[Tried]) -> TriedWays:
    ways = [WayCount(way=t.way, found=t.found, several=t.several) for t in found]
    return TriedWays(rows=rows.height, ways=ways)
