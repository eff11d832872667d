"""The store's catalog: products by category, one product, and loading for comparison."""

from __future__ import annotations

import csv
import io
from datetime import datetime
from typing import cast as cast_type

from pydantic import BaseModel
from sqlmodel import col, select

from nomotax.core.changes.states import STATE, State
from nomotax.core.errors import NotFound
from nomotax.core.lookups.tree import SIGN
from nomotax.core.schema.model import Role, StoreField
from nomotax.core.showing import BESIDE, Selection
from nomotax.flows.listing import LISTED, listing_of
from nomotax.flows.needs import asked_of
from nomotax.records.catalog import Catalog
from nomotax.records.database import session
from nomotax.records.products import Product
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.tables import Supplier


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
        asked = asked_of(db, store_id, shown.where)
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
            product.id: line_of(product, supplier, kept.get(known_id(product), []))
            for product, supplier in db.exec(query)
        }
        page = [lines[one] for one in there if one in lines]
        return ProductPage(total=found.len(), products=page)


def line_of(product: Product, supplier: str, kept: list[str]) -> ProductLine:
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
