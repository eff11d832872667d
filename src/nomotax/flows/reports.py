"""A run told to others: what it changes, to a colleague; what is wrong in the file, to its
supplier."""

from __future__ import annotations

import io
from collections.abc import Iterator
from functools import partial

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.at_once import each_of
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.report import told_changes, totals
from nomotax.core.crosswalk.complaints import complaints
from nomotax.core.errors import Conflict
from nomotax.core.reading.model import parse_reading
from nomotax.core.schema.model import Role, StoreSchema
from nomotax.core.writing.tables import HEADED, write_book, write_table
from nomotax.flows.changesets import changeset_name, problems_name
from nomotax.flows.deciding import verdicts_of
from nomotax.flows.lines import prepared_run
from nomotax.flows.preparing import delivery_used
from nomotax.records.bulk import read_query
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

#: Lines that are told at once.
_PIECE = 50_000
_KNOWN = {"key": pl.String, "supplier": pl.String, "__category": pl.String}
_NUMBERS = ("difference", "percent", "products", "new", "changed", "gone", "dearer", "cheaper",
            "middle_percent", "row")  # fmt: skip


class _Reported:
    """A run's lines as people have decided, with the supplier and category of each product."""

    def __init__(self, run: Run) -> None:
        self.run = run
        with session() as db:
            self.schema: StoreSchema = Stores(db).schema(run.store_id)
            runs = Runs(db, run.store_id)
            delivered = run.kind == "delivery"
            supplier = Feeds(db, run.store_id).supplier(runs.feed(run)) if delivered else None
        self.supplier = supplier.name if supplier else None
        self.scan = artifacts().scan(changeset_name(run))
        self.verdicts = verdicts_of(run)
        self.known = read_query(
            "select p.key, s.name as supplier, p.category as __category from products p "
            f"join suppliers s on s.id = p.supplier_id where p.store_id = {int(run.store_id)}",
            _KNOWN,
        )

    def pieces(self) -> Iterator[tuple[pl.DataFrame, pl.DataFrame]]:
        """Lines as decided, and as prepared, in the order of the changeset."""
        height = int(self.scan.select(pl.len()).collect().item())
        for start in range(0, height, _PIECE):
            prepared = self.scan.slice(start, _PIECE).collect()
            at = pl.int_range(start, start + prepared.height, eager=True)
            left = self.verdicts.left(self.verdicts.corrected(prepared, at), at)
            yield self._placed(left), prepared

    def _placed(self, lines: pl.DataFrame) -> pl.DataFrame:
        field = self.schema.category_field
        sides = [side + field.name for side in (NEW, OLD)] if field else []
        said = [pl.col(c) for c in sides if c in lines.columns]
        own = pl.when(pl.col("status") == "new").then(pl.lit(self.supplier, pl.String))
        joined = lines.join(self.known, on="key", how="left", maintain_order="left")
        return joined.with_columns(
            pl.coalesce(own, "supplier").alias("supplier"),
            pl.coalesce(*said, "__category").alias("category"),
        ).drop("__category")

    def told(self, piece: tuple[pl.DataFrame, pl.DataFrame]) -> pl.DataFrame:
        """The changed values of a piece."""
        return told_changes(*piece, self.schema)


def changes_file(run_id: int, kind: str) -> Iterator[bytes]:
    """Every value that a run changes, old beside new, with the difference, by how many percent, and
    what people have decided of it. A workbook has the sums by supplier and category beside it; the
    others come in pieces. Raises ``NotFound`` before a run is prepared, ``NomotaxError`` where they
    are more than a worksheet has rows."""
    reported = _Reported(prepared_run(run_id))
    if kind in HEADED:
        parts = partial(_piece, reported, kind)
        return each_of(parts, enumerate(_or_none(reported)))
    told, sums = [], []
    for piece in _or_none(reported):
        told.append(reported.told(piece))
        sums.append(_for_sums(piece[0], reported.schema))
    out = io.BytesIO()
    if kind == "xlsx":
        lines = pl.concat(sums, how="vertical_relaxed")
        by = ("category", "supplier")
        book = {"Changes": pl.concat(told)} | {
            f"By {one}": totals(lines, one, reported.schema) for one in by
        }
        write_book(book, out, numbers=_NUMBERS)
    else:
        write_table(pl.concat(told), out, kind)
    return iter([out.getvalue()])


def _or_none(reported: _Reported) -> Iterator[tuple[pl.DataFrame, pl.DataFrame]]:
    """The pieces of a run; one without a line where it has none."""
    none = reported.scan.head(0).collect()
    empty = none.with_row_index("__at")["__at"]
    left = reported.verdicts.left(none, empty).with_columns(
        pl.lit(None, pl.String).alias("supplier"), pl.lit(None, pl.String).alias("category")
    )
    yield left, none
    yield from reported.pieces()


def _for_sums(lines: pl.DataFrame, schema: StoreSchema) -> pl.DataFrame:
    """What of lines their sums are made of."""
    price = schema.with_role(Role.PRICE)
    sides = [side + price.name for side in (OLD, NEW)] if price else []
    kept = ("supplier", "category", "status", "fields", "later", *sides)
    return lines.select(c for c in kept if c in lines.columns)


def _piece(
    reported: _Reported, kind: str, numbered: tuple[int, tuple[pl.DataFrame, pl.DataFrame]]
) -> bytes:
    number, piece = numbered
    out = io.BytesIO()
    write_table(reported.told(piece), out, kind, headed=number == 0)
    return out.getvalue()


def supplier_file(run_id: int, kind: str) -> bytes:
    """What is wrong in the file of a run's delivery, for its supplier: by its own rows, columns and
    words, with nothing of the store's. Raises ``Conflict`` for a run of no delivery, ``NotFound``.
    """
    run = prepared_run(run_id)
    if run.kind != "delivery":
        raise Conflict("This run is of no delivery.", remedy="Take one that a file was read for.")
    with session() as db:
        runs = Runs(db, run.store_id)
        crosswalk = Crosswalks(db, run.store_id).bundle(runs.version(run)).crosswalk
        schema = Stores(db).schema(run.store_id)
        delivery = delivery_used(db, run)
    joined = [c.name for c in parse_reading(delivery.reading).companions]
    own = [c for c in delivery.columns if not any(c.startswith(f"{name}: ") for name in joined)]
    fills, title = crosswalk.all_fills(), schema.with_role(Role.TITLE)
    article = [crosswalk.identity.article] if crosswalk.identity.article else []
    about = {
        "article": article or (fills[schema.key].columns if schema.key in fills else []),
        "name": fills[title.name].columns if title is not None and title.name in fills else [],
    }
    problems = artifacts().scan(problems_name(run)).collect()
    arriving = artifacts().scan(delivery.table_artifact or "")
    told = complaints(problems, arriving, crosswalk, own, about)
    out = io.BytesIO()
    if kind == "xlsx":
        write_book({"To mend": told}, out, numbers=_NUMBERS)
    else:
        write_table(told, out, kind)
    return out.getvalue()
