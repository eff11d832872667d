"""The store's catalog: products by category, one product, and loading for comparison."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import cast as cast_type

from pydantic import BaseModel
from sqlmodel import Session, col, select

from nomotax.core.changes.states import STATE, State
from nomotax.core.errors import NotFound
from nomotax.core.lookups.tree import SIGN
from nomotax.core.schema.model import Role, StoreField, StoreSchema
from nomotax.core.showing import BESIDE, Selection
from nomotax.flows.listing import LISTED, listing_of
from nomotax.flows.needs import asked_of
from nomotax.flows.waiting import DatedLine, lines_of
from nomotax.records.catalog import Catalog, in_catalog
from nomotax.records.database import session
from nomotax.records.products import Product, ProductChange
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run, RunKind, Supplier


class CategoryCount(BaseModel):
    """``count`` includes the products of the branches below; ``names`` are by language tag."""

    path: str
    label: str
    depth: int
    count: int
    names: dict[str, str] = {}


class ProductLine(BaseModel):
    """``kept`` names the fields that are kept by hand."""

    key: str
    title: str
    category: str
    supplier: str
    state: State
    content: dict[str, str]
    changed_at: datetime
    kept: list[str]


class ProductPage(BaseModel):
    total: int
    products: list[ProductLine]


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


class ProductDetail(BaseModel):
    """``variants`` are all of the product that
    this one is a variant of, itself among them, and empty where it stands alone; ``dated`` are
    values that wait for their day."""

    product: ProductLine
    history: list[HistoryEntry]
    variants: list[Variant]
    dated: list[DatedLine]


def category_counts(store_id: int) -> list[CategoryCount]:
    """The store's tree with product counts; products without a category stand under ""."""
    with session() as db:
        names = Stores(db).tree(store_id)
        own = listing_of(db, store_id).counts()
    total: dict[str, int] = dict.fromkeys(names.keys() | own.keys(), 0)
    for path, count in own.items():
        # Exactly as the products say it: a store without a tree may hold any text.
        parts = path.split(SIGN)
        for depth in range(1, len(parts) + 1):
            branch = SIGN.join(parts[:depth])
            total[branch] = total.get(branch, 0) + count
    return [
        CategoryCount(
            path=p,
            label=p.split(SIGN)[-1],
            depth=p.count(SIGN),
            count=total[p],
            names=names.get(p, {}),
        )
        for p in sorted(total)
    ]


def product_page(
    store_id: int, shown: Selection, sort: str = "key", descending: bool = False, offset: int = 0,
    limit: int = 100,
) -> ProductPage:  # fmt: skip
    """Products that are shown, sorted by a field. Raises ``NotFound`` for a field that the store
    does not have."""
    with session() as db:
        asked = asked_of(db, store_id)
        for name in (sort, *(one.field for one in shown.where)):
            if name not in (*LISTED, *BESIDE, *asked.schema.names):
                raise NotFound(f"The store schema has no field {name!r}.")
        found = listing_of(db, store_id).ids(shown, asked, sort, descending)
        there = found[offset : offset + limit].to_list()
        query = (
            select(Product, Supplier.name)
            .join(Supplier, col(Product.supplier_id) == col(Supplier.id))
            .where(col(Product.id).in_(there))
        )
        # In the order of the listing; one that a run has removed since is not there any more.
        kept = Catalog(db, store_id).kept_fields(there)
        lines = {
            product.id: _line(product, supplier, kept.get(known_id(product), []))
            for product, supplier in db.exec(query)
        }
        page = [lines[one] for one in there if one in lines]
        return ProductPage(total=found.len(), products=page)


def _line(product: Product, supplier: str, kept: list[str]) -> ProductLine:
    return ProductLine(
        key=product.key,
        title=product.title,
        category=product.category,
        supplier=supplier,
        state=cast_type(State, product.state),
        content={f: v for f, v in product.content.items() if f != STATE},
        changed_at=product.changed_at,
        kept=kept,
    )


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
        return ProductDetail(
            product=_line(*found, kept),
            history=history,
            variants=_variants(db, found[0], schema),
            dated=list(lines_of(db, store_id, schema, [known_id(found[0])])),
        )


_MOST_VARIANTS = 500


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


def load_catalog(store_id: int, data: bytes) -> int:
    """Fill an empty catalog from a CSV in the store's own writing, with a ``supplier`` column.

    For the demo store; gives the number of products.
    """
    with session() as db:
        stores, feeds = Stores(db), Feeds(db, store_id)
        schema = stores.schema(store_id)
        rows = list(csv.DictReader(io.StringIO(data.decode("utf-8"))))
        stores.get(store_id).revision += 1
        suppliers = {r["supplier"]: feeds.supplier_named(r["supplier"]).id for r in rows}
        for row in rows:
            content = {f: row[f] for f in schema.names if row.get(f)}
            db.add(
                Product(
                    store_id=store_id,
                    supplier_id=suppliers[row["supplier"]] or 0,
                    content=content,
                    key=content[schema.key],
                    title=_content_of(schema.with_role(Role.TITLE), content),
                    category=_content_of(schema.category_field, content),
                    variant_group=_content_of(schema.with_role(Role.GROUP), content),
                )
            )
    return len(rows)


def _content_of(field: StoreField | None, content: dict[str, str]) -> str:
    return content.get(field.name, "") if field else ""
