"""Finding records: one class an aggregate. Each raises ``NotFound`` for what is not there."""

from __future__ import annotations

from typing import Any, TypeAlias, TypeVar

from sqlalchemy import func
from sqlmodel import Session, SQLModel, col, select

from nomotax.core.crosswalk.compare import lookup_changes
from nomotax.core.crosswalk.flow import Lookups
from nomotax.core.crosswalk.model import Chain, Crosswalk
from nomotax.core.errors import NotFound
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.pricing.rates import Rate
from nomotax.core.schema.model import StoreSchema
from nomotax.core.schema.table_schema import from_descriptor
from nomotax.records.person import person
from nomotax.records.tables import (
    Category,
    CrosswalkVersion,
    Decision,
    Delivery,
    Feed,
    KeptValue,
    Lookup,
    LookupChange,
    Product,
    Run,
    RunLog,
    Store,
    Supplier,
    now,
)

T = TypeVar("T", bound=SQLModel)

SavedLookup: TypeAlias = ValueTable | CategoryTable | Ladder | Rate | Chain
LOOKUP_MODELS: dict[str, type[SavedLookup]] = {
    "value_table": ValueTable,
    "category_table": CategoryTable,
    "ladder": Ladder,
    "rate": Rate,
    "chain": Chain,
}


def known_id(record: Any) -> int:
    """The id of a record that has been saved."""
    if record.id is None:
        raise NotFound("This record has not been saved.")
    return int(record.id)


class _Repository:
    def __init__(self, session: Session) -> None:
        self.session = session

    def _get(self, table: type[T], key: int, what: str) -> T:
        found = self.session.get(table, key)
        if found is None:
            raise NotFound(f"There is no {what} {key}.")
        return found

    def _add(self, record: T) -> T:
        self.session.add(record)
        self.session.flush()
        return record


class Stores(_Repository):
    def get(self, store_id: int) -> Store:
        return self._get(Store, store_id, "store")

    def all(self) -> list[Store]:
        return list(self.session.exec(select(Store).order_by(col(Store.id))))

    def add(self, name: str, document: dict[str, Any]) -> Store:
        return self._add(Store(name=name, schema_document=document))

    def schema(self, store_id: int) -> StoreSchema:
        return from_descriptor(self.get(store_id).schema_document)

    def category_paths(self, store_id: int) -> list[str]:
        query = select(Category.path).where(Category.store_id == store_id)
        return sorted(self.session.exec(query))

    def categories(self, store_id: int) -> list[Category]:
        query = select(Category).where(Category.store_id == store_id)
        return sorted(self.session.exec(query), key=lambda c: c.path)

    def add_categories(self, store_id: int, paths: list[str]) -> None:
        """Add what is not there yet, parents included."""
        known = set(self.category_paths(store_id))
        for path in paths:
            parts = [p.strip() for p in path.split(">") if p.strip()]
            for depth in range(1, len(parts) + 1):
                branch = " > ".join(parts[:depth])
                if branch not in known:
                    known.add(branch)
                    self.session.add(Category(store_id=store_id, path=branch))
        self.session.flush()


class Feeds(_Repository):
    def get(self, feed_id: int) -> Feed:
        return self._get(Feed, feed_id, "feed")

    def supplier(self, feed: Feed) -> Supplier:
        return self._get(Supplier, feed.supplier_id, "supplier")

    def of_store(self, store_id: int) -> list[tuple[Feed, Supplier]]:
        query = (
            select(Feed, Supplier)
            .join(Supplier, col(Feed.supplier_id) == col(Supplier.id))
            .where(Supplier.store_id == store_id)
            .order_by(col(Supplier.name), col(Feed.id))
        )
        return list(self.session.exec(query))

    def supplier_named(self, store_id: int, name: str) -> Supplier:
        """The supplier of that name, made when new."""
        query = select(Supplier).where(Supplier.store_id == store_id, Supplier.name == name)
        found = self.session.exec(query).first()
        return found or self._add(Supplier(store_id=store_id, name=name))

    def add(self, supplier: Supplier, name: str) -> Feed:
        return self._add(
            Feed(
                supplier_id=known_id(supplier),
                name=name,
                draft=Crosswalk().model_dump(mode="json"),
            )
        )

    def draft(self, feed: Feed) -> Crosswalk:
        return Crosswalk.model_validate(feed.draft)


class Deliveries(_Repository):
    def get(self, delivery_id: int) -> Delivery:
        return self._get(Delivery, delivery_id, "delivery")

    def add(self, delivery: Delivery) -> Delivery:
        return self._add(delivery)

    def of_feed(self, feed_id: int) -> list[Delivery]:
        """Newest first."""
        query = select(Delivery).where(Delivery.feed_id == feed_id)
        return list(self.session.exec(query.order_by(col(Delivery.id).desc())))

    def newest(self, feed_id: int) -> Delivery:
        """The newest delivery of a feed that could be read."""
        readable = [d for d in self.of_feed(feed_id) if d.table_artifact]
        if not readable:
            raise NotFound("This feed has no delivery that could be read.")
        return readable[0]


class LookupsRepository(_Repository):
    def of_store(self, store_id: int) -> Lookups:
        found: dict[str, dict[str, Any]] = {kind: {} for kind in LOOKUP_MODELS}
        for record in self.session.exec(select(Lookup).where(Lookup.store_id == store_id)):
            found[record.kind][record.name] = LOOKUP_MODELS[record.kind].model_validate(
                record.document
            )
        return Lookups(
            found["value_table"],
            found["category_table"],
            found["ladder"],
            found["rate"],
            found["chain"],
        )

    def find(self, store_id: int, kind: str, name: str) -> Lookup | None:
        query = select(Lookup).where(
            Lookup.store_id == store_id, Lookup.kind == kind, Lookup.name == name
        )
        return self.session.exec(query).first()

    def changes(self, store_id: int, kind: str, name: str) -> list[LookupChange]:
        """Newest first."""
        query = select(LookupChange).where(
            LookupChange.store_id == store_id,
            LookupChange.kind == kind,
            LookupChange.name == name,
        )
        return list(self.session.exec(query.order_by(col(LookupChange.id).desc()).limit(100)))

    def last_change(self, store_id: int, kind: str, name: str) -> LookupChange | None:
        return next(iter(self.changes(store_id, kind, name)), None)

    def save(self, store_id: int, model: SavedLookup) -> Lookup:
        """Keep a look-up under its name, in place of an older one, and who changed what."""
        kind = next(k for k, m in LOOKUP_MODELS.items() if isinstance(model, m))
        document = model.model_dump(mode="json")
        record = self.find(store_id, kind, model.name)
        if record is None or record.document != document:
            old = LOOKUP_MODELS[kind].model_validate(record.document) if record else None
            said = lookup_changes(old, model)
            self.session.add(
                LookupChange(
                    store_id=store_id, kind=kind, name=model.name, author=person(), said=said
                )
            )
        if record is None:
            return self._add(
                Lookup(store_id=store_id, kind=kind, name=model.name, document=document)
            )
        if record.document != document:
            record.document = document
            record.revision += 1
            record.changed_at = now()
        return self._add(record)


class Runs(_Repository):
    def get(self, run_id: int) -> Run:
        return self._get(Run, run_id, "run")

    def add(self, run: Run) -> Run:
        return self._add(run)

    def of_store(self, store_id: int, limit: int = 100) -> list[tuple[Run, Feed, Supplier]]:
        query = (
            select(Run, Feed, Supplier)
            .join(Feed, col(Run.feed_id) == col(Feed.id))
            .join(Supplier, col(Feed.supplier_id) == col(Supplier.id))
            .where(Supplier.store_id == store_id)
            .order_by(col(Run.id).desc())
            .limit(limit)
        )
        return list(self.session.exec(query))

    def with_status(self, status: str) -> list[Run]:
        return list(self.session.exec(select(Run).where(Run.status == status)))

    def newest_of_delivery(self, delivery_id: int) -> Run | None:
        query = select(Run).where(Run.delivery_id == delivery_id).order_by(col(Run.id).desc())
        return self.session.exec(query).first()

    def log(self, run_id: int) -> list[RunLog]:
        query = select(RunLog).where(RunLog.run_id == run_id).order_by(col(RunLog.id))
        return list(self.session.exec(query))

    def version(self, run: Run) -> CrosswalkVersion:
        return self._get(CrosswalkVersion, run.version_id, "crosswalk version")

    def of_version(self, version_id: int) -> list[int]:
        """Ids of the runs that used a version."""
        found = self.session.exec(select(Run).where(Run.version_id == version_id))
        return [known_id(run) for run in found]

    def versions_of(self, feed_id: int) -> list[CrosswalkVersion]:
        """Newest first."""
        query = select(CrosswalkVersion).where(CrosswalkVersion.feed_id == feed_id)
        return list(self.session.exec(query.order_by(col(CrosswalkVersion.number).desc())))

    def freeze(self, feed_id: int, bundle: dict[str, Any], note: str) -> CrosswalkVersion:
        """The newest version if it says the same, else a new one."""
        query = (
            select(CrosswalkVersion)
            .where(CrosswalkVersion.feed_id == feed_id)
            .order_by(col(CrosswalkVersion.number).desc())
        )
        newest = self.session.exec(query).first()
        if newest and newest.bundle == bundle:
            if note:
                newest.note, newest.author = note, person()
            return self._add(newest)
        number = newest.number + 1 if newest else 1
        return self._add(
            CrosswalkVersion(
                feed_id=feed_id, number=number, bundle=bundle, note=note, author=person()
            )
        )

    def versions(self, feed_id: int) -> int:
        query = select(func.count()).where(CrosswalkVersion.feed_id == feed_id)
        return int(self.session.exec(query).one())


class Catalog(_Repository):
    def product(self, store_id: int, key: str) -> Product:
        query = select(Product).where(Product.store_id == store_id, Product.key == key)
        found = self.session.exec(query).first()
        if found is None:
            raise NotFound(f"There is no product {key!r}.")
        return found

    def last_run(self, store_id: int, key: str) -> int:
        """The run that last changed a product."""
        run = self.product(store_id, key).changed_run
        if run is None:
            raise NotFound(f"No run has changed the product {key!r}.")
        return run

    def kept(self, store_id: int) -> dict[str, list[str]]:
        """Keys by the field that is kept by hand."""
        found: dict[str, list[str]] = {}
        for one in self.session.exec(select(KeptValue).where(KeptValue.store_id == store_id)):
            found.setdefault(one.field, []).append(one.key)
        return found

    def keep(self, store_id: int, key: str, field: str, keep: bool) -> None:
        """Keep a field by hand, or no longer."""
        query = select(KeptValue).where(
            KeptValue.store_id == store_id, KeptValue.key == key, KeptValue.field == field
        )
        found = self.session.exec(query).first()
        if keep and found is None:
            self._add(KeptValue(store_id=store_id, key=key, field=field, author=person()))
        elif not keep and found is not None:
            self.session.delete(found)


class Decisions(_Repository):
    def of_feed(self, feed_id: int, verdict: str) -> set[tuple[str, str]]:
        """Subject and proposal of each."""
        query = select(Decision).where(Decision.feed_id == feed_id, Decision.verdict == verdict)
        return {(d.subject, d.proposal) for d in self.session.exec(query)}

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
            self._add(
                Decision(
                    feed_id=feed_id,
                    verdict=verdict,
                    subject=subject,
                    proposal=proposal,
                    author=person(),
                )
            )

    def forget(self, feed_id: int, verdict: str, subject: str, proposal: str) -> None:
        found = self._find(feed_id, verdict, subject, proposal)
        if found is not None:
            self.session.delete(found)
