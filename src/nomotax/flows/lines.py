"""The lines of a prepared run's changeset, and where those stand that are chosen."""

from __future__ import annotations

from decimal import Decimal
from functools import lru_cache
from typing import NamedTuple

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.again import AGAIN
from nomotax.core.changes.later import LATER
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.verdicts import Chosen
from nomotax.core.errors import NotFound
from nomotax.core.guards.facts import whole
from nomotax.core.table import ROW
from nomotax.flows.changesets import changeset_name, findings_name, problems_name
from nomotax.flows.guarding import findings_of
from nomotax.records.database import session
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

#: Before the name of a column that arrived, and where the words of lines stand.
FILE, WORD = "file:", "__word"


def prepared_run(run_id: int) -> Run:
    """A run that has been prepared. Raises ``NotFound``."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
    if not run.changes or not artifacts().exists(changeset_name(run)):
        raise NotFound("This run has no changeset yet.", remedy="Wait until it is prepared.")
    return run


def touched(scan: pl.LazyFrame) -> pl.Expr:
    """Names of the fields that a line changes, now or on their day."""
    if LATER not in scan.collect_schema():
        return pl.col("fields")
    return pl.col("fields").list.concat(pl.col(LATER).fill_null([]))


def places_of(run: Run, chosen: Chosen) -> pl.Series:
    """Where the lines stand in a run's changeset that are chosen, in order."""
    if chosen.guard and chosen.guard not in {one.called for one in findings_of(run)}:
        return pl.Series([], dtype=pl.UInt32)
    of = _Artifacts(
        artifacts().root, changeset_name(run), findings_name(run), problems_name(run),
        run.used.get("table_artifact") or "",
    )  # fmt: skip
    return _places(of, chosen)


#: So many filters and decisions of runs are known without asking again where their lines stand.
_ASKED = 48


class _Artifacts(NamedTuple):
    """Where what is known of a run's lines is kept."""

    root: str
    changeset: str
    findings: str
    problems: str
    table: str


@lru_cache(maxsize=_ASKED)
def _places(of: _Artifacts, chosen: Chosen) -> pl.Series:
    scan = artifacts().scan(of.changeset).with_row_index("place")
    if chosen.guard:
        found = artifacts().scan(of.findings).filter(pl.col("guard") == chosen.guard)
        scan = scan.join(found.select("place"), on="place", how="semi", maintain_order="left")
    if chosen.keys is not None:
        scan = scan.filter(pl.col("key").is_in(list(chosen.keys)))
    if chosen.again and AGAIN in scan.collect_schema():
        scan = scan.filter(AGAIN)
    if chosen.later:
        waits = pl.col(LATER).list.len() > 0 if LATER in scan.collect_schema() else pl.lit(False)
        scan = scan.filter(waits)
    if chosen.status:
        scan = scan.filter(pl.col("status") == chosen.status)
    if chosen.field:
        scan = scan.filter(touched(scan).list.contains(chosen.field))
    if chosen.field and (chosen.least is not None or chosen.most is not None):
        scan = scan.filter(moves_within(scan, chosen.field, chosen.least, chosen.most))
    if chosen.reason:
        told = artifacts().scan(of.problems).filter(pl.col("kind") == chosen.reason)
        scan = scan.join(told.select("row").unique(), on="row", how="semi", maintain_order="left")
    if chosen.by:
        scan = with_word(scan, of.table, chosen.by).filter(pl.col(WORD) == chosen.word)
    if chosen.search:
        text = chosen.search.lower()
        scan = scan.filter(
            pl.any_horizontal(
                pl.col(c).str.to_lowercase().str.contains(text, literal=True)
                for c in ("key", "title", "reason")
            )
        )
    return scan.select("place").collect()["place"]


def with_word(scan: pl.LazyFrame, table: str, by: str) -> pl.LazyFrame:
    """Lines with what each holds in a field as it will be, or in a column of the ``table`` that
    arrived; "" where it holds nothing."""
    nothing = pl.lit("")
    names = {*scan.collect_schema()}
    if not by.startswith(FILE):
        sides = [pl.col(side + by) for side in (NEW, OLD) if side + by in names]
        return scan.with_columns(pl.coalesce(*sides, nothing).alias(WORD))
    column = by.removeprefix(FILE)
    if not table or "row" not in names or column not in artifacts().scan(table).collect_schema():
        return scan.with_columns(nothing.alias(WORD))
    arrived = artifacts().scan(table).select(
        pl.col(ROW).cast(pl.UInt32).alias("row"), pl.col(column).fill_null("").alias(WORD)
    )  # fmt: skip
    rows = scan.with_columns(pl.col("row").cast(pl.UInt32))
    return rows.join(arrived, on="row", how="left", maintain_order="left").with_columns(
        pl.col(WORD).fill_null("")
    )


def moves_within(
    scan: pl.LazyFrame, field: str, least: Decimal | None, most: Decimal | None
) -> pl.Expr:
    """Whether a number moves by at least and less than so many percent of what it was; what was
    nothing moves by no share."""
    if not {OLD + field, NEW + field} <= {*scan.collect_schema()}:
        return pl.lit(False)
    old, new = whole(OLD + field), whole(NEW + field)
    moved, fits = (new - old) * _ALL, (old > 0) & new.is_not_null()
    if least is not None:
        fits &= moved >= old * int(least * 100)
    if most is not None:
        fits &= moved < old * int(most * 100)
    return fits


#: The whole in hundredths of a percent.
_ALL = 10_000
