"""Values of a feed's that people have declined until its supplier says something else."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

import polars as pl

from nomotax.core.changes.marks import NEW, OLD

#: A value that a feed would have for a field of a product, and a person would not.
REMEMBERED = {"key": pl.String, "field": pl.String, "value": pl.String}
#: What a line says of such a value.
DECLINED_BEFORE = "declined_before"
_VALUE, _THERE, _AT = "__declined", "__is_declined", "__at"

#: A product that a feed would make and a person would not: the article, and what its row said.
ARTICLES = {"article": pl.String, "said": pl.String}
#: Whether a row would make such a product, as it was declined.
NOT_MADE = "not_made"
NOT_MADE_BEFORE = "declined before: a product of its own"


def without_declined(
    rows: pl.DataFrame, remembered: pl.DataFrame, fields: Sequence[str], labels: Sequence[str]
) -> pl.DataFrame:
    """Rows beside what the catalog holds, in which a value of these ``fields`` that was declined
    is left as it is there; with ``declined_before``, a note that names them by their ``labels``,
    null where none was. ``remembered`` is as ``REMEMBERED``, each field of a product once."""
    notes = []
    for field, label in zip(fields, labels, strict=True):
        own = remembered.filter(pl.col("field") == field)
        if not own.height or not {OLD + field, NEW + field} <= {*rows.columns}:
            continue
        new, old = pl.col(NEW + field), pl.col(OLD + field)
        beside = own.select("key", pl.col("value").alias(_VALUE), pl.lit(True).alias(_THERE))
        rows = rows.join(beside, on="key", how="left", maintain_order="left")
        stays = pl.col(_THERE).fill_null(False) & new.eq_missing(pl.col(_VALUE))
        note = pl.when(stays & new.ne_missing(old)).then(
            pl.format("{} {}", pl.lit(label), new.fill_null("empty"))
        )
        rows = rows.with_columns(
            pl.when(stays).then(old).otherwise(new).alias(NEW + field),
            note.alias(f"{DECLINED_BEFORE}:{field}"),
        ).drop(_VALUE, _THERE)
        notes.append(f"{DECLINED_BEFORE}:{field}")
    if not notes:
        return rows.with_columns(pl.lit(None, pl.String).alias(DECLINED_BEFORE))
    said = pl.concat_str(notes, separator=", ", ignore_nulls=True).replace("", None)
    return rows.with_columns((pl.lit("declined before: ") + said).alias(DECLINED_BEFORE)).drop(
        notes
    )


def said_by(rows: pl.DataFrame, key: str) -> pl.Series:
    """A digest of what each row would write, but for its ``key``, which may be another each time
    that one is given; it is the same on every machine."""
    names = sorted(c for c in rows.columns if c.startswith(NEW) and c != NEW + key)
    # What is empty says nothing: whether it has a column hangs on the other rows.
    parts = [pl.when(pl.col(c).is_not_null()).then(pl.lit(f"{c}\x1f") + pl.col(c)) for c in names]
    told = rows.select(pl.concat_str(parts, separator="\x1e", ignore_nulls=True)).to_series()
    digests = [hashlib.sha256(one.encode()).hexdigest() for one in told]
    return pl.Series("said", digests, dtype=pl.String)


def not_made(rows: pl.DataFrame, articles: pl.DataFrame, key: str) -> pl.Series:
    """Whether each of the rows, which have ``article`` and ``new:`` of all fields, is for one of
    the ``articles``, as ``ARTICLES``, and says what it said."""
    placed = rows.with_row_index(_AT)
    asked = placed.join(articles, on="article", how="semi")
    same = asked.select(_AT, "article", said_by(asked, key)).join(
        articles, on=[*ARTICLES], how="semi"
    )
    return placed[_AT].is_in(same[_AT].implode()).alias(NOT_MADE)
