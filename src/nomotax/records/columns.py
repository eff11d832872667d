"""What tables have in common: moments, documents, and who did it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from typing import Any, ClassVar, Literal

from sqlalchemy import Column, DateTime, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import relationship
from sqlmodel import Field, Relationship, SQLModel

_ahead = timedelta()


def now() -> datetime:
    """The current moment, in UTC."""
    return datetime.now(UTC) + _ahead


@contextmanager
def clock_at(moment: datetime) -> Iterator[None]:
    """Within, the clock of this process goes on from a moment: for what is rehearsed."""
    global _ahead  # noqa: PLW0603 - there is one clock
    before, _ahead = _ahead, moment - datetime.now(UTC)
    try:
        yield
    finally:
        _ahead = before


def moment() -> Any:
    """When it was made."""
    return Field(default_factory=now, sa_type=DateTime(timezone=True))


def removal() -> Any:
    """When a person took it out of sight; what other records say of it stays."""
    return Field(default=None, sa_type=DateTime(timezone=True))


def doing() -> Any:
    """When it was done; null while it is not."""
    return Field(default=None, sa_type=DateTime(timezone=True))


def document(**more: Any) -> Any:
    """A JSON document."""
    return Field(sa_column=Column(JSONB, nullable=False), **more)


def by() -> Any:
    """The one who did it, loaded with it."""
    return Relationship(sa_relationship=relationship("Actor", lazy="joined"))


ActorKind = Literal["person", "token", "schedule"]


class Actor(SQLModel, table=True):
    """Who does something: a person by the name that they gave, a token, a schedule."""

    __tablename__: ClassVar[str] = "actors"
    __table_args__ = (UniqueConstraint("kind", "name"),)

    id: int | None = Field(default=None, primary_key=True)
    kind: str = "person"
    name: str


class Acted(SQLModel):
    """Something that was done by somebody; null while nobody has said a name."""

    actor_id: int | None = Field(default=None, foreign_key="actors.id")

    @property
    def author(self) -> str:
        """What the one who did it is called, "" where nobody is named."""
        by: Actor | None = getattr(self, "actor", None)
        return by.name if by else ""
