"""The two sides of a crosswalk: the source that it leads from, and the target that it leads to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.crosswalk.plain import prefix_of
from nomotax.core.errors import NotFound
from nomotax.core.flow.context import Lookups
from nomotax.core.lookups.names import Names
from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.model import DelimitedReading, Reading, parse_reading
from nomotax.core.reading.pictures import PictureIndex
from nomotax.core.reading.profile import ColumnProfile
from nomotax.core.schema.model import StoreSchema
from nomotax.core.table import ROW
from nomotax.flows.companions import marks_of_delivery
from nomotax.flows.pictures import pictures_of
from nomotax.records.lookups import At
from nomotax.records.repository import known_id
from nomotax.records.tables import Delivery, Feed

#: Up to this many rows the bench works on the whole source; beyond it, on ``SAMPLE_ROWS`` of
#: them, evenly spread, so that an edit answers at once. A prepared changeset counts every row.
WHOLE_ROWS = 20_000
SAMPLE_ROWS = 3_000


@lru_cache(maxsize=4)
def _sample(root: str, artifact: str) -> pl.DataFrame:
    """The whole table where it is small, else rows evenly spread over it."""
    scan = artifacts().scan(artifact)
    rows = scan.select(pl.len()).collect().item()
    if rows <= WHOLE_ROWS:
        return scan.collect().rechunk()
    every = rows // SAMPLE_ROWS + 1
    # In one piece: what is worked out over many small ones takes several times as long.
    return scan.filter((pl.col(ROW) - 1) % every == 0).collect().rechunk()


@dataclass(frozen=True)
class DeliverySource:
    """One delivery of a feed: its columns, what is in them, rows to look at, and what is known of
    them whatever they hold."""

    feed: Feed
    supplier: str
    delivery: Delivery
    #: Another one whenever something is decided of the supplier's articles.
    decided: int = 0

    @property
    def id(self) -> int:
        return known_id(self.delivery)

    @property
    def name(self) -> str:
        """What the source is called, whichever of its deliveries this is."""
        return self.feed.name

    @property
    def columns(self) -> list[str]:
        return self.delivery.columns

    @property
    def rows(self) -> int:
        return self.delivery.rows

    @property
    def artifact(self) -> str:
        """Where its table is kept. Raises ``NotFound`` where it could not be read."""
        if self.delivery.table_artifact is None:
            raise NotFound(
                f"{self.delivery.file_name} could not be read: {self.delivery.error}",
                remedy="Open its reading and change how it is read.",
            )
        return self.delivery.table_artifact

    @cached_property
    def profiles(self) -> list[ColumnProfile]:
        return [ColumnProfile.model_validate(p) for p in self.delivery.profile]

    @property
    def sample(self) -> pl.DataFrame:
        """Rows evenly spread over the whole, all of a small one."""
        return _sample(artifacts().root, self.artifact)

    def window(self, offset: int, limit: int) -> pl.DataFrame:
        """Rows by position, read from the stored table."""
        return artifacts().scan(self.artifact).slice(offset, limit).collect()

    @property
    def reading(self) -> Reading:
        return parse_reading(self.delivery.reading) if self.delivery.reading else DelimitedReading()

    @property
    def decimal(self) -> DecimalMark:
        return self.reading.decimal

    @cached_property
    def marks(self) -> dict[str, DecimalMark]:
        """Columns of companions that are written with another decimal mark."""
        return marks_of_delivery(self.delivery, self.reading)

    @property
    def pictures(self) -> PictureIndex:
        return pictures_of(self.delivery)

    @property
    def standing(self) -> dict[str, str]:
        """What is known of the feed whatever is delivered."""
        code = prefix_of(self.supplier).strip("-")
        return {"supplier": self.supplier, "supplier_code": code, "feed": self.feed.name}

    @property
    def facts(self) -> dict[str, str]:
        """The same with what is known of this delivery."""
        return self.standing | received(self.delivery)


def received(delivery: Delivery) -> dict[str, str]:
    """When it came."""
    return {"received": delivery.received_at.date().isoformat()}


@dataclass(frozen=True)
class StoreTarget:
    """The products of a store: the schema, the words that its look-ups know, its categories.
    ``at`` tells the revision of each look-up by kind and name."""

    store_id: int
    name: str
    revision: int
    schema: StoreSchema
    lookups: Lookups
    at: Mapping[tuple[str, str], At]
    categories: tuple[str, ...]
    category_names: Names
