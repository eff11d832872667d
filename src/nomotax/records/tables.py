"""The tables of the database, but for those of the catalog."""

from __future__ import annotations

from datetime import datetime
from typing import Any, ClassVar, Literal

from sqlalchemy import BigInteger, Column, DateTime, Index, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlmodel import Field, SQLModel

from nomotax.records.columns import Acted, Actor, by, document, doing, moment, removal


class Store(SQLModel, table=True):
    """One store: its product schema, the number of times its catalog has changed (``revision``)
    and that its schema or its category tree has (``rules_revision``), the fields that every
    product ``needs``; null while nobody has said so; and when its products were ``looked`` at last,
    with what was wrong (``flows.problems``). ``told`` is who is told of its feeds
    (``flows.telling``)."""

    __tablename__: ClassVar[str] = "stores"

    id: int | None = Field(default=None, primary_key=True)
    name: str
    schema_document: dict[str, Any] = document()
    revision: int = 0
    rules_revision: int = 0
    created_at: datetime = moment()
    rates_address: str = ""
    sources: dict[str, Any] = document(default_factory=dict)
    needs: list[str] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    looked: dict[str, Any] = document(default_factory=dict)
    told: dict[str, Any] = document(default_factory=dict)
    removed_at: datetime | None = removal()


class SavedView(Acted, table=True):
    """Products that are shown, and how, under a name: ``look`` is a ``flows.views.Look``."""

    __tablename__: ClassVar[str] = "saved_views"
    __table_args__ = (UniqueConstraint("store_id", "name"),)

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id")
    name: str
    look: dict[str, Any] = document()
    actor: Actor | None = by()
    at: datetime = moment()


class Note(Acted, table=True):
    """What somebody has to say of a product, or of its line in a run, to a colleague (``whom``, ""
    for all). It is by the product's key: a line may be about one that is not there yet."""

    __tablename__: ClassVar[str] = "notes"
    __table_args__ = (Index("notes_by_key", "store_id", "key"),)

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id")
    key: str
    run_id: int | None = Field(default=None, foreign_key="runs.id")
    text: str
    whom: str = ""
    actor: Actor | None = by()
    at: datetime = moment()
    done_at: datetime | None = doing()
    done_by: str = Field(default="", sa_column_kwargs={"server_default": ""})


class Category(SQLModel, table=True):
    """A category of a store, by its whole path. ``names`` are what its last part is called in
    other languages, by their tags."""

    __tablename__: ClassVar[str] = "categories"
    __table_args__ = (UniqueConstraint("store_id", "path"),)

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    path: str
    names: dict[str, str] = document(default_factory=dict)


class TreeEditRecord(Acted, table=True):
    """An edit of a store's category tree, kept so that it can be taken back.

    ``edit`` is what was asked, ``moves`` the paths that went with those in their place; ``added``
    and ``removed`` are the paths that came and went, those that went with their names;
    ``before`` has the documents that named them as they were, by kind and name.
    """

    __tablename__: ClassVar[str] = "tree_edits"

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    edit: dict[str, Any] = document()
    moves: dict[str, str] = document(default_factory=dict)
    added: list[str] = document(default_factory=list)
    removed: dict[str, dict[str, str]] = document(default_factory=dict)
    before: dict[str, dict[str, Any]] = document(default_factory=dict)
    products: int = 0
    undone: bool = False
    actor: Actor | None = by()
    at: datetime = moment()


class TreeEditRow(SQLModel, table=True):
    """The categories of one product, or of one side of its history, before and after an edit of
    the tree that made one path of two. ``side`` is content, before or after."""

    __tablename__: ClassVar[str] = "tree_edit_rows"

    edit_id: int = Field(foreign_key="tree_edits.id", primary_key=True)
    store_id: int
    side: str = Field(primary_key=True)
    row_id: int = Field(sa_column=Column(BigInteger, primary_key=True))
    was: dict[str, str] = document()
    became: dict[str, str] = document()


class Supplier(SQLModel, table=True):
    """Who sends. ``decided`` is another number whenever something is decided of its articles."""

    __tablename__: ClassVar[str] = "suppliers"
    __table_args__ = (UniqueConstraint("store_id", "name"),)

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    name: str
    decided: int = Field(default=0, sa_column_kwargs={"server_default": "0"})


class Feed(SQLModel, table=True):
    """One stream of deliveries of a supplier, with its saved reading.

    ``password`` opens the supplier's archives; it is never given out. ``guards`` are those that
    are set otherwise than all are. ``picking`` are the rules
    that pick articles of its range, and ``picked`` is another number whenever those that are
    picked change.

    ``source`` is where its deliveries are fetched from (``intake.model``), ``secrets`` what signs
    in there, locked, ``known`` what was there when it was fetched last (``intake.bringing.Known``);
    ``token`` is the hash of the one that a supplier sends deliveries with. ``may`` is what becomes
    of a delivery that comes by itself (``flows.turns.Policy``); it may bring nothing new for
    ``quiet_days``, null for any number. ``scopes`` are fields under names
    (``core.crosswalk.scope``) that its schedules may be of, ``contract`` what its files must look
    like (``core.contract``), null for anything. ``code`` is a short name that programs call it by,
    "" for none; ``people`` says who may do what with it (``flows.people``).
    """

    __tablename__: ClassVar[str] = "feeds"

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    supplier_id: int = Field(foreign_key="suppliers.id", index=True)
    name: str
    reading: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB))
    password: str = ""
    picking: list[dict[str, Any]] = document(default_factory=list)
    picked: int = 0
    guards: list[dict[str, Any]] = document(default_factory=list)
    source: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    secrets: dict[str, str] = document(default_factory=dict)
    known: dict[str, Any] = document(default_factory=dict)
    token: str = Field(default="", sa_column_kwargs={"server_default": ""})
    may: str = Field(default="wait", sa_column_kwargs={"server_default": "wait"})
    quiet_days: int | None = None
    scopes: list[dict[str, Any]] = document(default_factory=list)
    code: str = Field(default="", sa_column_kwargs={"server_default": ""})
    people: dict[str, list[str]] = document(default_factory=dict)
    contract: dict[str, Any] | None = Field(
        default=None, sa_column=Column(JSONB(none_as_null=True))
    )
    created_at: datetime = moment()
    removed_at: datetime | None = removal()


class Delivery(SQLModel, table=True):
    """One file received at one time. The bytes are an artifact named by their hash.

    ``uses`` names the deliveries of other feeds that were joined, ``catalog`` is the revision of
    the store's catalog that was, null for none; ``because`` says why a file was read once more. A
    file that broke off is not ``complete``, and goes no further until a person has ``accepted`` it.
    ``pictures_artifact`` is the index of pictures that came in its archive. ``drift`` says what is
    unusual beside earlier deliveries, and beside which; null while nobody has looked. ``breaches``
    is in what it breaks its feed's contract, null where it has not been checked. While it is to be
    read another way that is ``wanted``.
    """

    __tablename__: ClassVar[str] = "deliveries"
    __table_args__ = (Index("deliveries_newest", "feed_id", text("id desc")),)

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    feed_id: int = Field(foreign_key="feeds.id", index=True)
    file_name: str
    sha256: str
    size: int = Field(sa_column=Column(BigInteger, nullable=False))
    received_at: datetime = moment()
    status: str = "waiting"
    reading: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB))
    why: dict[str, str] = document(default_factory=dict)
    columns: list[str] = document(default_factory=list)
    rows: int = 0
    problems: list[dict[str, Any]] = document(default_factory=list)
    profile: list[dict[str, Any]] = document(default_factory=list)
    table_artifact: str | None = None
    error: str = ""
    stage: str = ""
    offers: list[dict[str, Any]] = document(default_factory=list)
    uses: dict[str, int] = document(default_factory=dict)
    catalog: int | None = None
    because: str = ""
    complete: bool = True
    accepted: bool = False
    pictures_artifact: str | None = None
    drift: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB))
    breaches: list[dict[str, Any]] | None = Field(
        default=None, sa_column=Column(JSONB(none_as_null=True))
    )
    wanted: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    removed_at: datetime | None = removal()


class Fetch(Acted, table=True):
    """One look at where a feed's deliveries come from. ``status`` is queued, fetching, and then
    how it ended: new, unchanged, nothing (none was there), failed or stopped; ``said`` is that in
    plain words, ``log`` how it went. Of what is being fetched ``done`` bytes are there, of
    ``total``, null while that is not known. The fetch of a companion is part of that of the feed
    which joins it (``parent_id``). ``attempt`` counts how often it was taken up: a worker that is
    slow finds that another has. ``may`` is what becomes of what comes, "" for what the
    feed says of it, ``scope`` the fields that it is of, "" for all."""

    __tablename__: ClassVar[str] = "fetches"
    __table_args__ = (
        Index("fetches_newest", "store_id", "feed_id", text("id desc")),
        Index(
            "fetches_under_way", "status",
            postgresql_where=text("status in ('queued', 'fetching')"),
        ),
    )  # fmt: skip

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    feed_id: int = Field(foreign_key="feeds.id", index=True)
    parent_id: int | None = Field(default=None, foreign_key="fetches.id")
    because: str = ""
    may: str = ""
    scope: str = Field(default="", sa_column_kwargs={"server_default": ""})
    status: str = "queued"
    attempt: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    stage: str = ""
    said: str = ""
    remedy: str = ""
    done: int = Field(default=0, sa_column=Column(BigInteger, nullable=False))
    total: int | None = Field(default=None, sa_column=Column(BigInteger))
    files: list[dict[str, Any]] = document(default_factory=list)
    deliveries: list[int] = document(default_factory=list)
    log: list[dict[str, str]] = document(default_factory=list)
    actor: Actor | None = by()
    at: datetime = moment()
    started_at: datetime | None = Field(default=None, sa_type=DateTime(timezone=True))
    finished_at: datetime | None = Field(default=None, sa_type=DateTime(timezone=True))


class Schedule(Acted, table=True):
    """When a feed is to be fetched by itself: a ``core.cron`` expression in a time zone.
    ``next_at`` is when it comes the next time, null while it is ``paused``; ``scope`` the fields
    that it is of, "" for all."""

    __tablename__: ClassVar[str] = "schedules"

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    feed_id: int = Field(foreign_key="feeds.id", index=True)
    expression: str
    zone: str
    scope: str = Field(default="", sa_column_kwargs={"server_default": ""})
    paused: bool = False
    next_at: datetime | None = Field(default=None, sa_type=DateTime(timezone=True), index=True)
    last_at: datetime | None = Field(default=None, sa_type=DateTime(timezone=True))
    actor: Actor | None = by()
    at: datetime = moment()


class FeedChange(Acted, table=True):
    """Something that was changed of a feed, ``said`` in plain words."""

    __tablename__: ClassVar[str] = "feed_changes"

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id")
    feed_id: int = Field(foreign_key="feeds.id", index=True)
    said: str
    actor: Actor | None = by()
    at: datetime = moment()


class CrosswalkRecord(SQLModel, table=True):
    """The agreement from a source to the products of a store, as it is being worked on: ``draft``,
    whose ``revision`` grows with each edit, so that two people cannot overwrite each other. The
    source is a feed."""

    __tablename__: ClassVar[str] = "crosswalks"

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    feed_id: int = Field(foreign_key="feeds.id", unique=True)
    draft: dict[str, Any] = document(default_factory=dict)
    revision: int = 0


class CrosswalkVersion(Acted, table=True):
    """A crosswalk as it was saved or as a run used it: ``bundle`` without its look-ups, and of
    each of those, by its id, the revision in ``lookups``."""

    __tablename__: ClassVar[str] = "crosswalk_versions"
    __table_args__ = (UniqueConstraint("crosswalk_id", "number"),)

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    crosswalk_id: int = Field(foreign_key="crosswalks.id")
    number: int
    bundle: dict[str, Any] = document()
    lookups: dict[str, int] = document(default_factory=dict)
    note: str = ""
    actor: Actor | None = by()
    created_at: datetime = moment()


class SchemaChange(Acted, table=True):
    """What one person changed in a field of a store's schema, in plain words."""

    __tablename__: ClassVar[str] = "field_changes"

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    field: str
    actor: Actor | None = by()
    said: str
    at: datetime = moment()


class Decision(Acted, table=True):
    """A suggestion that was refused, or a question that was put off."""

    __tablename__: ClassVar[str] = "decisions"
    __table_args__ = (UniqueConstraint("crosswalk_id", "verdict", "subject", "proposal"),)

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    crosswalk_id: int = Field(foreign_key="crosswalks.id")
    verdict: str
    subject: str
    proposal: str = ""
    actor: Actor | None = by()
    at: datetime = moment()


class Ranking(SQLModel, table=True):
    """Where the paths that fill a field of a delivery are likely to go, as far as a worker has
    got: ``done`` of ``total`` texts are looked at. ``key`` tells what it was worked out of;
    ``proposals`` stand in the order of those paths, null before there are any."""

    __tablename__: ClassVar[str] = "rankings"
    __table_args__ = (UniqueConstraint("delivery_id", "field"),)

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    delivery_id: int = Field(foreign_key="deliveries.id", index=True)
    field: str
    key: str
    done: int = 0
    total: int = 0
    proposals: list[Any] | None = Field(default=None, sa_column=Column(JSONB))
    at: datetime = moment()


class Lookup(SQLModel, table=True):
    """A saved value table, category table, price ladder, rate or chain of steps of a store, at its
    newest ``revision``."""

    __tablename__: ClassVar[str] = "lookups"
    __table_args__ = (UniqueConstraint("store_id", "kind", "name"),)

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    kind: str
    name: str
    revision: int = 0


class LookupRevision(Acted, table=True):
    """One change of a look-up: who made it, when, what it was in plain words, and the look-up as
    it was from then on, without its entries. ``document`` is null of those of earlier versions of
    this program that nothing refers to."""

    __tablename__: ClassVar[str] = "lookup_revisions"

    lookup_id: int = Field(foreign_key="lookups.id", primary_key=True)
    number: int = Field(primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    document: dict[str, Any] | None = Field(
        default=None, sa_column=Column(JSONB(none_as_null=True))
    )
    said: str = ""
    actor: Actor | None = by()
    at: datetime = moment()


class LookupEntry(Acted, table=True):
    """One entry of a look-up: what arrives, and the answer to it from revision ``since`` on, and
    before ``until``; null while it stands. The one who gave it is the actor."""

    __tablename__: ClassVar[str] = "lookup_entries"
    __table_args__ = (
        Index(
            "lookup_entries_standing",
            "lookup_id",
            text("md5(arriving)"),
            unique=True,
            postgresql_where=text("until is null"),
        ),
        Index("lookup_entries_by_lookup", "lookup_id", "since"),
    )

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    store_id: int = Field(foreign_key="stores.id", index=True)
    lookup_id: int = Field(foreign_key="lookups.id")
    arriving: str
    answer: str
    since: int
    until: int | None = None
    actor: Actor | None = by()
    at: datetime = moment()


RunKind = Literal["delivery", "undo", "edit", "restore", "dated"]


class Run(Acted, table=True):
    """One delivery on its way into the catalog: prepared, applied, perhaps undone. A trial has
    only the rows from ``first_row`` to ``last_row``, by their numbers.

    A run of ``kind`` *undo* takes back the run that it ``undoes``; one of kind *edit* is what a
    person wrote, one of kind *restore* brings a snapshot back, one of kind *dated* writes values
    whose day has come: of no feed, delivery and crosswalk.

    ``used`` is what the delivery was when the run began, whatever it is read as later; ``changes``
    names the artifacts that its preparation made.
    """

    __tablename__: ClassVar[str] = "runs"

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id", index=True)
    feed_id: int | None = Field(default=None, foreign_key="feeds.id", index=True)
    delivery_id: int | None = Field(default=None, foreign_key="deliveries.id", index=True)
    version_id: int | None = Field(default=None, foreign_key="crosswalk_versions.id")
    kind: str = "delivery"
    undoes: int | None = Field(default=None, foreign_key="runs.id", index=True)
    used: dict[str, Any] = document(default_factory=dict)
    changes: str = ""
    actor: Actor | None = by()
    status: str = "queued"
    progress: int = 0
    stage: str = ""
    stop_requested: bool = False
    rules_revision: int = 0
    first_row: int | None = None
    last_row: int | None = None
    counts: dict[str, int] = document(default_factory=dict)
    error: str = ""
    created_at: datetime = moment()
    finished_at: datetime | None = Field(default=None, sa_type=DateTime(timezone=True))


class RunLog(SQLModel, table=True):
    """A line of a run's log."""

    __tablename__: ClassVar[str] = "run_log"

    id: int | None = Field(default=None, primary_key=True)
    store_id: int = Field(foreign_key="stores.id")
    run_id: int = Field(foreign_key="runs.id", index=True)
    at: datetime = moment()
    text: str


class RunDecision(Acted, table=True):
    """What a person decides of lines of a run's changeset: ``rule`` is a ``core.changes.verdicts``
    document; those of a run count in the order of their ids."""

    __tablename__: ClassVar[str] = "run_decisions"

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    store_id: int = Field(foreign_key="stores.id")
    run_id: int = Field(foreign_key="runs.id", index=True)
    rule: dict[str, Any] = document()
    actor: Actor | None = by()
    at: datetime = moment()
