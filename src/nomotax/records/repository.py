"""What every repository has in common: it finds the records of one store, and no other's."""

from __future__ import annotations

from typing import Any, ClassVar, Self, TypeVar

from sqlmodel import Session, SQLModel

from nomotax.core.errors import NotFound

T = TypeVar("T", bound=SQLModel)


def known_id(record: Any) -> int:
    """The id of a record that has been saved."""
    if record.id is None:
        raise NotFound("This record has not been saved.")
    return int(record.id)


class Repository:
    """Records of the store ``store_id``. ``of`` is the table of those that it is named after, and
    ``what`` one of them is called."""

    of: ClassVar[Any]
    what: ClassVar[str]

    def __init__(self, session: Session, store_id: int) -> None:
        self.session, self.store_id = session, store_id
        self.held: SQLModel | None = None

    @classmethod
    def holding(cls, session: Session, key: int) -> Self:
        """Of the store that one of these belongs to. Raises ``NotFound``."""
        found = session.get(cls.of, key)
        if found is None:
            raise NotFound(f"There is no {cls.what} {key}.")
        repository = cls(session, found.store_id)
        # The session knows it as long as somebody holds it: to get it then asks nothing more.
        repository.held = found
        return repository

    def _get(self, table: type[T], key: int, what: str) -> T:
        found = self.session.get(table, key)
        if found is None or getattr(found, "store_id", None) != self.store_id:
            raise NotFound(f"There is no {what} {key}.")
        return found

    def _add(self, record: T) -> T:
        self.session.add(record)
        self.session.flush()
        return record
