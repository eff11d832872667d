"""What a feed says of each of its articles, kept in the changeset beside what becomes of them: the
two differ only where the store's own rules have another value stand."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from nomotax.core.changes.marks import NEW
from nomotax.core.crosswalk.compiler import ARTICLE
from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import Role, StoreSchema

#: The supplier's number of a line's article; null where a row has none.
OF_ARTICLE = "article"
#: A hash of all that a row says, to tell one that has changed.
PRINT = "print"
#: Names of the fields, one after the other, of which another value stands than the feed says, and
#: before their names what it says.
ASIDE, SAID = "aside", "said:"
_APART = " "
#: Whose offer a product goes by, where it is not this feed's.
HOLDS = "holds"
#: Kinds of texts that articles are searched by.
_TEXTS = (FieldKind.TEXT, FieldKind.GTIN, FieldKind.IDENTIFIER, FieldKind.CHOICE)


def article_of(rows: pl.DataFrame) -> pl.Expr:
    """The number that a row's article is known by: the supplier's, or the key that it fills."""
    return (pl.col(ARTICLE) if ARTICLE in rows.columns else pl.col("key")).alias(OF_ARTICLE)


def told_aside(said: pl.DataFrame, stands: pl.DataFrame, fields: Sequence[str]) -> pl.DataFrame:
    """``aside`` and ``said:<field>`` of rows that say ``new:<field>``, where ``stands`` has other
    values; of a field that is nowhere told otherwise there is no column."""
    differs = {f: said[NEW + f].ne_missing(stands[NEW + f]) for f in fields}
    apart = {f: own for f, own in differs.items() if own.any()}
    names = [pl.when(own).then(pl.lit(f)) for f, own in apart.items()]
    none = pl.repeat("", pl.len())
    listed = pl.concat_str(names, separator=_APART, ignore_nulls=True) if names else none
    values = [pl.when(own).then(pl.col(NEW + f)).alias(SAID + f) for f, own in apart.items()]
    return said.select(listed.alias(ASIDE), *values)


def says(columns: Sequence[str], field: str, stands: pl.Expr | None = None) -> pl.Expr:
    """What the feed says of a field, out of the ``columns`` of a changeset; null where nothing.
    ``stands`` is what holds of it, where that is another than the line would write."""
    stands = pl.col(NEW + field) if stands is None else stands
    if NEW + field not in columns:
        return pl.lit(None, pl.String)
    if SAID + field not in columns:
        return stands
    own = pl.col(ASIDE).str.split(_APART).list.contains(field)
    return pl.when(own).then(SAID + field).otherwise(stands)


def searched(schema: StoreSchema, fields: Sequence[str]) -> list[str]:
    """Those of the fields in which articles are searched: what they are called and known by."""
    return [
        f.name
        for f in schema.fields
        if f.name in fields and f.kind in _TEXTS and f.role != Role.TEXT
    ]


def texts_of(article: pl.Expr, values: Sequence[pl.Expr]) -> pl.Expr:
    """What an article is searched by, in lower case."""
    whole = pl.concat_str([article, *values], separator="\n", ignore_nulls=True)
    return whole.str.to_lowercase().alias("texts")
