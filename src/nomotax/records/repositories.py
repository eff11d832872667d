"""Stores, and what comes to them: feeds and deliveries. Each finding raises ``NotFound`` for what
is not there."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import true
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import InstrumentedAttribute, defer
from sqlmodel import Session, col, select
from sqlmodel.sql.expression import SelectOfScalar

from nomotax.core.errors import NotFound
from nomotax.core.lookups.tree import with_parents
from nomotax.core.schema.model import StoreSchema
from nomotax.core.schema.table_schema import from_descriptor
from nomotax.records.actors import at_work
from nomotax.records.database import be_patient
from nomotax.records.repository import Repository, known_id
from nomotax.records.tables import Category, Delivery, Feed, SchemaChange, Store, Supplier


def _loaded(column: object) -> InstrumentedAttribute[Any]:
    """A column as the mapper knows it; SQLModel types it as its values."""
    assert isinstance(column, InstrumentedAttribute)
    return column


class Stores:
    """All stores; whatever else there is belongs to one of them."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def get(self, store_id: int) -> Store:
        found = self.session.get(Store, store_id)
        if found is None:
            raise NotFound(f"There is no store {store_id}.")
        return found

    def locked(self, store_id: int) -> Store:
        """The store, which nobody else writes to until this transaction ends."""
        self.get(store_id)
        be_patient(self.session)
        query = select(Store).where(Store.id == store_id).with_for_update()
        return self.session.exec(query.execution_options(populate_existing=True)).one()

    def all(self, removed: bool = False) -> list[Store]:
        """Those in sight, or those that were removed."""
        gone = col(Store.removed_at).is_not(None)
        query = select(Store).where(gone if removed else ~gone)
        return list(self.session.exec(query.order_by(col(Store.id))))

    def add(self, name: str, document: dict[str, Any]) -> Store:
        store = Store(name=name, schema_document=document)
        self.session.add(store)
        self.session.flush()
        return store

    def schema(self, store_id: int) -> StoreSchema:
        return from_descriptor(self.get(store_id).schema_document)

    def changed(self, store_id: int, field: str, said: str) -> None:
        """Somebody has changed a field of the schema."""
        by = at_work(self.session)
        self.session.add(SchemaChange(store_id=store_id, field=field, actor=by, said=said))

    def field_changes(self, store_id: int, field: str) -> list[SchemaChange]:
        """The newest hundred first."""
        query = select(SchemaChange).where(
            SchemaChange.store_id == store_id, SchemaChange.field == field
        )
        return list(self.session.exec(query.order_by(col(SchemaChange.id).desc()).limit(100)))

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

    def add_categories(self, store_id: int, paths: Sequence[str]) -> list[str]:
        """Add what is not there yet, parents included; gives those that were not."""
        branches = dict.fromkeys(b for path in paths for b in with_parents(path))
        if not branches:
            return []
        # Whoever adds one of the same paths at this moment is waited for: it is there then.
        made = self.session.scalars(
            insert(Category)
            .values([{"store_id": store_id, "path": path, "names": {}} for path in branches])
            .on_conflict_do_nothing()
            .returning(col(Category.path))
        )
        return sorted(made)


class Feeds(Repository):
    of, what = Feed, "feed"

    def get(self, feed_id: int) -> Feed:
        return self._get(Feed, feed_id, "feed")

    def locked(self, feed_id: int) -> Feed:
        """The feed, which nobody else writes to until this transaction ends."""
        self.get(feed_id)
        be_patient(self.session)
        query = select(Feed).where(Feed.id == feed_id).with_for_update()
        return self.session.exec(query.execution_options(populate_existing=True)).one()

    def supplier(self, feed: Feed) -> Supplier:
        return self._get(Supplier, feed.supplier_id, "supplier")

    def all(self) -> list[tuple[Feed, Supplier]]:
        """Those in sight, each with its supplier."""
        query = (
            select(Feed, Supplier)
            .join(Supplier, col(Feed.supplier_id) == col(Supplier.id))
            .where(Feed.store_id == self.store_id, col(Feed.removed_at).is_(None))
            .order_by(col(Supplier.name), col(Feed.id))
        )
        return list(self.session.exec(query))

    def supplier_named(self, name: str) -> Supplier:
        """The supplier of that name, made when new."""
        query = select(Supplier).where(Supplier.store_id == self.store_id, Supplier.name == name)
        found = self.session.exec(query).first()
        if found is None:
            # Two at once: one of them makes the record.
            new = insert(Supplier).values(store_id=self.store_id, name=name)
            self.session.connection().execute(new.on_conflict_do_nothing())
            found = self.session.exec(query).one()
        return found

    def add(self, supplier: Supplier, name: str) -> Feed:
        return self._add(Feed(store_id=self.store_id, supplier_id=known_id(supplier), name=name))


#: What a list of deliveries does without; it is large.
_OF_THE_READING = (Delivery.profile, Delivery.offers, Delivery.why)


class Deliveries(Repository):
    of, what = Delivery, "delivery"

    def get(self, delivery_id: int) -> Delivery:
        return self._get(Delivery, delivery_id, "delivery")

    def alone(self, delivery_id: int) -> Delivery:
        """The delivery as it is by now, which nobody else writes to until this transaction ends.
        Raises ``NotFound``."""
        self.get(delivery_id)
        query = select(Delivery).where(Delivery.id == delivery_id).with_for_update()
        return self.session.exec(query.execution_options(populate_existing=True)).one()

    def add(self, **values: Any) -> Delivery:
        return self._add(Delivery(store_id=self.store_id, **values))

    def keep(self, delivery: Delivery) -> Delivery:
        """One that has been changed."""
        return self._add(delivery)

    def of_feed(self, feed_id: int) -> list[Delivery]:
        """All of them, newest first, but for those removed: however many there are, with all that
        is known of each. Where some are enough, ask for the ``last``."""
        return list(self.session.exec(self._newest_first(feed_id)))

    def last(
        self, feed_id: int, most: int = 1, *, read: bool = False, before: int | None = None
    ) -> list[Delivery]:
        """The newest ones, so many at most; of those alone that could be ``read``, and that came
        ``before`` one of this id."""
        query = self._newest_first(feed_id)
        if before is not None:
            query = query.where(col(Delivery.id) < before)
        if read:
            query = query.where(col(Delivery.table_artifact).is_not(None))
        return list(self.session.exec(query.limit(most)))

    def _newest_first(self, feed_id: int) -> SelectOfScalar[Delivery]:
        return (
            select(Delivery)
            .where(
                Delivery.store_id == self.store_id,
                Delivery.feed_id == feed_id,
                col(Delivery.removed_at).is_(None),
            )
            .order_by(col(Delivery.id).desc())
        )

    def last_of_each(self, most: int) -> dict[int, list[Delivery]]:
        """The newest of every feed, so many of each, without what only the reading shows."""
        newest = (
            select(Delivery.id)
            .where(Delivery.feed_id == Feed.id, col(Delivery.removed_at).is_(None))
            .order_by(col(Delivery.id).desc())
            .limit(most)
            .correlate(Feed)
            .lateral("newest")
        )
        ids = select(newest.c.id).select_from(Feed).join(newest, true())
        query = (
            select(Delivery)
            .where(col(Delivery.id).in_(ids.where(Feed.store_id == self.store_id)))
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
            Delivery.store_id == self.store_id,
            Delivery.feed_id == feed_id,
            col(Delivery.table_artifact).is_not(None),
            col(Delivery.removed_at).is_(None),
        )
        found = self.session.exec(query.order_by(col(Delivery.id).desc()).limit(1)).first()
        if found is None:
            raise NotFound("This feed has no delivery that could be read.")
        return found
