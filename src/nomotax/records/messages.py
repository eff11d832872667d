"""What people are told of feeds that run by themselves: once, as long as it is so."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import ClassVar, Literal

from sqlalchemy import DateTime, Index, func, text
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Field, SQLModel, col, select, update

from nomotax.records.columns import doing, moment, now
from nomotax.records.repository import Repository

MessageKind = Literal["failed", "held", "question", "silent", "recovered"]


class Message(SQLModel, table=True):
    """Something a person should know of a feed. While it is so (``ended_at`` is null) there is one
    of its kind: said again it counts up (``times``). ``place`` is where it is looked into, below
    the store; it was ``mailed_at`` and ``called_at`` those moments."""

    __tablename__: ClassVar[str] = "messages"
    __table_args__ = (
        Index(
            "messages_standing", "feed_id", "kind", unique=True,
            postgresql_where=text("ended_at is null"),
        ),
    )  # fmt: skip

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    feed_id: int = Field(foreign_key="feeds.id")
    kind: str
    said: str
    remedy: str = ""
    place: str = ""
    times: int = 1
    at: datetime = moment()
    last_at: datetime = moment()
    seen_at: datetime | None = doing()
    ended_at: datetime | None = Field(default=None, sa_type=DateTime(timezone=True))
    mailed_at: datetime | None = doing()
    called_at: datetime | None = doing()


class Messages(Repository):
    of, what = Message, "message"

    def get(self, message_id: int) -> Message:
        return self._get(Message, message_id, "message")

    def standing(self, feed_id: int, kind: str) -> Message | None:
        """That of a kind which is so now."""
        query = select(Message).where(
            Message.store_id == self.store_id, Message.feed_id == feed_id, Message.kind == kind,
            col(Message.ended_at).is_(None),
        )  # fmt: skip
        return self.session.exec(query).first()

    def begin(self, message: Message) -> bool:
        """Keep something that is so from now on; False where it is told already, if only by
        somebody else at this very moment."""
        values = message.model_dump(exclude={"id"}, exclude_none=True)
        made = insert(Message).values(**values).on_conflict_do_nothing(
            index_elements=[col(Message.feed_id), col(Message.kind)],
            index_where=col(Message.ended_at).is_(None),
        )  # fmt: skip
        message.id = self.session.scalar(made.returning(col(Message.id)))
        return message.id is not None

    def again(self, message: Message) -> None:
        """What is so already is said once more, and in these words from now on."""
        standing = update(Message).where(
            col(Message.store_id) == self.store_id, col(Message.feed_id) == message.feed_id,
            col(Message.kind) == message.kind, col(Message.ended_at).is_(None),
        )  # fmt: skip
        said = message.model_dump(include={"said", "remedy", "place"})
        values = {"times": col(Message.times) + 1, "last_at": now(), **said}
        self.session.connection().execute(standing.values(values))

    def keep(self, message: Message) -> Message:
        return self._add(message)

    def end(self, feed_id: int, *kinds: MessageKind) -> list[Message]:
        """What was so is over; gives what ended."""
        found = [one for kind in kinds if (one := self.standing(feed_id, kind))]
        for one in found:
            one.ended_at = now()
            self.session.add(one)
        self.session.flush()
        return found

    def newest(self, most: int) -> list[Message]:
        """The newest first."""
        query = select(Message).where(Message.store_id == self.store_id)
        return list(self.session.exec(query.order_by(col(Message.last_at).desc()).limit(most)))

    def see(self, ids: Sequence[int] | None) -> None:
        """A person has seen some of them, or all."""
        unseen = update(Message).where(
            col(Message.store_id) == self.store_id, col(Message.seen_at).is_(None)
        )
        if ids is not None:
            unseen = unseen.where(col(Message.id).in_(ids))
        self.session.connection().execute(unseen.values(seen_at=now()))

    def unseen(self) -> int:
        query = select(func.count()).where(
            Message.store_id == self.store_id, col(Message.seen_at).is_(None)
        )
        return self.session.exec(query).one()

    def unmailed(self, since: datetime) -> list[Message]:
        """What has come since a moment and has not been mailed yet, the oldest first."""
        query = select(Message).where(
            Message.store_id == self.store_id, col(Message.mailed_at).is_(None),
            col(Message.at) >= since,
        )  # fmt: skip
        return list(self.session.exec(query.order_by(col(Message.id))))
