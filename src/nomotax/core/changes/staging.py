"""Changes as they go into the catalog: JSON texts with nothing in them but what is written."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

import polars as pl

from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.states import LIVE, STATE

#: A column that products are listed by, and the field that fills it ("" for none).
Heading = Mapping[str, str]
#: What of products is changed: ``before`` and ``after`` are JSON objects, ``fields`` all that
#: ``after`` has.
DELTAS: dict[str, Any] = {
    "key": pl.String, "before": pl.String, "after": pl.String, "fields": pl.List(pl.String)
}  # fmt: skip


def new_products(new: pl.DataFrame, heading: Heading) -> pl.DataFrame:
    """key, headings, state and content of the products that a changeset makes: of each the fields
    that have a value, as a JSON object."""
    fields = _fields(new)

    def headed(name: str) -> pl.Expr:
        return pl.col(NEW + name).fill_null("") if name in fields else pl.lit("")

    content = [_member(f, pl.col(NEW + f)) for f in fields]
    state = pl.col(NEW + STATE).fill_null(LIVE) if STATE in fields else pl.lit(LIVE)
    return new.select(
        "key",
        *(headed(f).alias(n) for n, f in heading.items()),
        state.alias("state"),
        _object(content).alias("content"),
    )


def product_deltas(changed: pl.DataFrame) -> pl.DataFrame:
    """Of the products that a changeset changes ``DELTAS``: before and after are JSON objects of the
    fields that differ, in which those without a value before are left out, those without one after
    are null."""
    differing = {f: pl.col("fields").list.contains(f) for f in _fields(changed)}

    def side(prefix: str, blank: pl.Expr | None) -> pl.Expr:
        return _object(
            [
                pl.when(own).then(_member(f, pl.col(prefix + f), blank))
                for f, own in differing.items()
            ]
        )

    none = pl.lit("null")
    sides = side(OLD, None).alias("before"), side(NEW, none).alias("after")
    return changed.select("key", *sides, "fields")


def deltas_of(
    sides: Mapping[str, tuple[Mapping[str, str], Mapping[str, str | None]]],
) -> pl.DataFrame:
    """The same of products by key: what they hold before, and after."""
    rows = [(key, json.dumps(old), json.dumps(new), list(new)) for key, (old, new) in sides.items()]
    return pl.DataFrame(rows, schema=DELTAS, orient="row")


def _fields(frame: pl.DataFrame) -> list[str]:
    return [c.removeprefix(NEW) for c in frame.columns if c.startswith(NEW)]


def _member(field: str, value: pl.Expr, blank: pl.Expr | None = None) -> pl.Expr:
    """A member of a JSON object; where there is no value, one of ``blank``, or none at all."""
    pair = pl.struct(value.alias(field)).struct.json_encode()
    written = pl.when(value.is_not_null()).then(pair.str.slice(1, pair.str.len_chars() - 2))
    return written if blank is None else written.otherwise(pl.lit(f'"{field}":') + blank)


def _object(members: list[pl.Expr]) -> pl.Expr:
    if not members:
        return pl.lit("{}")
    inside = pl.concat_str(members, separator=",", ignore_nulls=True)
    return pl.lit("{") + inside + pl.lit("}")
