"""Decisions that are no answers: refused, put off, accepted unseen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import delete
from sqlmodel import Session, col, select

from nomotax.records.person import person
from nomotax.records.tables import Decision


class Decisions:
    """What people decided about a feed, each with its verdict, subject and proposal."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def all_of(self, feed_id: int) -> frozenset[tuple[str, str, str]]:
        """Verdict, subject and proposal of each."""
        query = select(Decision).where(Decision.feed_id == feed_id)
        return frozenset((d.verdict, d.subject, d.proposal) for d in self.session.exec(query))

    def _find(self, feed_id: int, verdict: str, subject: str, proposal: str) -> Decision | None:
        query = select(Decision).where(
            Decision.feed_id == feed_id,
            Decision.verdict == verdict,
            Decision.subject == subject,
            Decision.proposal == proposal,
        )
        return self.session.exec(query).first()

    def remember(self, feed_id: int, verdict: str, subject: str, proposal: str) -> None:
        """Once is enough."""
        if self._find(feed_id, verdict, subject, proposal) is None:
            self.session.add(
                Decision(
                    feed_id=feed_id,
                    verdict=verdict,
                    subject=subject,
                    proposal=proposal,
                    author=person(),
                )
            )
            self.session.flush()

    def settle(
        self, feed_id: int, verdict: str, now: Mapping[str, str], subjects: Sequence[str]
    ) -> None:
        """Of these subjects, exactly these proposals have the verdict from now on."""
        self.session.connection().execute(
            delete(Decision).where(
                col(Decision.feed_id) == feed_id,
                col(Decision.verdict) == verdict,
                col(Decision.subject).in_([*subjects, *now]),
            )
        )
        self.session.add_all(
            Decision(
                feed_id=feed_id, verdict=verdict, subject=s, proposal=proposal, author=person()
            )
            for s, proposal in now.items()
        )
        self.session.flush()

    def forget(self, feed_id: int, verdict: str, subject: str, proposal: str) -> None:
        found = self._find(feed_id, verdict, subject, proposal)
        if found is not None:
            self.session.delete(found)
