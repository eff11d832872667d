"""What is decided of suppliers' articles: the product that each is paired with, or that it makes
one of its own, or is left out."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import polars as pl
from sqlalchemy import delete, func, or_, text, update
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import col, select

from nomotax.core.matching.finder import PAIRINGS
from nomotax.core.matching.pairing import Decided
from nomotax.records.actors import at_work
from nomotax.records.bulk import copy_frame, read_pieces, read_query
from nomotax.records.catalog import in_catalog
from nomotax.records.columns import now
from nomotax.records.products import Pairing, Product
from nomotax.records.repository import Repository
from nomotax.records.tables import Supplier

#: As many rows as a statement takes parameters for.
_AT_ONCE = 5_000


class Pairings(Repository):
    of, what = Pairing, "pairing"

    def of_supplier(self, supplier_id: int) -> pl.DataFrame:
        """All of a supplier, as ``finder.PAIRINGS``; *lost* are those whose product is gone."""
        query = _ALL.format(store=self.store_id, supplier=int(supplier_id))
        return read_query(query, PAIRINGS)

    def lines(self, supplier_id: int) -> Iterator[pl.DataFrame]:
        """The same by article, piece by piece."""
        query = _ALL.format(store=self.store_id, supplier=int(supplier_id))
        return read_pieces(query + " order by a.article", PAIRINGS)

    def page(
        self, supplier_id: int, search: str, offset: int, limit: int
    ) -> tuple[int, list[tuple[Pairing, Product | None]]]:
        """How many there are, and some of them with their products, by article. ``search`` finds
        the beginning of an article's number or of a product's key."""
        query = (
            select(Pairing, Product)
            .join(Product, col(Product.id) == col(Pairing.product_id), isouter=True)
            .where(
                Pairing.store_id == self.store_id,
                Pairing.supplier_id == supplier_id,
                or_(col(Pairing.run_id).is_(None), col(Product.id).is_not(None)),
            )
        )
        if search:
            begins = search.replace("\\", "\\\\").replace("%", r"\%").replace("_", r"\_") + "%"
            query = query.where(
                or_(col(Pairing.article).ilike(begins), col(Product.key).ilike(begins))
            )
        total = self.session.exec(select(func.count()).select_from(query.subquery())).one()
        ordered = query.order_by(col(Pairing.article)).offset(offset).limit(limit)
        return total, list(self.session.exec(ordered))

    def of_articles(self, supplier_id: int, articles: Sequence[str]) -> list[Decided]:
        """What is decided of these articles."""
        query = (
            select(Pairing, Product.key)
            .join(Product, col(Product.id) == col(Pairing.product_id), isouter=True)
            .where(
                Pairing.store_id == self.store_id,
                Pairing.supplier_id == supplier_id,
                col(Pairing.article).in_(articles),
            )
        )
        return [Decided(p.article, p.decision, key) for p, key in self.session.exec(query)]  # type: ignore[arg-type]  # one of the decisions

    def decide(self, supplier_id: int, decided: Sequence[Decided]) -> list[str]:
        """Write decisions down, each over the one before it; gives the keys that no product of
        the catalog has, of which nothing is written."""
        ids = self._ids([one.key for one in decided if one.key is not None])
        by = at_work(self.session)
        rows = [
            {
                "store_id": self.store_id, "supplier_id": supplier_id, "article": one.article,
                "decision": one.decision, "product_id": ids.get(one.key or ""), "run_id": None,
                "actor_id": by.id if by else None, "at": now(),
            }
            for one in {one.article: one for one in decided}.values()
            if one.decision != "product" or one.key in ids
        ]  # fmt: skip
        for start in range(0, len(rows), _AT_ONCE):
            adding = insert(Pairing).values(rows[start : start + _AT_ONCE])
            own = ("decision", "product_id", "run_id", "actor_id", "at")
            over = {name: adding.excluded[name] for name in own}
            self.session.connection().execute(
                adding.on_conflict_do_update(
                    index_elements=["store_id", "supplier_id", "article"], set_=over
                )
            )
        self._changed(supplier_id)
        asked = {one.key or "" for one in decided if one.decision == "product"}
        return sorted(asked - ids.keys())

    def made(self, supplier_id: int, run_id: int, made: pl.DataFrame) -> None:
        """Articles that a run has made products of: article and key."""
        connection = self.session.connection()
        connection.execute(text("create temp table made (article text, key text) on commit drop"))
        copy_frame(self.session, "made", made.select("article", "key"))
        values = {"store": self.store_id, "supplier": supplier_id, "run": run_id, "at": now()}
        connection.execute(text(_MADE), values)
        self._changed(supplier_id)

    def forget(self, supplier_id: int, articles: Sequence[str]) -> None:
        """Nothing is decided of these any more."""
        self.session.connection().execute(
            delete(Pairing).where(
                col(Pairing.store_id) == self.store_id,
                col(Pairing.supplier_id) == supplier_id,
                col(Pairing.article).in_(articles),
            )
        )
        self._changed(supplier_id)

    def count(self, supplier_id: int) -> int:
        """How many there are."""
        query = select(func.count()).where(
            Pairing.store_id == self.store_id, Pairing.supplier_id == supplier_id
        )
        return self.session.exec(query).one()

    def _changed(self, supplier_id: int) -> None:
        """What is worked out of them is no longer true."""
        self.session.connection().execute(
            update(Supplier)
            .where(col(Supplier.id) == supplier_id, col(Supplier.store_id) == self.store_id)
            .values(decided=col(Supplier.decided) + 1)
        )

    def _ids(self, keys: Sequence[str]) -> dict[str, int]:
        found: dict[str, int] = {}
        for start in range(0, len(keys), _AT_ONCE):
            query = select(Product.key, Product.id).where(
                *in_catalog(self.store_id), col(Product.key).in_(keys[start : start + _AT_ONCE])
            )
            found |= {key: number for key, number in self.session.exec(query) if number}
        return found


_MADE = """
insert into pairings (store_id, supplier_id, article, decision, product_id, run_id, at)
select :store, :supplier, m.article, 'product', p.id, :run, :at
from made m join products p on p.store_id = :store and p.key = m.key
on conflict (store_id, supplier_id, article) do update set decision = excluded.decision,
  product_id = excluded.product_id, run_id = excluded.run_id, actor_id = null, at = excluded.at
"""
#: A run's own word ends with the product: then its article may make another one.
_ALL = (
    "select a.article, case when a.decision = 'product' and p.id is null then 'lost' "
    "else a.decision end as decision, p.key from pairings a "
    "left join products p on p.id = a.product_id "
    "where a.store_id = {store} and a.supplier_id = {supplier} "
    "and (a.run_id is null or p.id is not null)"
)
