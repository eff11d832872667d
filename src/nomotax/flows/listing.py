"""A catalog's products as they are looked through: what they are found and sorted by, column by
column in memory, for as long as the catalog stays as it is.

A page, a search or another order of a million products is then a matter of milliseconds, whatever
field it is by. What is shown of a product comes from the database.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field
from threading import Lock

import polars as pl
from sqlalchemy import text
from sqlmodel import Session

from nomotax.core.changes.states import TAKEN_OUT
from nomotax.core.crosswalk.compiler import TOLD
from nomotax.core.lookups.tree import SIGN
from nomotax.core.numbers import NUMBER
from nomotax.records.bulk import read_query
from nomotax.records.repositories import Stores

_COLUMNS = {
    "id": pl.Int64, "key": pl.String, "title": pl.String, "category": pl.String,
    "state": pl.String,
}  # fmt: skip
#: What is sorted by without a look into the fields; a field may well be called *state* or *id*.
LISTED = ("key", "title", "category")
#: So many catalogs are held at a time.
_HELD = 4


@dataclass(frozen=True)
class Wanted:
    """Which products: those of a branch, in a state, with a text in key or title; "" for all."""

    category: str = ""
    search: str = ""
    state: str = ""


@dataclass
class Listing:
    """``frame`` has id, key, title, category and state of every product of one store's catalog as
    it was at ``revision``, by key."""

    store_id: int
    revision: int
    frame: pl.DataFrame
    _lock: Lock = field(default_factory=Lock)
    _values: dict[str, pl.Series] = field(default_factory=dict)
    _written: dict[str, pl.Series] = field(default_factory=dict)
    _texts: pl.Series | None = None
    _last: tuple[tuple[Wanted, str, bool], pl.Series] | None = None

    def ids(self, wanted: Wanted, by: str, numeric: bool, descending: bool) -> pl.Series:
        """The products wanted, in the order of a column or a field; those without a value last,
        and by key where they are alike."""
        with self._lock:
            asked = (wanted, by, descending)
            if self._last is None or self._last[0] != asked:
                self._last = asked, self._found(wanted, by, numeric, descending)
            return self._last[1]

    def shown(self, wanted: Wanted) -> pl.DataFrame:
        """key, title and state of the products wanted, by key."""
        with self._lock:
            return self.frame.filter(self._fits(wanted)).select("key", "title", "state")

    def values(self, names: Sequence[str]) -> pl.DataFrame:
        """key, and ``__told:<field>`` of these fields of every product, as they are
        written."""
        with self._lock:
            for name in names:
                if name not in self._written:
                    self._written[name] = self._read(name, numeric=False)
            told = (self._written[name].alias(TOLD + name) for name in names)
            return self.frame.select("key", *told)

    def counts(self) -> dict[str, int]:
        """Products by category."""
        return dict(self.frame["category"].value_counts().iter_rows())

    def _found(self, wanted: Wanted, by: str, numeric: bool, descending: bool) -> pl.Series:
        frame = self.frame
        if by != "key":
            frame = frame.with_columns(self._column(by, numeric).alias("by"))
        frame = frame.filter(self._fits(wanted))
        if by == "key":
            return frame["id"].reverse() if descending else frame["id"]
        return frame.sort(
            "by", descending=descending, nulls_last=True, maintain_order=True
        )["id"]  # fmt: skip

    def _fits(self, wanted: Wanted) -> pl.Series:
        fits = pl.repeat(True, self.frame.height, eager=True)
        if wanted.category:
            path = self.frame["category"]
            fits &= (path == wanted.category) | path.str.starts_with(wanted.category + SIGN)
        if wanted.state:
            fits &= self.frame["state"] == wanted.state
        if wanted.search:
            if self._texts is None:
                both = pl.concat_str("key", "title", separator="\n").str.to_lowercase()
                self._texts = self.frame.select(both).to_series()
            fits &= self._texts.str.contains(wanted.search.lower(), literal=True)
        return fits

    def _column(self, by: str, numeric: bool) -> pl.Series:
        """What a column is sorted by: numbers as such, texts whatever their case and accents."""
        if by not in self._values:
            there = by in LISTED
            found = self.frame[by] if there else self._read(by, numeric)
            plain = found if numeric else found.str.normalize("NFKD").str.to_lowercase()
            self._values[by] = plain
        return self._values[by]

    def _read(self, name: str, numeric: bool) -> pl.Series:
        """The values of a field, in the order of the frame."""
        kind = NUMBER if numeric else pl.String()
        found = read_query(
            f"select id, content ->> '{name}' as value from products "
            f"where store_id = {self.store_id} and content ? '{name}'",
            {"id": pl.Int64, "value": pl.String},
        ).with_columns(pl.col("value").cast(kind, strict=False))
        return self.frame.select("id").join(found, on="id", how="left", maintain_order="left")[
            "value"
        ]


_LISTINGS: OrderedDict[tuple[int, int], Listing] = OrderedDict()
_GUARD = Lock()


def listing_of(db: Session, store_id: int) -> Listing:
    """The listing of a store's catalog as it is now, read when it has changed. Raises
    ``NotFound``."""
    revision = Stores(db).get(store_id).revision
    # A database that was put in the place of another has an id of its own.
    oid = text("select oid::int from pg_database where datname = current_database()")
    place = (db.connection().execute(oid).scalar_one(), store_id)
    with _GUARD:
        known = _LISTINGS.get(place)
        if known is None or known.revision != revision:
            known = _LISTINGS[place] = Listing(store_id, revision, _read_all(store_id))
        _LISTINGS.move_to_end(place)
        while len(_LISTINGS) > _HELD:
            _LISTINGS.popitem(last=False)
        return known


def _read_all(store_id: int) -> pl.DataFrame:
    query = (
        f"select id, key, title, category, state from products "
        f"where store_id = {store_id} and state <> '{TAKEN_OUT}'"
    )
    return read_query(query, _COLUMNS).sort("key")
