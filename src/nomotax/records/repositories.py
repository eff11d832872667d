"""Finding records: one class an aggregate. Each raises ``NotFound`` for what is not there."""

from __future__ import annotations

from typing import Any, TypeVar

from sqlalchemy import ColumnElement, Text, any_, func, text
from sqlalchemy.dialects.postgresql import array
from sqlalchemy.orm import InstrumentedAttribute, defer
from sqlmodel import Session, SQLModel, col, select

from nomotax.core.changes.states import TAKEN_OUT
from nomotax.core.crosswalk.compare import lookup_changes
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.crosswalk.saved import KINDS, SavedLookup, kind_of
from nomotax.core.errors import NotFound
from nomotax.core.flow.context import Lookups
from nomotax.core.lookups.tree import with_parents
from nomotax.core.schema.model import StoreSchema
from nomotax.core.schema.table_schema import from_descriptor
from nomotax.records.person import person
from nomotax.records.tables import (
    Category,
    CrosswalkVersion,
    Delivery,
    Feed,
    KeptValue,
    Lookup,
    LookupChange,
    Product,
    Run,
    RunLog,
    Snapshot,
    Store,
    Supplier,
    now,
)

T = TypeVar("T", bound=SQLModel)


def known_id(record: Any) -> int:
    """The id of a record that has been saved."""
    if record.id is None:
        raise NotFound("This record has not been saved.")
    return int(record.id)


def _loaded(column: object) -> InstrumentedAttribute[Any]:
    """A column as the mapper knows it; SQLModel types it as its values."""
    assert isinstance(column, InstrumentedAttribute)
    return column


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

    def locked(self, store_id: int) -> Store:
        """The store, which nobody else writes to until this transaction ends."""
        self.get(store_id)
        query = select(Store).where(Store.id == store_id).with_for_update()
        return self.session.exec(query.execution_options(populate_existing=True)).one()

    def all(self, removed: bool = False) -> list[Store]:
        """Those in sight, or those that were removed."""
        gone = col(Store.removed_at).is_not(None)
        query = select(Store).where(gone if removed else ~gone)
        return list(self.session.exec(query.order_by(col(Store.id))))

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

    def tree(self, store_id: int) -> dict[str, dict[str, str]]:
        """What each category is called in other languages, by its path, in order."""
        query = select(Category.path, Category.names).where(Category.store_id == store_id)
        return dict(sorted((path, dict(names)) for path, names in self.session.exec(query)))

    def add_categories(self, store_id: int, paths: list[str]) -> None:
        """Add what is not there yet, parents included."""
        known = set(self.category_paths(store_id))
        for path in paths:
            for branch in with_parents(path):
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
            .where(Supplier.store_id == store_id, col(Feed.removed_at).is_(None))
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


#: What a list of deliveries does without; it is large.
_OF_THE_READING = (Delivery.profile, Delivery.offers, Delivery.why)


class Deliveries(_Repository):
    def get(self, delivery_id: int) -> Delivery:
        return self._get(Delivery, delivery_id, "delivery")

    def add(self, delivery: Delivery) -> Delivery:
        return self._add(delivery)

    def of_feed(self, feed_id: int) -> list[Delivery]:
        """Newest first, but for those removed."""
        query = select(Delivery).where(
            Delivery.feed_id == feed_id, col(Delivery.removed_at).is_(None)
        )
        return list(self.session.exec(query.order_by(col(Delivery.id).desc())))

    def of_store(self, store_id: int) -> dict[int, list[Delivery]]:
        """Those of every feed, newest first, without what only the reading shows."""
        query = (
            select(Delivery)
            .join(Feed, col(Delivery.feed_id) == col(Feed.id))
            .join(Supplier, col(Feed.supplier_id) == col(Supplier.id))
            .where(Supplier.store_id == store_id, col(Delivery.removed_at).is_(None))
            .order_by(col(Delivery.id).desc())
            .options(*(defer(_loaded(one)) for one in _OF_THE_READING))
        )
        found: dict[int, list[Delivery]] = {}
        for delivery in self.session.exec(query):
            found.setdefault(delivery.feed_id, []).append(delivery)
        return found

    def newest(self, feed_id: int) -> Delivery:
        """The newest delivery of a feed that could be read."""
        query = select(Delivery).where(
            Delivery.feed_id == feed_id,
            col(Delivery.table_artifact).is_not(None),
            col(Delivery.removed_at).is_(None),
        )
        found = self.session.exec(query.order_by(col(Delivery.id).desc()).limit(1)).first()
        if found is None:
            raise NotFound("This feed has no delivery that could be read.")
        return found


#: What locks of look-ups are called among the database's advisory locks.
_LOOKUPS = 6101


class LookupsRepository(_Repository):
    def of_store(self, store_id: int) -> Lookups:
        found: dict[str, dict[str, Any]] = {kind.name: {} for kind in KINDS}
        models = {kind.name: kind.model for kind in KINDS}
        for record in self.session.exec(select(Lookup).where(Lookup.store_id == store_id)):
            saved = models[record.kind].model_validate(record.document)
            found[record.kind][record.name] = saved
        return Lookups(**{kind.where: found[kind.name] for kind in KINDS})

    def alone(self, store_id: int) -> None:
        """From here until this transaction ends nobody else changes the store's look-ups: what is
        read behind this may be written back with one more answer, and no answer is lost."""
        query = text("select pg_advisory_xact_lock(:what, :store)")
        self.session.connection().execute(query, {"what": _LOOKUPS, "store": store_id})

    def find(self, store_id: int, kind: str, name: str) -> Lookup | None:
        query = select(Lookup).where(
            Lookup.store_id == store_id, Lookup.kind == kind, Lookup.name == name
        )
        return self.session.exec(query).first()

    def names(self, store_id: int) -> set[tuple[str, str]]:
        """Kind and name of every look-up."""
        query = select(Lookup.kind, Lookup.name).where(Lookup.store_id == store_id)
        return {(kind, name) for kind, name in self.session.exec(query)}

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
        kind = kind_of(model).name
        document = model.model_dump(mode="json")
        record = self.find(store_id, kind, model.name)
        if record is None or record.document != document:
            old = type(model).model_validate(record.document) if record else None
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


def _given(key: int | None) -> int:
    if key is None:
        raise NotFound("This run is of no delivery: a person wrote it.")
    return key


class Runs(_Repository):
    def get(self, run_id: int) -> Run:
        return self._get(Run, run_id, "run")

    def add(self, run: Run) -> Run:
        return self._add(run)

    def of_store(self, store_id: int, limit: int = 100) -> list[Run]:
        """The newest first."""
        query = select(Run).where(Run.store_id == store_id)
        return list(self.session.exec(query.order_by(col(Run.id).desc()).limit(limit)))

    def last_applied(self, feed_id: int) -> Run | None:
        """The run of a whole delivery of this feed that was applied last and stands."""
        whole = col(Run.first_row).is_(None), col(Run.last_row).is_(None)
        query = select(Run).where(
            Run.feed_id == feed_id, Run.kind == "delivery", Run.status == "applied", *whole
        )
        return self.session.exec(query.order_by(col(Run.finished_at).desc()).limit(1)).first()

    def undo_under_way(self, run_id: int) -> Run | None:
        """The run that is about to take another back."""
        still = ("queued", "preparing", "prepared", "applying")
        query = select(Run).where(Run.undoes == run_id, col(Run.status).in_(still))
        return self.session.exec(query).first()

    def taken_back_by(self, run_id: int) -> int | None:
        """The run that took another back, and stands."""
        query = select(Run.id).where(Run.undoes == run_id, Run.status == "applied")
        return self.session.exec(query.order_by(col(Run.id).desc()).limit(1)).first()

    def of_deliveries(self, ids: list[int]) -> list[Run]:
        return list(self.session.exec(select(Run).where(col(Run.delivery_id).in_(ids))))

    def newest_of(self, deliveries: list[int]) -> dict[int, Run]:
        """The newest run of each delivery that has one."""
        query = (
            select(Run)
            .where(col(Run.delivery_id).in_(deliveries), Run.kind == "delivery")
            .order_by(col(Run.id))
        )
        return {run.delivery_id: run for run in self.session.exec(query) if run.delivery_id}

    def log(self, run_id: int) -> list[RunLog]:
        query = select(RunLog).where(RunLog.run_id == run_id).order_by(col(RunLog.id))
        return list(self.session.exec(query))

    def version(self, run: Run) -> CrosswalkVersion:
        """Raises ``NotFound`` for a run by no crosswalk."""
        return self._get(CrosswalkVersion, _given(run.version_id), "crosswalk version")

    def feed(self, run: Run) -> Feed:
        """Raises ``NotFound`` for a run of no feed."""
        return self._get(Feed, _given(run.feed_id), "feed")

    def delivery(self, run: Run) -> Delivery:
        """Raises ``NotFound`` for a run of no delivery."""
        return self._get(Delivery, _given(run.delivery_id), "delivery")

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

    def versions(self, feeds: list[int]) -> dict[int, int]:
        """How many versions each feed has that has any."""
        query = (
            select(CrosswalkVersion.feed_id, func.count())
            .where(col(CrosswalkVersion.feed_id).in_(feeds))
            .group_by(col(CrosswalkVersion.feed_id))
        )
        return dict(self.session.exec(query).all())


def in_catalog(store_id: int) -> list[ColumnElement[bool]]:
    """What products of the store's catalog meet: those that were taken out do not."""
    return [col(Product.store_id) == store_id, col(Product.state) != TAKEN_OUT]


class Snapshots(_Repository):
    def get(self, snapshot_id: int) -> Snapshot:
        return self._get(Snapshot, snapshot_id, "snapshot")

    def add(self, snapshot: Snapshot) -> Snapshot:
        return self._add(snapshot)

    def of_store(self, store_id: int) -> list[Snapshot]:
        """The newest first."""
        query = select(Snapshot).where(Snapshot.store_id == store_id)
        return list(self.session.exec(query.order_by(col(Snapshot.id).desc())))


class Catalog(_Repository):
    def product(self, store_id: int, key: str) -> Product:
        query = select(Product).where(*in_catalog(store_id), Product.key == key)
        found = self.session.exec(query).first()
        if found is None:
            raise NotFound(f"There is no product {key!r}.")
        return found

    def keys_among(self, store_id: int, keys: list[str]) -> list[str]:
        """Those of the keys that a product of the store has."""
        query = select(Product.key).where(
            *in_catalog(store_id), col(Product.key) == any_(array(keys, type_=Text))
        )
        return list(self.session.exec(query)) if keys else []

    def values_of(
        self, store_id: int, supplier_id: int, keys: list[str], field: str
    ) -> list[tuple[str, str | None]]:
        """Key and value of one field, of a supplier's products among the keys."""
        query = select(Product.key, col(Product.content)[field].astext).where(
            *in_catalog(store_id),
            Product.supplier_id == supplier_id,
            col(Product.key) == any_(array(keys, type_=Text)),
        )
        return list(self.session.exec(query)) if keys else []

    def key_with(self, store_id: int, field: str, value: str) -> str | None:
        """A product that has this value in a field."""
        query = select(Product.key).where(
            *in_catalog(store_id), col(Product.content)[field].astext == value
        )
        return self.session.exec(query.limit(1)).first()

    def writer(self, store_id: int, key: str, field: str) -> int:
        """The run that wrote a field of a product."""
        product = self.product(store_id, key)
        run = product.writers.get(field, product.created_run)
        if run is None:
            raise NotFound(f"No run has written this field of the product {key!r}.")
        return run

    def kept(self, store_id: int) -> dict[str, list[str]]:
        """Keys by the field that is kept by hand."""
        found: dict[str, list[str]] = {}
        query = (
            select(KeptValue.field, Product.key)
            .join(Product, col(Product.id) == col(KeptValue.product_id))
            .where(KeptValue.store_id == store_id)
        )
        for field, key in self.session.exec(query):
            found.setdefault(field, []).append(key)
        return found

    def kept_mark(self, store_id: int) -> tuple[int, int]:
        """Another one whenever a field begins or ceases to be kept by hand."""
        query = select(func.count(), func.max(KeptValue.id))
        count, last = self.session.exec(query.where(KeptValue.store_id == store_id)).one()
        return count, last or 0

    def keep(self, store_id: int, key: str, field: str, keep: bool) -> None:
        """Keep a field of a product by hand, or no longer. Raises ``NotFound``."""
        product = known_id(self.product(store_id, key))
        query = select(KeptValue).where(
            KeptValue.store_id == store_id,
            KeptValue.product_id == product,
            KeptValue.field == field,
        )
        found = self.session.exec(query).first()
        if keep and found is None:
            self._add(
                KeptValue(store_id=store_id, product_id=product, field=field, author=person())
            )
        elif not keep and found is not None:
            self.session.delete(found)
