"""The one place that opens the database, and translates its errors."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import DataError, DBAPIError, OperationalError
from sqlmodel import Session

from nomotax.core.errors import Conflict, DatabaseUnavailable, OtherVersion, UnfitValue
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


def _alembic() -> Config:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    return config


def migrate() -> None:
    """Bring the schema of the database to the newest version."""
    config = _alembic()
    with engine_for(database_url()).begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


@cache
def _newest() -> str:
    """The version of the database that this program is written for."""
    return ScriptDirectory.from_config(_alembic()).get_current_head() or ""


def refuse_other_version() -> None:
    """Raises ``OtherVersion`` for a database that has been brought to another version than this
    program's: what it would write may not be what is meant there."""
    with session() as db:
        connection = db.connection()
        there = connection.execute(text("select to_regclass('alembic_version')")).scalar()
        version = text("select version_num from alembic_version")
        found = connection.execute(version).scalar() if there else None
    if found == _newest():
        return
    older = (found or "") < _newest()
    raise OtherVersion(
        f"The database is of version {found or 'none'}, and this program of {_newest()}.",
        remedy="Bring the database to the newest version: nomotax migrate."
        if older
        else "Start the program of the newer version instead.",
    )


def ping() -> None:
    """Raises ``DatabaseUnavailable`` when the database does not answer."""
    with session() as opened:
        opened.connection().execute(text("select 1"))
