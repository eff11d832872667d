"""What is wrong in a supplier's file, told to the supplier: by the rows, columns and cells of that
file, with nothing of the store's, its other suppliers' or its prices."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl

from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.table import ROW

#: A complaint: of whole rows, column and cell are empty.
COMPLAINT = ("row", "article", "name", "column", "cell", "what")
#: What only the sender of a file can mend, in words about the cell.
_OF_CELLS: Mapping[str, str] = {
    "not_a_number": "is no number",
    "two_numbers": "holds more than one number",
    "not_whole": "is not a whole number",
    "not_a_measure": "is no measure",
    "no_unit": "has no unit",
    "unknown_unit": "has a unit that is not known",
    "two_currencies": "names two currencies",
    "no_currency": "says no currency",
    "not_a_gtin": "is no GTIN",
    "wrong_check_digit": "is a GTIN with a wrong check digit",
    "damaged_barcode": "is a barcode that a spreadsheet has damaged",
    "not_a_date": "is no date",
    "not_yes_or_no": "is neither yes nor no",
    "not_a_link": "is no web address",
    "no_picture": "names a picture that did not come with the file",
    "no_pack": "is a pack of nothing",
    "too_small": "is below nothing",
}
#: The same about whole rows.
_OF_ROWS: Mapping[str, str] = {
    "repeated_key": "the article stands on several rows that differ",
    "repeated_row": "the same row again",
    "alike_variants": "another variant of the article is told apart by nothing",
    "broken_row": "the row is broken",
}
_MISSING = "is empty"
#: Before the name of an arriving column, which may be that of any other.
_CELL = "cell:"


def complaints(
    problems: pl.DataFrame,
    arriving: pl.LazyFrame,
    crosswalk: Crosswalk,
    own: Sequence[str],
    about: Mapping[str, Sequence[str]],
) -> pl.DataFrame:
    """``problems`` (as ``PROBLEM_SCHEMA``) as ``COMPLAINT``, each once, by row. ``own`` are the
    columns of the file itself; ``about`` has those that tell the *article* and its *name*. A cell
    is named only where what was seen at fault stands in it: what the store has made of it is no
    fault of the supplier's."""
    fills = crosswalk.all_fills()
    reads = {f: [c for c in fill.columns if c in own] for f, fill in fills.items()}
    theirs = problems.filter(pl.col("kind").is_in([*_OF_CELLS, *_OF_ROWS, "missing"]))
    columns = sorted({c for c in own if any(c in r for r in [*reads.values(), *about.values()])})
    wanted = arriving.filter(pl.col(ROW).is_in(theirs["row"].unique().implode()))
    cells = [pl.col(c).alias(_CELL + c) for c in columns]
    rows = wanted.select(pl.col(ROW).cast(pl.UInt32).alias("row"), *cells).collect()
    told = theirs.join(rows, on="row", how="left", maintain_order="left")
    found = [_of_rows(told), *(_of_cells(told, field, reads[field]) for field in reads)]
    named = pl.concat(found).join(
        rows.select("row", *(_together(about[n], own).alias(n) for n in ("article", "name"))),
        on="row", how="left", maintain_order="left",
    )  # fmt: skip
    order = {column: n for n, column in enumerate(own)}
    placed = pl.col("column").replace_strict(order, default=-1, return_dtype=pl.Int32)
    return named.unique(maintain_order=True).sort("row", placed).select(COMPLAINT)


def _together(columns: Sequence[str], own: Sequence[str]) -> pl.Expr:
    """The cells of some columns, as one text; empty where there are none."""
    cells = [pl.col(_CELL + c) for c in columns if c in own]
    return pl.concat_str([*cells, pl.lit("")], separator=" ", ignore_nulls=True).str.strip_chars()


def _of_rows(told: pl.DataFrame) -> pl.DataFrame:
    own = told.filter(pl.col("kind").is_in([*_OF_ROWS]))
    said = pl.col("kind").replace_strict(_OF_ROWS, return_dtype=pl.String, default="")
    broken = pl.format("{}: {}", said, pl.col("message"))
    what = pl.when(pl.col("kind") == "broken_row").then(broken).otherwise(said)
    none = pl.lit("")
    return own.select("row", none.alias("column"), none.alias("cell"), what.alias("what"))


def _of_cells(told: pl.DataFrame, field: str, reads: Sequence[str]) -> pl.DataFrame:
    """What is wrong in the cells that one field is read from."""
    own = told.filter(pl.col("field") == field)
    found = [pl.DataFrame(schema={"row": pl.UInt32, "column": pl.String, "cell": pl.String,
                                  "what": pl.String})]  # fmt: skip
    empty = pl.all_horizontal(pl.lit(True), *(_blank(c) for c in reads))
    said = pl.col("kind").replace_strict(_OF_CELLS, return_dtype=pl.String, default="")
    for column in reads:
        missing = (pl.col("kind") == "missing") & empty
        stands = _stands(pl.col(_CELL + column))
        faulty = pl.col("kind").is_in([*_OF_CELLS]) & (pl.col("seen") != "") & stands
        # What the store allows at least is its own affair, unless nothing can be below it.
        faulty &= (pl.col("kind") != "too_small") | pl.col("seen").str.contains(r"^\s*-")
        found.append(
            own.filter(missing | faulty).select(
                "row", pl.lit(column).alias("column"),
                pl.col(_CELL + column).fill_null("").alias("cell"),
                pl.when(pl.col("kind") == "missing").then(pl.lit(_MISSING)).otherwise(said)
                .alias("what"),
            )
        )  # fmt: skip
    return pl.concat(found)


def _stands(cell: pl.Expr) -> pl.Expr:
    """Whether what was seen stands in a cell; a number may have been read with another mark."""
    seen = pl.col("seen")
    marked = seen.str.replace(".", ",", literal=True)
    found = cell.str.contains(seen, literal=True) | cell.str.contains(marked, literal=True)
    return found.fill_null(False)


def _blank(column: str) -> pl.Expr:
    return pl.col(_CELL + column).fill_null("").str.strip_chars() == ""
