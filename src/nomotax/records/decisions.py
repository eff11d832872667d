"""Decisions that are no answers: refused, put off, accepted unseen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import delete
from sqlmodel import Session, col, select

from nomotax.records.actors import at_work
from nomotax.records.repository import known_id
from nomotax.records.tables import CrosswalkRecord, Decision


class Decisions:
    """What people decided about a crosswalk, each with its verdict, subject and proposal."""

    def __init__(self, session: Session, crosswalk: CrosswalkRecord) -> None:
        self.session, self.store_id = session, crosswalk.store_id
        self.crosswalk_id = known_id(crosswalk)

    def all(self) -> frozenset[tuple[str, str, str]]:
        """Verdict, subject and proposal of each."""
        query = select(Decision).where(Decision.crosswalk_id == self.crosswalk_id)
        return frozenset((d.verdict, d.subject, d.proposal) for d in self.session.exec(query))

    def _find(self, verdict: str, subject: str, proposal: str) -> Decision | None:
        query = select(Decision).where(
            Decision.crosswalk_id == self.crosswalk_id,
            Decision.verdict == verdict,
            Decision.subject == subject,
            Decision.proposal == proposal,
        )
        return self.session.exec(query).first()

    def _add(self, verdict: str, pairs: Mapping[str, str]) -> None:
        by = at_work(self.session)
        self.session.add_all(
            Decision(
                store_id=self.store_id,
                crosswalk_id=self.crosswalk_id,
                verdict=verdict,
                subject=subject,
                proposal=proposal,
                actor=by,
            )
            for subject, proposal in pairs.items()
        )
        self.session.flush()

    def remember(self, verdict: str, subject: str, proposal: str) -> None:
        """Once is enough."""
        if self._find(verdict, subject, proposal) is None:
            self._add(verdict, {subject: proposal})

    def settle(self, verdict: str, now: Mapping[str, str], subjects: Sequence[str]) -> None:
        """Of these subjects, exactly these proposals have the verdict from now on."""
        self.session.connection().execute(
            delete(Decision).where(
                col(Decision.crosswalk_id) == self.crosswalk_id,
                col(Decision.verdict) == verdict,
                col(Decision.subject).in_([*subjects, *now]),
            )
        )
        self._add(verdict, now)

    def forget(self, verdict: str, subject: str, proposal: str) -> None:
        found = self._find(verdict, subject, proposal)
        if found is not None:
            self.session.delete(found)
