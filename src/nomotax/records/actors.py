"""Who is at work: a person by the name that a browser sends along with what it asks for."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, select

from nomotax.records.columns import Actor, ActorKind

_at_work: ContextVar[tuple[ActorKind, str]] = ContextVar("at_work", default=("person", ""))
_LONGEST = 60


def set_person(name: str) -> None:
    """From here on, what is done in this request is done by this person."""
    _at_work.set(("person", " ".join(name.split())[:_LONGEST]))


@contextmanager
def acting(kind: ActorKind, name: str) -> Iterator[None]:
    """What is done within is done by this one."""
    before = _at_work.set((kind, name[:_LONGEST]))
    try:
        yield
    finally:
        _at_work.reset(before)


def by_itself() -> bool:
    """Whether nobody waits for what is done now."""
    return _at_work.get()[0] == "schedule"


def person() -> str:
    """The name of the person at work, "" for nobody, or where it is none."""
    kind, name = _at_work.get()
    return name if kind == "person" else ""


def at_work(db: Session) -> Actor | None:
    """Who is at work, kept from the first time on; None while nobody has said a name."""
    kind, name = _at_work.get()
    if not name:
        return None
    query = select(Actor).where(Actor.kind == kind, Actor.name == name)
    found = db.exec(query).first()
    if found is None:
        # Two requests of a new person at once: one of them makes the record.
        new = insert(Actor).values(kind=kind, name=name).on_conflict_do_nothing()
        db.connection().execute(new)
        found = db.exec(query).one()
    return found
