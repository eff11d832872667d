"""Crosswalks of a store: drafts, and the versions that were saved or run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import func
from sqlmodel import col, select

from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.crosswalk.saved import KINDS, kind_of
from nomotax.core.errors import NotFound
from nomotax.records.actors import at_work
from nomotax.records.lookups import At, LookupsRepository
from nomotax.records.repository import Repository, known_id
from nomotax.records.tables import CrosswalkRecord, CrosswalkVersion, Run

#: Where a document has its look-ups; a version refers to them instead.
_LOOKUPS = {kind.where for kind in KINDS}


def draft_of(record: CrosswalkRecord) -> Crosswalk:
    """The crosswalk as it is being worked on."""
    return Crosswalk.model_validate(record.draft)


class Crosswalks(Repository):
    of, what = CrosswalkRecord, "crosswalk"

    def add(self, feed_id: int) -> CrosswalkRecord:
        """An empty one, from a feed."""
        draft = Crosswalk().model_dump(mode="json")
        return self._add(CrosswalkRecord(store_id=self.store_id, feed_id=feed_id, draft=draft))

    def from_feed(self, feed_id: int, *, alone: bool = False) -> CrosswalkRecord:
        """The one that the feed's deliveries go by; ``alone``, whoever else edits it waits until
        this transaction ends. Raises ``NotFound``."""
        query = select(CrosswalkRecord).where(
            CrosswalkRecord.store_id == self.store_id, CrosswalkRecord.feed_id == feed_id
        )
        if alone:
            query = query.with_for_update().execution_options(populate_existing=True)
        found = self.session.exec(query).first()
        if found is None:
            raise NotFound(f"There is no feed {feed_id}.")
        return found

    def by_feed(self, *, alone: bool = False) -> dict[int, CrosswalkRecord]:
        """Each of the store's by the feed that it is from; ``alone`` as above."""
        query = select(CrosswalkRecord).where(CrosswalkRecord.store_id == self.store_id)
        if alone:
            query = query.order_by(col(CrosswalkRecord.id)).with_for_update()
            query = query.execution_options(populate_existing=True)
        return {record.feed_id: record for record in self.session.exec(query)}

    def edit(self, record: CrosswalkRecord, draft: Crosswalk) -> None:
        """Another draft."""
        record.draft = draft.model_dump(mode="json")
        record.revision += 1
        self._add(record)

    def version(self, version_id: int) -> CrosswalkVersion:
        """Raises ``NotFound``."""
        return self._get(CrosswalkVersion, version_id, "crosswalk version")

    def versions(self, record: CrosswalkRecord) -> list[CrosswalkVersion]:
        """Newest first."""
        query = select(CrosswalkVersion).where(CrosswalkVersion.crosswalk_id == known_id(record))
        return list(self.session.exec(query.order_by(col(CrosswalkVersion.number).desc())))

    def counted(self) -> dict[int, int]:
        """How many versions each feed's has that has any."""
        query = (
            select(CrosswalkRecord.feed_id, func.count())
            .join(CrosswalkVersion, col(CrosswalkVersion.crosswalk_id) == col(CrosswalkRecord.id))
            .where(CrosswalkRecord.store_id == self.store_id)
            .group_by(col(CrosswalkRecord.feed_id))
        )
        return dict(self.session.exec(query).all())

    def runs(self, version: CrosswalkVersion) -> list[int]:
        """Ids of the runs that went by a version."""
        query = select(Run.id).where(Run.version_id == known_id(version)).order_by(col(Run.id))
        return [key for key in self.session.exec(query) if key is not None]

    def freeze(
        self, record: CrosswalkRecord, bundle: Bundle, lookups: Mapping[str, int], note: str = ""
    ) -> CrosswalkVersion:
        """The newest version if it says the same, else a new one; ``lookups`` are the revisions
        of those in the bundle, by their ids."""
        document, held = bundle.model_dump(mode="json", exclude=_LOOKUPS), dict(lookups)
        # Two at once would give their versions the same number.
        self.from_feed(record.feed_id, alone=True)
        newest = next(iter(self.versions(record)), None)
        if newest and newest.bundle == document and newest.lookups == held:
            if note:
                newest.note, newest.actor = note, at_work(self.session)
            return self._add(newest)
        return self._add(
            CrosswalkVersion(
                store_id=self.store_id,
                crosswalk_id=known_id(record),
                number=newest.number + 1 if newest else 1,
                bundle=document,
                lookups=held,
                note=note,
                actor=at_work(self.session),
            )
        )

    def bundle(self, version: CrosswalkVersion) -> Bundle:
        """A version with its look-ups as they were."""
        return self.bundles([version])[0]

    def marks(self, version: CrosswalkVersion) -> dict[tuple[str, str], At]:
        """The revision of each look-up of a version, by its kind and name."""
        wanted = {(int(i), number) for i, number in version.lookups.items()}
        known = LookupsRepository(self.session, self.store_id).as_of(wanted)
        return {(kind_of(one).name, one.name): at for at, one in known.items()}

    def bundles(self, versions: Sequence[CrosswalkVersion]) -> list[Bundle]:
        """Several, in their order."""
        wanted = {(int(i), number) for v in versions for i, number in v.lookups.items()}
        known = LookupsRepository(self.session, self.store_id).as_of(wanted)
        found = []
        for version in versions:
            own = [known[int(i), n] for i, n in sorted(version.lookups.items(), key=_by_id)]
            held = {kind.where: tuple(one for one in own if kind_of(one) is kind) for kind in KINDS}
            found.append(Bundle.model_validate(version.bundle | held))
        return found


def _by_id(pair: tuple[str, int]) -> int:
    return int(pair[0])
