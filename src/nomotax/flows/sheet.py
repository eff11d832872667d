"""Many cells of the catalog that a person writes at once: one run, applied as it is written. The
good ones are taken, of each of the others it is said what is wrong."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import polars as pl
from pydantic import BaseModel, Field
from sqlmodel import Session, col, select

from nomotax.core.changes.cells import CELLS, cells_written
from nomotax.core.changes.states import LIVE, STATE, STATES
from nomotax.core.schema.model import StoreSchema
from nomotax.flows.editing import Edit, write_edits
from nomotax.flows.headings import headings_of
from nomotax.flows.listing import listing_of
from nomotax.records.catalog import Catalog, in_catalog
from nomotax.records.database import session
from nomotax.records.products import Product
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id

#: So many cells are written at once; more of them are a run that is looked at first.
MOST = 20_000
_AT_A_TIME = 5_000


class RowEdit(BaseModel):
    """Values of a product's fields, null to empty one, and what the person ``saw`` in them. The
    state is one of them, as *$state*."""

    key: str
    values: dict[str, str | None] = Field(min_length=1, max_length=200)
    saw: dict[str, str | None] = {}


class SheetEdit(BaseModel):
    """Rows that are written together; with ``keep`` no feed changes these cells any more."""

    rows: list[RowEdit] = Field(min_length=1, max_length=MOST)
    keep: bool = False


class RefusedCell(BaseModel):
    key: str
    field: str
    value: str | None
    why: str


class SheetWritten(BaseModel):
    """The run that has ``written`` so many cells, null where none is other than it was, how many
    were so already, and the cells that were not taken."""

    run_id: int | None
    written: int
    same: int
    refused: list[RefusedCell]


def write_sheet(store_id: int, edit: SheetEdit) -> SheetWritten:
    """Write cells. Raises ``NotFound`` for a store that is not there; what is wrong with a cell is
    said of that cell."""
    with session() as db:
        stores = Stores(db)
        store = stores.locked(store_id)
        schema = stores.schema(store_id)
        cells = _cells(edit)
        products = _products(db, store_id, cells["key"].unique())
        told = cells_written(
            schema, cells.filter(pl.col("field") != STATE),
            frozenset(stores.category_paths(store_id)),
        )  # fmt: skip
        told = _judged(db, store_id, schema, pl.concat([told, _states(cells)]), edit, products)
        good = told.filter(pl.col("why").is_null())
        edits = list(_edits(good, products))
        written = sum(len(one.after) for one in edits)
        run_id = None
        if edits:
            store.revision += 1
            db.add(store)
            called = edits[0].key if len(edits) == 1 else f"{len(edits)} products"
            run = write_edits(db, store_id, edits, schema, called)
            run_id = known_id(run)
            if edit.keep:
                by_field = good.filter(pl.col("field") != STATE).group_by("field")
                for (name,), own in by_field:
                    Catalog(db, store_id).keep_those(own["key"].to_list(), str(name), run.actor)
        revision = store.revision
    if edits:
        with session() as db:
            # What other requests look through follows without reading the catalog again.
            listing_of(db, store_id, patched=(revision, good, headings_of(schema)))
    return SheetWritten(
        run_id=run_id,
        written=written,
        same=good.height - written,
        refused=[
            RefusedCell.model_validate(row)
            for row in told.filter(pl.col("why").is_not_null()).iter_rows(named=True)
        ],
    )


def _cells(edit: SheetEdit) -> pl.DataFrame:
    """All cells; of one that stands there twice the last one counts."""
    several = {(row.key, f): value for row in edit.rows for f, value in row.values.items()}
    rows = [(key, name, value) for (key, name), value in several.items()]
    return pl.DataFrame(rows, schema=CELLS, orient="row")


def _states(cells: pl.DataFrame) -> pl.DataFrame:
    """States as they are written: that of a live product is none."""
    own, value = pl.col("field") == STATE, pl.col("value")
    strange = pl.format("There is no state {}.", value.fill_null("without a name"))
    return cells.filter(own).with_columns(
        pl.when(value != LIVE).then(value).alias("written"),
        pl.when(~value.is_in(list(STATES)).fill_null(False)).then(strange).alias("why"),
    )


def _products(db: Session, store_id: int, keys: pl.Series) -> dict[str, Product]:
    """The products with these keys, by them."""
    found: dict[str, Product] = {}
    for start in range(0, keys.len(), _AT_A_TIME):
        part = keys[start : start + _AT_A_TIME].to_list()
        query = select(Product).where(*in_catalog(store_id), col(Product.key).in_(part))
        found |= {one.key: one for one in db.exec(query)}
    return found


def _judged(
    db: Session,
    store_id: int,
    schema: StoreSchema,
    told: pl.DataFrame,
    edit: SheetEdit,
    products: dict[str, Product],
) -> pl.DataFrame:
    """With what is wrong with good cells beside the catalog: their product is not there, somebody
    has written another value since they were seen, another product has theirs."""
    saw = {(row.key, name): value for row in edit.rows for name, value in row.saw.items()}
    rows = told.to_dicts()
    for row in rows:
        key, name = row["key"], row["field"]
        product = products.get(key)
        if product is None:
            row["why"] = row["why"] or f"There is no product {key!r}."
        elif row["why"] is None and (key, name) in saw:
            there = product.state if name == STATE else product.content.get(name)
            if saw[key, name] != there:
                row["why"] = f"It is {there or 'empty'} by now."
    for name in {row["field"] for row in rows} & {f.name for f in schema.fields if f.unique}:
        own = [row for row in rows if row["field"] == name and row["key"] in products]
        wanted = [row["written"] for row in own if row["written"] is not None]
        _refuse_doubled(own, products, Catalog(db, store_id).holders(name, wanted))
    for row in rows:
        row["written"] = row["written"] if row["why"] is None else None
    return pl.DataFrame(rows, schema=told.schema)


def _refuse_doubled(
    cells: list[dict[str, Any]], products: Mapping[str, Product], holders: Mapping[str, str]
) -> None:
    """Refuse cells of a field that all products must differ in, whose value another product would
    have, too: one of ``holders``, by their values, that keeps it, or one of an earlier cell. A
    product whose cell is refused keeps what it has, which may be in the way of others."""
    while True:
        moves = [
            cell for cell in cells if cell["why"] is None
            and cell["written"] != products[cell["key"]].content.get(cell["field"])
        ]  # fmt: skip
        leaving = {cell["key"] for cell in moves}
        ends = {value: key for value, key in holders.items() if key not in leaving}
        refused = False
        for cell in moves:
            value = cell["written"]
            if value is not None and ends.setdefault(value, cell["key"]) != cell["key"]:
                cell["why"] = f"'{value}' is that of {ends[value]} already."
                refused = True
        if not refused:
            return


def _edits(good: pl.DataFrame, products: dict[str, Product]) -> Iterator[Edit]:
    """What becomes of each product of which a cell holds something else then."""
    for (key,), own in good.group_by("key", maintain_order=True):
        product = products[str(key)]
        after = {
            name: value
            for name, value in zip(own["field"], own["written"], strict=True)
            if value != product.content.get(name)
        }
        if after:
            before = {f: product.content[f] for f in after if f in product.content}
            yield Edit(product.key, product.title, before, after)
