"""Values that hold from a day on: until then the product keeps what it has."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date

import polars as pl

from nomotax.core.changes.marks import NEW, OLD, OWNER
from nomotax.core.crosswalk.compiler import DAY_OF, FilledField, Plan
from nomotax.core.kinds import FieldKind

#: Names of the fields that a line changes later, and before the name of each its day.
LATER, DAY = "later", "day:"
#: What a line says of values that a new product has at once.
AT_ONCE = "at_once"
#: Values that wait for their day already.
WAITING = {"key": pl.String, "field": pl.String, "day": pl.Date, "value": pl.String}
#: Values that are given for a day.
GIVEN = {"key": pl.String, "field": pl.String, "value": pl.String, "day": pl.String}
_WAITS = "__waits:"


@dataclass(frozen=True)
class Days:
    """The day it is ``today``; ``run`` is the one from which the prices of a whole run hold, where
    their rows say none. ``waiting``, as ``WAITING``, are given already."""

    today: date
    run: date | None = None
    waiting: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=WAITING))

    def dated(self, plan: Plan) -> list[FilledField]:
        """The fields whose values may hold from a day on."""
        return [
            one
            for one in plan.filled
            if one.fill.since or (self.run and one.field.kind is FieldKind.MONEY)
        ]

    def of_rows(self, rows: pl.DataFrame, plan: Plan) -> list[pl.Expr]:
        """``day:<field>`` of rows as they were filled: a day still to come, or null."""
        found = []
        for one in self.dated(plan):
            said = pl.col(DAY_OF + one.field.name) if one.fill.since else pl.lit(None, pl.Date)
            day = pl.coalesce(said, pl.lit(self.run, pl.Date))
            coming = pl.when(day > self.today).then(day)
            found.append(coming.dt.to_string("%Y-%m-%d").alias(DAY + one.field.name))
        return found

    def held_back(self, rows: pl.DataFrame, plan: Plan) -> pl.DataFrame:
        """Rows of products, with what they hold and would hold, with ``later``: the fields of known
        products that change on their day. What waits as it is said is not told again."""
        names = [one.field.name for one in self.dated(plan)]
        if not names:
            return rows
        for name in names:
            waits = pl.col(DAY + name).is_not_null() & pl.col(OWNER).is_not_null()
            rows = rows.with_columns((waits & _differs(name)).alias(_WAITS + name))
        told = [
            pl.when(pl.col(_WAITS + n) & ~self._waits_already(rows, n)).then(pl.lit(n))
            for n in names
        ]
        return rows.with_columns(pl.concat_list(told).list.drop_nulls().alias(LATER))

    def notes(self, plan: Plan) -> list[pl.Expr]:
        """What is said of products that are made with values whose day is still to come: there is
        no other that could hold until then."""
        new = pl.col(OWNER).is_null()
        said = [
            pl.when(new & pl.col(NEW + one.field.name).is_not_null()).then(
                pl.lit(f"{one.field.label} is for ")
                + pl.col(DAY + one.field.name)
                + pl.lit("; a new product has it at once")
            )
            for one in self.dated(plan)
        ]
        whole = pl.concat_str(said, separator="; ", ignore_nulls=True) if said else None
        return [] if whole is None else [whole.replace("", None).alias(AT_ONCE)]

    def _waits_already(self, rows: pl.DataFrame, name: str) -> pl.Series:
        """Whether the same value waits for the same day."""
        own = self.waiting.filter(pl.col("field") == name).unique(["key", "day"], keep="last")
        asked = rows.select("key", pl.col(DAY + name).str.to_date("%Y-%m-%d").alias("day"))
        beside = asked.join(own, on=["key", "day"], how="left", maintain_order="left")
        there = beside["field"].is_not_null()
        return there & beside["value"].eq_missing(rows[NEW + name])


def _differs(name: str) -> pl.Expr:
    return pl.col(NEW + name).ne_missing(pl.col(OLD + name))


def now_differs(rows: pl.DataFrame, name: str) -> pl.Expr:
    """Whether a field of a row's product changes with the run itself."""
    waits = pl.col(_WAITS + name) if _WAITS + name in rows.columns else pl.lit(False)
    return _differs(name) & ~waits


def touches(rows: pl.DataFrame) -> pl.Expr:
    """Whether a line changes anything, now or later."""
    now = pl.col("fields").list.len() > 0
    return now | (pl.col(LATER).list.len() > 0) if LATER in rows.columns else now


def given(lines: pl.DataFrame) -> pl.DataFrame:
    """What the lines of a changeset give for later days, as ``GIVEN``."""
    if LATER not in lines.columns:
        return pl.DataFrame(schema=GIVEN)
    names = [c.removeprefix(DAY) for c in lines.columns if c.startswith(DAY)]
    parts = [
        lines.filter(pl.col(LATER).list.contains(name)).select(
            "key",
            pl.lit(name).alias("field"),
            pl.col(NEW + name).alias("value"),
            pl.col(DAY + name).alias("day"),
        )
        for name in names
    ]
    return pl.concat([pl.DataFrame(schema=GIVEN), *parts])


def standing(columns: Sequence[str], name: str, today: date) -> pl.Expr:
    """What a field of a line's product holds today: what it held before while its day is still to
    come, whether that was told or waits already."""
    if DAY + name not in columns:
        return pl.col(NEW + name)
    coming = (pl.col(DAY + name) > today.isoformat()) & (pl.col("status") != "new")
    return pl.when(coming).then(OLD + name).otherwise(NEW + name)
