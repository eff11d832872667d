"""Where the paths of deliveries are likely to go, worked out in the background."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from nomotax.records.columns import now
from nomotax.records.tables import Ranking

#: A ranking that nobody has worked on for so long may be asked for again.
_LOST = timedelta(minutes=2)


class Rankings:
    """The newest ranking of each field of a delivery; ``key`` tells what it is worked out of."""

    def __init__(self, session: Session, store_id: int) -> None:
        self.session, self.store_id = session, store_id

    def get(self, delivery_id: int, field: str, key: str) -> Ranking | None:
        """The ranking worked out of this very tree."""
        query = select(Ranking).where(
            Ranking.store_id == self.store_id,
            Ranking.delivery_id == delivery_id,
            Ranking.field == field,
            Ranking.key == key,
        )
        return self.session.exec(query).first()

    def ask(self, delivery_id: int, field: str, key: str) -> bool:
        """Ask for one; False where it is there, or somebody is at it."""
        known = self.get(delivery_id, field, key)
        if known is not None and (_is_done(known) or now() - known.at < _LOST):
            return False
        self._put(delivery_id, field, {"key": key, "done": 0, "total": 0, "proposals": None})
        return True

    def keep(
        self, delivery_id: int, field: str, key: str, done: int, total: int, **more: list[Any]
    ) -> None:
        """Keep how far one is, and its ``proposals`` where there are any."""
        self._put(delivery_id, field, {"key": key, "done": done, "total": total, **more})

    def _put(self, delivery_id: int, field: str, values: dict[str, Any]) -> None:
        values = values | {"at": now()}
        new = insert(Ranking).values(
            store_id=self.store_id, delivery_id=delivery_id, field=field, **values
        )
        self.session.connection().execute(
            new.on_conflict_do_update(
                index_elements=[col(Ranking.delivery_id), col(Ranking.field)], set_=values
            )
        )


def _is_done(ranking: Ranking) -> bool:
    return ranking.proposals is not None and ranking.done >= ranking.total
