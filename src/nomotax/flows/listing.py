"""A catalog's products as they are looked through: what they are found and sorted by, column by
column in memory, for as long as the catalog stays as it is.

A page, a search or another order of a million products is then a matter of milliseconds, whatever
field it is by. What is shown of a product comes from the database.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from threading import Lock

import polars as pl
from sqlalchemy import text
from sqlmodel import Session

from nomotax.core.changes.fitting import FLAW
from nomotax.core.changes.states import LIVE, STATE, TAKEN_OUT
from nomotax.core.crosswalk.compiler import TOLD
from nomotax.core.lookups.tree import SIGN
from nomotax.core.numbers import NUMBER, literal, over
from nomotax.core.schema.model import Role, StoreSchema
from nomotax.core.showing import (
    CHANGED,
    KEPT,
    KEY,
    MARGIN,
    MISSING,
    PROBLEM,
    RUN,
    SUPPLIER,
    Condition,
    Selection,
    holds,
)
from nomotax.records.bulk import read_query
from nomotax.records.catalog import kept_ids, written_ids
from nomotax.records.repositories import Stores

_COLUMNS = {
    "id": pl.Int64, "key": pl.String, "title": pl.String, "category": pl.String,
    "state": pl.String, "supplier": pl.String, "changed": pl.Date,
}  # fmt: skip
#: What is sorted by without a look into the fields; a field may well be called *state* or *id*.
LISTED = ("key", "title", "category")
#: So many catalogs are held at a time.
_HELD = 4


@dataclass(frozen=True)
class Asked:
    """By what products are looked through: the store's ``schema``, and the fields that each
    ``needs`` to be complete; ``flaws``, what is wrong with products, as ``FLAW``, where that is
    asked."""

    schema: StoreSchema
    needs: tuple[str, ...] = ()
    flaws: pl.DataFrame | None = None


@dataclass
class Listing:
    """``frame`` has id, key, title, category, state, supplier and day of the last change of every
    product of one store's catalog as it was at ``revision``, by key."""

    store_id: int
    revision: int
    frame: pl.DataFrame
    _lock: Lock = field(default_factory=Lock)
    _values: dict[str, pl.Series] = field(default_factory=dict)
    _written: dict[str, pl.Series] = field(default_factory=dict)
    _texts: pl.Series | None = None
    _last: tuple[tuple[Selection, str, bool, tuple[str, ...]], pl.Series] | None = None

    def ids(self, shown: Selection, asked: Asked, by: str, descending: bool) -> pl.Series:
        """The products shown, in the order of a column or a field; those without a value last,
        and by key where they are alike."""
        with self._lock:
            about = (shown, by, descending, asked.needs)
            if self._last is None or self._last[0] != about or shown.where:
                self._last = about, self._found(shown, asked, by, descending)
            return self._last[1]

    def shown(self, shown: Selection, asked: Asked) -> pl.DataFrame:
        """id, key, title and state of the products shown, by key."""
        with self._lock:
            found = self.frame.filter(self._fits(shown, asked))
            return found.select("id", "key", "title", "state")

    def missing(self, shown: Selection, asked: Asked) -> tuple[int, int, dict[str, int]]:
        """How many products are shown, how many of them are complete, and in how many each field is
        empty that they need."""
        with self._lock:
            fits = self._fits(shown, asked)
            empty = {name: self._text(name).is_null() & fits for name in asked.needs}
            lacking = pl.repeat(False, fits.len(), eager=True)
            for one in empty.values():
                lacking |= one
            of = {name: int(one.sum()) for name, one in empty.items()}
            return int(fits.sum()), int((fits & ~lacking).sum()), of

    def count(self, shown: Selection, asked: Asked) -> int:
        """How many products are shown."""
        with self._lock:
            return int(self._fits(shown, asked).sum())

    def patch(self, revision: int, written: pl.DataFrame, heading: Mapping[str, str]) -> None:
        """The catalog at the next ``revision``, in which cells (key, field, ``written``) of some
        products hold something else. ``heading`` names the fields of the columns."""
        with self._lock:
            if revision != self.revision + 1:
                return
            columns = {own: column for column, own in heading.items()} | {STATE: "state"}
            today = pl.Series([datetime.now(UTC).date()], dtype=pl.Date)
            for (name,), cells in written.group_by("field"):
                at = self.frame["key"].search_sorted(cells["key"])
                values = cells["written"]
                if (column := columns.get(str(name))) in self.frame.columns:
                    blank = LIVE if column == "state" else ""
                    own = self.frame[column].clone().scatter(at, values.fill_null(blank))
                    self.frame = self.frame.with_columns(own.alias(column))
                changed = self.frame["changed"].clone().scatter(at, today)
                self.frame = self.frame.with_columns(changed.alias("changed"))
                if str(name) in self._written:
                    own = self._written[str(name)].clone().scatter(at, values)
                    self._written[str(name)] = own
                for known in (str(name), column):
                    self._values.pop(known or "", None)
            self._texts, self._last, self.revision = None, None, revision

    def values(self, names: Sequence[str]) -> pl.DataFrame:
        """key, and ``__told:<field>`` of these fields of every product, as they are
        written."""
        with self._lock:
            told = (self._text(name).alias(TOLD + name) for name in names)
            return self.frame.select("key", *told)

    def _text(self, name: str) -> pl.Series:
        if name not in self._written:
            self._written[name] = self._read(name)
        return self._written[name]

    def counts(self) -> dict[str, int]:
        """Products by category."""
        return dict(self.frame["category"].value_counts().iter_rows())

    def _found(self, shown: Selection, asked: Asked, by: str, descending: bool) -> pl.Series:
        frame = self.frame
        if by != "key":
            frame = frame.with_columns(self._column(by, asked.schema).alias("by"))
        frame = frame.filter(self._fits(shown, asked))
        if by == "key":
            return frame["id"].reverse() if descending else frame["id"]
        return frame.sort(
            "by", descending=descending, nulls_last=True, maintain_order=True
        )["id"]  # fmt: skip

    def _fits(self, shown: Selection, asked: Asked) -> pl.Series:
        fits = pl.repeat(True, self.frame.height, eager=True)
        if shown.category:
            path = self.frame["category"]
            fits &= (path == shown.category) | path.str.starts_with(shown.category + SIGN)
        if shown.state:
            fits &= self.frame["state"] == shown.state
        if shown.search:
            if self._texts is None:
                both = pl.concat_str("key", "title", separator="\n").str.to_lowercase()
                self._texts = self.frame.select(both).to_series()
            fits &= self._texts.str.contains(shown.search.lower(), literal=True)
        for one in shown.where:
            fits &= self._holds(one, asked)
        return fits

    def _holds(self, one: Condition, asked: Asked) -> pl.Series:
        """Of which products a condition holds."""
        if one.field in (KEPT, RUN):
            read = kept_ids if one.field == KEPT else written_ids
            own = self.frame["id"].is_in(read(self.store_id, one.value).implode())
            return ~own if one.test in ("empty", "is not") else own
        if one.field == MISSING:
            lacks = pl.repeat(False, self.frame.height, eager=True)
            for name in asked.needs:
                lacks |= self._text(name).is_null()
            return ~lacks if one.test == "empty" else lacks
        if one.field == PROBLEM:
            flaws = pl.DataFrame(schema=FLAW) if asked.flaws is None else asked.flaws
            if one.value:
                flaws = flaws.filter(pl.col("field") == one.value)
            wrong = self.frame["key"].is_in(flaws["key"].implode())
            return ~wrong if one.test in ("empty", "is not") else wrong
        if one.field == MARGIN:
            return holds(one, self._margin(asked.schema), numeric=True)
        if one.field in _PLAIN:
            values = self.frame[_PLAIN[one.field]]
            return holds(one, values.cast(pl.String), numeric=False)
        numeric = asked.schema[one.field].numeric
        values = self._text(one.field)
        return holds(one, values.cast(NUMBER, strict=False) if numeric else values, numeric)

    def _margin(self, schema: StoreSchema) -> pl.Series:
        """What of its price is left over its cost, in percent; null where one is not known."""
        price, cost = schema.with_role(Role.PRICE), schema.with_role(Role.COST)
        if price is None or cost is None or price.currency != cost.currency:
            return pl.repeat(None, self.frame.height, dtype=NUMBER, eager=True)
        both = pl.DataFrame({"price": self._text(price.name), "cost": self._text(cost.name)})
        own, pays = (pl.col(c).cast(NUMBER, strict=False) for c in ("price", "cost"))
        left = pl.when(own > 0).then(over(own - pays, own).value) * literal(100)
        return both.select(left).to_series()

    def _column(self, by: str, schema: StoreSchema) -> pl.Series:
        """What a column is sorted by: numbers as such, texts whatever their case and accents."""
        if by not in self._values:
            numeric = by not in LISTED and schema[by].numeric
            found = self.frame[by] if by in LISTED else self._text(by)
            plain = (
                found.cast(NUMBER, strict=False) if numeric
                else found.str.normalize("NFKD").str.to_lowercase()
            )  # fmt: skip
            self._values[by] = plain
        return self._values[by]

    def _read(self, name: str) -> pl.Series:
        """The values of a field, in the order of the frame."""
        found = read_query(
            f"select id, content ->> '{name}' as value from products "
            f"where store_id = {self.store_id} and content ? '{name}'",
            {"id": pl.Int64, "value": pl.String},
        )
        return self.frame.select("id").join(found, on="id", how="left", maintain_order="left")[
            "value"
        ]


#: What is asked of products beside their fields, and the columns that say it.
_PLAIN = {SUPPLIER: "supplier", CHANGED: "changed", KEY: "key"}


_LISTINGS: OrderedDict[tuple[int, int], Listing] = OrderedDict()
_GUARD = Lock()


#: The revision that cells have made of a catalog, they, and the fields of the columns.
Patch = tuple[int, pl.DataFrame, Mapping[str, str]]


def listing_of(db: Session, store_id: int, patched: Patch | None = None) -> Listing:
    """The listing of a store's catalog as it is now, read when it has changed by more than what is
    ``patched``. Raises ``NotFound``."""
    revision = Stores(db).get(store_id).revision
    # A database that was put in the place of another has an id of its own.
    oid = text("select oid::int from pg_database where datname = current_database()")
    place = (db.connection().execute(oid).scalar_one(), store_id)
    with _GUARD:
        known = _LISTINGS.get(place)
        if known is not None and patched is not None:
            known.patch(*patched)
        if known is None or known.revision != revision:
            known = _LISTINGS[place] = Listing(store_id, revision, _read_all(store_id))
        _LISTINGS.move_to_end(place)
        while len(_LISTINGS) > _HELD:
            _LISTINGS.popitem(last=False)
        return known


def _read_all(store_id: int) -> pl.DataFrame:
    query = (
        "select p.id, p.key, p.title, p.category, p.state, s.name as supplier, "
        "p.changed_at::date as changed from products p join suppliers s on s.id = p.supplier_id "
        f"where p.store_id = {int(store_id)} and p.state <> '{TAKEN_OUT}'"
    )
    return read_query(query, _COLUMNS).sort("key")
