"""Who is at work: the name that a browser sends along with what it asks for."""

from __future__ import annotations

from contextvars import ContextVar

_person: ContextVar[str] = ContextVar("person", default="")
_LONGEST = 60


def set_person(name: str) -> None:
    """From here on, decisions of this request are this person's."""
    _person.set(" ".join(name.split())[:_LONGEST])


def person() -> str:
    """The person at work, "" while nobody has said a name."""
    return _person.get()
