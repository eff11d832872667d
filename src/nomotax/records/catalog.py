"""Products of a store's catalog, and what of them is kept by hand."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from sqlalchemy import ColumnElement, Text, any_, func
from sqlalchemy.dialects.postgresql import array
from sqlmodel import col, select

from nomotax.core.changes.states import TAKEN_OUT
from nomotax.core.errors import NotFound
from nomotax.records.actors import at_work
from nomotax.records.columns import Actor
from nomotax.records.database import session
from nomotax.records.products import KeptValue, Product, ProductChange
from nomotax.records.repository import Repository, known_id


def in_catalog(store_id: int) -> list[ColumnElement[bool]]:
    """What products of the store's catalog meet: those that were taken out do not."""
    return [col(Product.store_id) == store_id, col(Product.state) != TAKEN_OUT]


def kept_ids(store_id: int, field: str = "") -> pl.Series:
    """Products of which a field is kept by hand; with "" any."""
    with session() as db:
        query = select(KeptValue.product_id).where(KeptValue.store_id == store_id).distinct()
        query = query.where(KeptValue.field == field) if field else query
        return pl.Series(list(db.exec(query)), dtype=pl.Int64)


def written_ids(store_id: int, run: str) -> pl.Series:
    """Products that a run, by its number, has made or changed; none for what is no number."""
    number = int(run) if run.isdecimal() and len(run) < 10 else 0
    with session() as db:
        changed = select(ProductChange.product_id).where(
            ProductChange.store_id == store_id, ProductChange.run_id == number
        )
        made = select(Product.id).where(Product.store_id == store_id, Product.created_run == number)
        return pl.Series([*db.exec(changed), *db.exec(made)], dtype=pl.Int64)


class Catalog(Repository):
    of, what = Product, "product"

    def product(self, key: str) -> Product:
        query = select(Product).where(*in_catalog(self.store_id), Product.key == key)
        found = self.session.exec(query).first()
        if found is None:
            raise NotFound(f"There is no product {key!r}.")
        return found

    def keys_among(self, keys: list[str]) -> list[str]:
        """Those of the keys that a product of the store has."""
        query = select(Product.key).where(
            *in_catalog(self.store_id), col(Product.key) == any_(array(keys, type_=Text))
        )
        return list(self.session.exec(query)) if keys else []

    def values_of(
        self, supplier_id: int, keys: list[str], field: str
    ) -> list[tuple[str, str | None]]:
        """Key and value of one field, of a supplier's products among the keys."""
        query = select(Product.key, col(Product.content)[field].astext).where(
            *in_catalog(self.store_id),
            Product.supplier_id == supplier_id,
            col(Product.key) == any_(array(keys, type_=Text)),
        )
        return list(self.session.exec(query)) if keys else []

    def key_with(self, field: str, value: str) -> str | None:
        """A product that has this value in a field."""
        query = select(Product.key).where(
            *in_catalog(self.store_id), col(Product.content)[field].astext == value
        )
        return self.session.exec(query.limit(1)).first()

    def holders(self, field: str, values: list[str]) -> dict[str, str]:
        """Products that have these values in a field, by them."""
        value = col(Product.content)[field].astext
        query = select(value, Product.key).where(*in_catalog(self.store_id), value.in_(values))
        return dict(self.session.exec(query).all())

    def writer(self, key: str, field: str) -> int:
        """The run that wrote a field of a product."""
        product = self.product(key)
        run = product.writers.get(field, product.created_run)
        if run is None:
            raise NotFound(f"No run has written this field of the product {key!r}.")
        return run

    def kept(self) -> dict[str, list[str]]:
        """Keys by the field that is kept by hand."""
        found: dict[str, list[str]] = {}
        query = (
            select(KeptValue.field, Product.key)
            .join(Product, col(Product.id) == col(KeptValue.product_id))
            .where(KeptValue.store_id == self.store_id)
        )
        for field, key in self.session.exec(query):
            found.setdefault(field, []).append(key)
        return found

    def kept_fields(self, products: Sequence[int]) -> dict[int, list[str]]:
        """The fields that are kept by hand, by the ids of these products."""
        found: dict[int, list[str]] = {}
        query = select(KeptValue.product_id, KeptValue.field).where(
            KeptValue.store_id == self.store_id, col(KeptValue.product_id).in_(products)
        )
        for product, field in self.session.exec(query.order_by(KeptValue.field)):
            found.setdefault(product, []).append(field)
        return found

    def kept_mark(self) -> tuple[int, int]:
        """Another one whenever a field begins or ceases to be kept by hand."""
        query = select(func.count(), func.max(KeptValue.id))
        count, last = self.session.exec(query.where(KeptValue.store_id == self.store_id)).one()
        return count, last or 0

    def keeping(self, keys: Sequence[str], field: str) -> list[str]:
        """Those of these products in which a field is kept by hand."""
        query = (
            select(Product.key)
            .join(KeptValue, col(Product.id) == col(KeptValue.product_id))
            .where(KeptValue.store_id == self.store_id, KeptValue.field == field)
        )
        return list(self.session.exec(query.where(col(Product.key).in_(keys))))

    def keep_those(self, keys: Sequence[str], field: str, by: Actor | None) -> None:
        """Keep a field of several products by hand, as somebody has decided."""
        known = self.keeping(keys, field)
        query = select(Product.id).where(
            *in_catalog(self.store_id), col(Product.key).in_(keys), col(Product.key).not_in(known)
        )
        for product in self.session.exec(query).all():
            made = KeptValue(store_id=self.store_id, product_id=product or 0, field=field, actor=by)
            self.session.add(made)

    def keep(self, key: str, field: str, keep: bool) -> None:
        """Keep a field of a product by hand, or no longer. Raises ``NotFound``."""
        product = known_id(self.product(key))
        query = select(KeptValue).where(
            KeptValue.store_id == self.store_id,
            KeptValue.product_id == product,
            KeptValue.field == field,
        )
        found = self.session.exec(query).first()
        if keep and found is None:
            self._add(
                KeptValue(
                    store_id=self.store_id,
                    product_id=product,
                    field=field,
                    actor=at_work(self.session),
                )
            )
        elif not keep and found is not None:
            self.session.delete(found)
