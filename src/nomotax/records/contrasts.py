"""Questions of people what two crosswalks make of one delivery, as long as they are of use."""

from __future__ import annotations

from datetime import datetime
from typing import Any, ClassVar

from sqlmodel import Field, col, select

from nomotax.records.columns import Acted, Actor, by, document, moment
from nomotax.records.repository import Repository


class Contrast(Acted, table=True):
    """Two crosswalks over one delivery. ``before`` and ``after`` have what each is called (*name*)
    and what it was when it was asked (*bundle*); ``status`` is *queued*, *working*, *ready*,
    *stopped* or *failed*. ``found`` tells in what they differ, line by line in ``artifact``."""

    __tablename__: ClassVar[str] = "contrasts"

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id")
    feed_id: int = Field(foreign_key="feeds.id", index=True)
    delivery_id: int = Field(foreign_key="deliveries.id")
    used: dict[str, Any] = document()
    before: dict[str, Any] = document()
    after: dict[str, Any] = document()
    status: str = "queued"
    progress: int = 0
    stage: str = ""
    error: str = ""
    found: dict[str, Any] = document(default_factory=dict)
    artifact: str = ""
    actor: Actor | None = by()
    at: datetime = moment()


class Contrasts(Repository):
    of, what = Contrast, "comparison"

    def get(self, contrast_id: int) -> Contrast:
        """Raises ``NotFound``."""
        return self._get(Contrast, contrast_id, self.what)

    def add(self, actor: Actor | None, **values: Any) -> Contrast:
        return self._add(Contrast(store_id=self.store_id, actor=actor, **values))

    def of_feed(self, feed_id: int) -> list[Contrast]:
        """The newest first."""
        query = select(Contrast).where(
            Contrast.store_id == self.store_id, Contrast.feed_id == feed_id
        )
        return list(self.session.exec(query.order_by(col(Contrast.id).desc())))
