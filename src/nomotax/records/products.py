"""The tables of a store's catalog: its products, what became of them, and what is decided of
them."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, ClassVar

from sqlalchemy import BigInteger, Column, Index, UniqueConstraint, text
from sqlmodel import Field, SQLModel

from nomotax.core.changes.states import LIVE
from nomotax.records.columns import Acted, Actor, by, document, moment


class Product(SQLModel, table=True):
    """A product of the catalog. ``content`` holds every filled field as text in the store's
    writing, so that no number passes through a binary float. ``created_run`` made it, null where
    it was there before all runs; ``writers`` are the runs that wrote a field since."""

    __tablename__: ClassVar[str] = "products"
    __table_args__ = (
        UniqueConstraint("store_id", "key"),
        Index("products_by_category", "store_id", "category"),
        Index(
            "products_by_group",
            "store_id",
            "variant_group",
            postgresql_where=text("variant_group <> ''"),
        ),
        Index(
            "products_by_created_run",
            "created_run",
            postgresql_where=text("created_run is not null"),
        ),
    )

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    store_id: int
    supplier_id: int = Field(index=True)
    key: str
    title: str = ""
    category: str = ""
    variant_group: str = ""
    #: As ``core.changes.states`` names them; kept among the values, too, while not live.
    state: str = Field(default=LIVE, sa_column_kwargs={"server_default": LIVE})
    content: dict[str, str] = document()
    created_run: int | None = None
    writers: dict[str, int] = document(default_factory=dict)
    changed_at: datetime = moment()


class ProductChange(SQLModel, table=True):
    """What one run changed of a product that was there: ``after`` has every field that it wrote
    (null for none), ``before`` their values (left out where there was none), and ``writers`` the
    runs that had written those. In the order in which they were written, by their ids.
    It stands while its run is not taken back, unless ``stands`` says otherwise: the product was out
    when its run was taken back or put in again."""

    __tablename__: ClassVar[str] = "product_changes"
    __table_args__ = (Index("product_changes_by_product", "product_id", "id"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    run_id: int = Field(index=True)
    store_id: int
    product_id: int = Field(sa_column=Column(BigInteger, nullable=False))
    before: dict[str, str] = document()
    after: dict[str, str | None] = document()
    writers: dict[str, int] = document(default_factory=dict)
    stands: bool | None = None


class RemovedProduct(SQLModel, table=True):
    """A product that is not in the catalog because the run that made it is taken back and nobody
    has changed it since: as it was, and the run that put it here."""

    __tablename__: ClassVar[str] = "removed_products"

    product_id: int = Field(sa_column=Column(BigInteger, primary_key=True, autoincrement=False))
    store_id: int
    run_id: int
    created_run: int | None = Field(default=None, index=True)
    document: dict[str, Any] = document()


class KeptValue(Acted, table=True):
    """A field of a product that is kept by hand: no feed may touch it."""

    __tablename__: ClassVar[str] = "kept_values"
    __table_args__ = (UniqueConstraint("store_id", "product_id", "field"),)

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id")
    product_id: int = Field(sa_column=Column(BigInteger, nullable=False))
    field: str
    actor: Actor | None = by()
    at: datetime = moment()


class DeclinedValue(SQLModel, table=True):
    """A value of a feed's for a field of a product that was declined in a run until the supplier
    says another one; ``ended_by`` is the run in which that was so. It counts while ``run_id``
    stands, and ``ended_by`` does not."""

    __tablename__: ClassVar[str] = "declined_values"
    __table_args__ = (
        Index("declined_values_by_feed", "feed_id"),
        Index("declined_values_by_product", "product_id"),
    )

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    store_id: int = Field(foreign_key="stores.id")
    feed_id: int = Field(foreign_key="feeds.id")
    product_id: int = Field(sa_column=Column(BigInteger, nullable=False))
    field: str
    value: str | None = None
    run_id: int = Field(foreign_key="runs.id")
    ended_by: int | None = Field(default=None, foreign_key="runs.id")


class DeclinedProduct(SQLModel, table=True):
    """An article of a feed's whose product is not made, until its row says another thing than the
    digest in ``said``. It counts as a declined value does."""

    __tablename__: ClassVar[str] = "declined_products"

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    store_id: int = Field(foreign_key="stores.id")
    feed_id: int = Field(foreign_key="feeds.id", index=True)
    article: str
    said: str
    run_id: int = Field(foreign_key="runs.id")
    ended_by: int | None = Field(default=None, foreign_key="runs.id")


class DatedValue(Acted, table=True):
    """What a field of a product is to hold from the start of a day on (by UTC); null for nothing.
    ``status`` is *waiting*, *written*, *refused* with a reason, *replaced* by another one of the
    same day, *taken back*, or *undone* with the run that gave it. ``run_id`` is the run that writes
    it; ``given_by`` the one that gave it, null where a person did; ``replaced_by`` the one that
    gave what took its place."""

    __tablename__: ClassVar[str] = "dated_values"
    __table_args__ = (
        Index("dated_values_by_product", "product_id"),
        Index(
            "dated_values_waiting",
            "day",
            postgresql_where=text("status = 'waiting' and run_id is null"),
        ),
        Index("dated_values_by_giver", "given_by"),
    )

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    store_id: int = Field(foreign_key="stores.id")
    product_id: int = Field(sa_column=Column(BigInteger, nullable=False))
    field: str
    value: str | None = None
    day: date
    status: str = "waiting"
    reason: str = ""
    run_id: int | None = Field(default=None, foreign_key="runs.id", index=True)
    given_by: int | None = Field(default=None, foreign_key="runs.id")
    replaced_by: int | None = Field(default=None, foreign_key="runs.id")
    actor: Actor | None = by()
    at: datetime = moment()


class Snapshot(Acted, table=True):
    """A store's whole catalog as one file. ``status`` is *queued*, *ready* or *failed*; ``run_id``
    is the run before which it was taken, ``about`` what the file says of itself."""

    __tablename__: ClassVar[str] = "snapshots"

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    run_id: int | None = Field(default=None, foreign_key="runs.id")
    status: str = "queued"
    because: str = ""
    actor: Actor | None = by()
    artifact: str = ""
    about: dict[str, Any] = document(default_factory=dict)
    error: str = ""
    taken_at: datetime = moment()


class Pairing(Acted, table=True):
    """What is decided of a supplier's article, by its own number: ``product`` pairs it with a
    product of the store, ``new`` lets it make one, ``leave`` leaves it out. ``run_id`` is the run
    that made the product under a number of the store's, and so paired it; null where a person
    did."""

    __tablename__: ClassVar[str] = "pairings"
    __table_args__ = (UniqueConstraint("store_id", "supplier_id", "article"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    store_id: int = Field(foreign_key="stores.id")
    supplier_id: int = Field(foreign_key="suppliers.id")
    article: str
    decision: str
    product_id: int | None = Field(default=None, sa_column=Column(BigInteger, index=True))
    run_id: int | None = Field(default=None, foreign_key="runs.id")
    actor: Actor | None = by()
    at: datetime = moment()


class PickedArticle(Acted, table=True):
    """An article of a feed's range that is picked for the store, by its number."""

    __tablename__: ClassVar[str] = "picks"
    __table_args__ = (UniqueConstraint("store_id", "feed_id", "article"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    store_id: int = Field(foreign_key="stores.id")
    feed_id: int = Field(foreign_key="feeds.id")
    article: str
    actor: Actor | None = by()
    at: datetime = moment()
