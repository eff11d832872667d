"""The one place that opens the database, and translates its errors."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import cache
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import DataError, DBAPIError, IntegrityError, OperationalError
from sqlmodel import Session

from nomotax.core.errors import Conflict, DatabaseUnavailable, OtherVersion, UnfitValue
from nomotax.settings import settings

#: To compile a statement takes a quarter of a second, more than it ever saves here.
UNCOMPILED = "jit=off"
#: What PostgreSQL says of a record that may be there but once (SQLSTATE, class 23).
_THERE_ALREADY = "23505"
MIGRATIONS = Path(__file__).parent / "migrations"


#: Milliseconds that a person's request waits for a lock that another holds; 0 has no end.
_patience: ContextVar[int] = ContextVar("patience", default=0)


@contextmanager
def waiting_at_most(milliseconds: int) -> Iterator[None]:
    """Within, nobody waits longer than that for what another is changing: that is a conflict."""
    before = _patience.set(milliseconds)
    try:
        yield
    finally:
        _patience.reset(before)


def be_patient(db: Session) -> None:
    """Before a lock is asked for: the transaction waits for locks as long as whoever asks may."""
    if _patience.get():
        db.connection().execute(text(f"set local lock_timeout = {_patience.get()}"))


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
    ``Conflict`` where another has made the same record or holds a lock for too long,
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
    except IntegrityError as error:
        if getattr(error.orig, "sqlstate", "") != _THERE_ALREADY:
            raise
        raise Conflict(
            "Somebody else has made the same at this very moment.",
            remedy="Look at it as it is by now; it is there.",
        ) from error
    except DBAPIError as error:
        if error.connection_invalidated:
            raise _translated(error) from error
        raise


def _translated(error: DBAPIError) -> DatabaseUnavailable | Conflict:
    if "lock timeout" in str(error.orig):
        return Conflict(
            "Something else is changing this store at the moment: most likely a run that is "
            "being applied.",
            where="Runs",
            remedy="See there how far it is, and try again when it has ended.",
        )
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
