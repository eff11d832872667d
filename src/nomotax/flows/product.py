"""One product: what it holds and why, what runs did to it, and what they are about to do."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict
from datetime import datetime
from typing import cast as cast_type

from pydantic import BaseModel
from sqlmodel import Session, col, select

from nomotax.core.changes.taking_back import STAYS
from nomotax.core.changes.verdicts import Chosen
from nomotax.core.errors import NotFound
from nomotax.core.schema.model import Role, StoreField, StoreSchema
from nomotax.flows.catalog import ProductLine, line_of
from nomotax.flows.headings import label_of
from nomotax.flows.review import ReviewRow, review_page
from nomotax.flows.waiting import DatedLine, lines_of
from nomotax.records.catalog import Catalog, in_catalog
from nomotax.records.database import session
from nomotax.records.products import Product, ProductChange
from nomotax.records.remembered import Declined
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run, RunKind, Supplier


class FieldChange(BaseModel):
    field: str
    before: str | None
    after: str | None


class HistoryEntry(BaseModel):
    """What a run did to a product: ``kind`` is *new* or *changed*; ``undone_by`` is the run
    that took it back; a run of ``run_kind`` *edit* was written by hand, by its ``author``."""

    run_id: int
    run_kind: RunKind
    author: str
    at: datetime
    kind: str
    undone_by: int | None
    changes: list[FieldChange]


class Variant(BaseModel):
    """Another variant of the same product. ``options`` as ``Size: 3 | Colour: Blue``."""

    key: str
    options: str
    price: str
    stock: str


class DeclinedBefore(BaseModel):
    """A value that a feed would have, declined in a run until its supplier says another one."""

    id: int
    field: str
    label: str
    value: str | None
    feed_id: int
    feed: str
    run_id: int
    author: str
    at: datetime | None


class Coming(BaseModel):
    """What a prepared run would change of a product, as it is decided by now."""

    run_id: int
    run_kind: RunKind
    file_name: str
    line: ReviewRow


class ProductDetail(BaseModel):
    """``variants`` are all of the product that this one is a variant of, itself among them, and
    empty where it stands alone; ``dated`` are values that wait for their day, ``declined`` those
    that no feed writes until it says others; ``coming`` is what prepared runs would change."""

    product: ProductLine
    history: list[HistoryEntry]
    variants: list[Variant]
    dated: list[DatedLine]
    declined: list[DeclinedBefore]
    coming: list[Coming]


def product_detail(store_id: int, key: str) -> ProductDetail:
    """One product with what each run changed, newest first. Raises ``NotFound``."""
    with session() as db:
        query = (
            select(Product, Supplier.name)
            .join(Supplier, col(Product.supplier_id) == col(Supplier.id))
            .where(*in_catalog(store_id), Product.key == key)
        )
        found = db.exec(query).first()
        if found is None:
            raise NotFound(f"There is no product {key!r} in this catalog.")
        history = _history(db, found[0])
        own = known_id(found[0])
        kept = Catalog(db, store_id).kept_fields([own]).get(own, [])
        schema = Stores(db).schema(store_id)
        prepared = Runs(db, store_id).prepared(_MOST_COMING)
        told = ProductDetail(
            product=line_of(*found, kept),
            history=history,
            variants=_variants(db, found[0], schema),
            dated=list(lines_of(db, store_id, schema, [known_id(found[0])])),
            declined=[
                DeclinedBefore(label=label_of(schema, one.field), **asdict(one))
                for one in Declined(db, store_id).of(own)
            ],
            coming=[],
        )
    return told.model_copy(update={"coming": list(_coming(prepared, key))})


def _coming(prepared: Sequence[Run], key: str) -> Iterator[Coming]:
    """What runs would change of a product, the newest first."""
    for run in prepared:
        try:
            page = review_page(known_id(run), Chosen(keys=(key,)))
        except NotFound:
            continue
        for line in page.rows:
            # What stays names the values that an undo leaves alone.
            if line.changes and line.status != STAYS:
                yield Coming(
                    run_id=known_id(run), run_kind=cast_type(RunKind, run.kind),
                    file_name=run.used.get("file_name", ""), line=line,
                )  # fmt: skip


def forget_declined(store_id: int, declined_id: int) -> None:
    """The next delivery may write a value that was declined until another comes. Raises
    ``NotFound``."""
    with session() as db:
        Stores(db).get(store_id)
        if not Declined(db, store_id).forget(declined_id):
            raise NotFound("This is forgotten already.", remedy="Somebody else has done it.")


_MOST_VARIANTS = 500
#: So many prepared runs are looked into.
_MOST_COMING = 8


def _variants(db: Session, product: Product, schema: StoreSchema) -> list[Variant]:
    """All variants of a product's group, in the order of their keys."""
    if not product.variant_group:
        return []
    query = (
        select(Product)
        .where(
            *in_catalog(product.store_id),
            Product.variant_group == product.variant_group,
            Product.supplier_id == product.supplier_id,
        )
        .order_by(col(Product.key))
        .limit(_MOST_VARIANTS)
    )
    return [
        Variant(
            key=one.key,
            options=_content_of(schema.with_role(Role.OPTIONS), one.content),
            price=_content_of(schema.with_role(Role.PRICE), one.content),
            stock=_content_of(schema.with_role(Role.STOCK), one.content),
        )
        for one in db.exec(query)
    ]


#: So many changes of a product are shown.
_SHOWN = 50


def _history(db: Session, product: Product) -> list[HistoryEntry]:
    """What runs did to a product, newest first, down to the one that made it."""
    query = (
        select(ProductChange, Run)
        .join(Run, col(ProductChange.run_id) == col(Run.id))
        .where(ProductChange.product_id == product.id)
        .order_by(col(ProductChange.id).desc())
    )
    rows = db.exec(query).all()
    # A run of before undoing was one of its own took itself back.
    by = Runs(db, product.store_id).undoing({known_id(run) for _, run in rows})
    found = [
        _entry(
            run,
            "changed",
            by.get(known_id(run), run.id) if not _stands(change, run) else None,
            change.before,
            change.after,
        )
        for change, run in rows[:_SHOWN]
    ]
    made = db.get(Run, product.created_run) if product.created_run is not None else None
    if made is not None:
        found.append(_entry(made, "new", None, {}, _at_first(product, rows)))
    return found


def _stands(change: ProductChange, run: Run) -> bool:
    return run.status != "undone" if change.stands is None else change.stands


def _at_first(product: Product, rows: Sequence[tuple[ProductChange, Run]]) -> dict[str, str]:
    """A product as it was made: without what was changed since."""
    content = dict(product.content)
    for change, run in rows:
        if _stands(change, run):
            kept = {f: v for f, v in content.items() if f not in change.after}
            content = kept | change.before
    return content


def _entry(
    run: Run,
    kind: str,
    undone_by: int | None,
    before: Mapping[str, str],
    after: Mapping[str, str | None],
) -> HistoryEntry:
    fields = sorted(after)
    return HistoryEntry(
        run_id=run.id or 0,
        run_kind=cast_type(RunKind, run.kind),
        author=run.author,
        at=run.finished_at or run.created_at,
        kind=kind,
        undone_by=undone_by,
        changes=[FieldChange(field=f, before=before.get(f), after=after.get(f)) for f in fields],
    )


def _content_of(field: StoreField | None, content: Mapping[str, str]) -> str:
    return content.get(field.name, "") if field else ""
