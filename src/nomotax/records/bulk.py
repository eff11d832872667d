"""Whole tables in and out of PostgreSQL, by COPY and ADBC rather than row by row."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from functools import lru_cache
from itertools import pairwise
from threading import Lock
from typing import Any

import polars as pl
from adbc_driver_postgresql import dbapi  # type: ignore[import-untyped]  # it has no types
from psycopg import sql
from sqlalchemy import text
from sqlmodel import Session

from nomotax.core.at_once import each_of
from nomotax.records.database import UNCOMPILED, database_url, session

_PIECE = 20_000
#: What JSON is full of would have to be doubled inside of itself.
_QUOTE = "\x01"
#: No table has so many pages.
_LAST_PAGE = 2**32 - 2
#: How many bytes of an answer come at once.
_PIECES_OF, _BYTES = "adbc.postgresql.batch_size_hint_bytes", 4 << 20


def read_query(query: str, schema: dict[str, Any], moment: str = "") -> pl.DataFrame:
    """The rows of a query as a frame of ``schema`` (also when there are none)."""
    return pl.concat(read_pieces(query, schema, moment))


def read_table(
    query: str, schema: dict[str, Any], table: str, alias: str, parts: int
) -> pl.DataFrame:
    """The rows of a query over one large table, in so many parts of it at the same time: each is
    written down by a process of the database's own. All of them see the same moment."""
    with session() as db:
        connection = db.connection(execution_options={"isolation_level": "REPEATABLE READ"})
        moment = connection.execute(text("select pg_export_snapshot()")).scalar_one()
        size = text("select pg_relation_size(cast(:table as regclass)) / 8192")
        pages = connection.execute(size, {"table": table}).scalar_one()
        queries = [
            f"{query} and {alias}.ctid >= '({start},0)' and {alias}.ctid < '({end},0)'"
            for start, end in pairwise([*range(0, pages, pages // parts + 1), _LAST_PAGE])
        ]
        with ThreadPoolExecutor(parts) as pool:
            found = list(pool.map(lambda one: read_query(one, schema, moment), queries))
    return pl.concat(found) if found else pl.DataFrame(schema=schema)


@lru_cache(maxsize=2)
def _driver(url: str) -> dbapi.Connection:
    """What connections to a database are made from. It has asked for the types that are there,
    which takes nearly all of the time that a new one costs; its own connection is closed."""
    known = dbapi.connect(url)
    known.adbc_connection.close()
    return known


#: The driver counts its connections, and not for several threads at once.
_counting = Lock()


@contextmanager
def _connection() -> Iterator[dbapi.Connection]:
    """A connection of its own."""
    with _counting:
        made = _driver(database_url()).adbc_clone()
    try:
        yield made
    finally:
        with _counting:
            made.close()


def read_pieces(query: str, schema: dict[str, Any], moment: str = "") -> Iterator[pl.DataFrame]:
    """The rows of a query in pieces of some megabytes, as they come; at least one piece. With
    ``moment`` as a transaction sees it that has exported its snapshot under this name."""
    none = True
    with _connection() as connection, connection.cursor() as cursor:
        if moment:
            cursor.execute("set transaction isolation level repeatable read")
            cursor.execute(f"set transaction snapshot '{moment}'")
        # A whole catalog put in order: beside this, sorting it through files takes longer.
        cursor.execute("set work_mem = '256MB'")
        cursor.execute(f"set {UNCOMPILED}")
        cursor.adbc_statement.set_options(**{_PIECES_OF: str(_BYTES)})
        cursor.execute(query)
        for batch in cursor.fetch_record_batch():
            none = False
            frame = pl.DataFrame(batch)
            yield frame.select(pl.col(name).cast(kind) for name, kind in schema.items())
    if none:
        yield pl.DataFrame(schema=schema)


def copy_out(
    db: Session, query: str, values: Mapping[str, Any], schema: Mapping[str, Any]
) -> pl.DataFrame:
    """The rows of a query as a frame of ``schema`` by COPY, inside the session's transaction: what
    it has laid out, and not yet said to others, is seen. For texts, whole numbers and booleans."""
    connection = db.connection()
    command = text(f"copy ({query}) to stdout (format csv, force_quote *)")
    said = str(command.compile(dialect=connection.dialect))
    driver = connection.connection.driver_connection
    with driver.cursor() as cursor, cursor.copy(said, values) as copy:  # type: ignore[union-attr]  # psycopg connection
        found = b"".join(copy)
    if not found:
        return pl.DataFrame(schema=dict(schema))
    # All that is there is quoted: an unquoted nothing is SQL's null.
    frame = pl.read_csv(found, has_header=False, schema=dict.fromkeys(schema, pl.String))
    return frame.select(
        (pl.col(name) == "t" if kind == pl.Boolean else pl.col(name).cast(kind)).alias(name)
        for name, kind in schema.items()
    )


Shape = Callable[[pl.DataFrame], pl.DataFrame]


def copy_frame(
    db: Session,
    table: str,
    frame: pl.DataFrame,
    tell: Callable[[int], None] = lambda done: None,
    shape: Shape = lambda part: part,
) -> None:
    """COPY a frame into ``table`` inside the session's transaction, each part of it in its
    ``shape``; ``tell`` hears how many rows have gone over. Columns go by name."""
    driver = db.connection().connection.driver_connection
    columns = sql.SQL(", ").join(map(sql.Identifier, shape(frame.clear()).columns))
    command = sql.SQL("copy {} ({}) from stdin (format csv, quote {})").format(
        sql.Identifier(table), columns, sql.Literal(_QUOTE)
    )
    with driver.cursor() as cursor, cursor.copy(command) as copy:  # type: ignore[union-attr]  # psycopg connection
        done = 0
        for lines, rows in _pieces(frame, shape):
            copy.write(lines)
            done += rows
            tell(done)


def _pieces(frame: pl.DataFrame, shape: Shape) -> Iterator[tuple[str, int]]:
    def written(part: pl.DataFrame) -> tuple[str, int]:
        # An unquoted nothing is SQL's null; a quoted nothing is an empty text.
        lines = shape(part).write_csv(
            include_header=False, quote_style="non_numeric", quote_char=_QUOTE
        )
        return lines, part.height

    # The next ones are written down while the database takes one in.
    return each_of(written, frame.iter_slices(_PIECE))
