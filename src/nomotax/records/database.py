"""The one place that opens the database, and translates its errors."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import DataError, DBAPIError, OperationalError
from sqlmodel import Session

from nomotax.core.errors import Conflict, DatabaseUnavailable, UnfitValue
from nomotax.settings import settings

#: To compile a statement takes a quarter of a second, more than it ever saves here.
UNCOMPILED = "jit=off"
MIGRATIONS = Path(__file__).parent / "migrations"


def database_url() -> str:
    """Where the database is. Raises ``DatabaseUnavailable`` when nobody has said."""
    url = settings().database_url
    if not url:
        raise DatabaseUnavailable(
            "No database is named.",
            where="NOMOTAX_DATABASE_URL",
            remedy="Run `make start`, or set it to postgresql://user@host:port/name.",
        )
    return url


@cache
def engine_for(url: str) -> Engine:
    """A pooled engine; connections are checked before use, so a restarted server is survived."""
    address = url.replace("postgresql://", "postgresql+psycopg://", 1)
    return create_engine(
        address,
        pool_pre_ping=True,
        pool_size=8,
        max_overflow=8,
        connect_args={"options": f"-c {UNCOMPILED}"},
    )


@contextmanager
def session() -> Iterator[Session]:
    """One unit of work: committed as a whole, or not at all.

    Raises ``DatabaseUnavailable`` when the server cannot be reached or goes away meanwhile,
    ``UnfitValue`` for a number or a text that the database cannot keep.
    """
    try:
        with Session(engine_for(database_url()), expire_on_commit=False) as opened:
            yield opened
            opened.commit()
    except OperationalError as error:
        raise _translated(error) from error
    except DataError as error:
        raise UnfitValue(
            "A value does not fit what is kept.", where=str(error.orig).splitlines()[0]
        ) from error
    except DBAPIError as error:
        if error.connection_invalidated:
            raise _translated(error) from error
        raise


def _translated(error: DBAPIError) -> DatabaseUnavailable | Conflict:
    if "lock timeout" in str(error.orig):
        return Conflict("Another run is changing this catalog.", remedy="Try again when it ends.")
    return DatabaseUnavailable(
        "The database went away or cannot be reached; nothing was half-written.",
        where=str(error.orig).splitlines()[0] if str(error.orig) else "",
        remedy="Start it again (`make start`), then repeat what you did.",
    )


def migrate() -> None:
    """Bring the schema of the database to the newest version."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine_for(database_url()).begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def ping() -> None:
    """Raises ``DatabaseUnavailable`` when the database does not answer."""
    with session() as opened:
        opened.connection().execute(text("select 1"))
