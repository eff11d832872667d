"""What people have declined of a feed until its supplier says something else. It counts while the
run in which it was declined stands, and none stands in which the supplier has said another value.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

import polars as pl
from sqlalchemy import text
from sqlmodel import Session

from nomotax.core.changes.remembered import ARTICLES, REMEMBERED
from nomotax.records.bulk import read_query

_RUNS = (
    "d join runs r on r.id = d.run_id and r.status = 'applied' "
    "left join runs e on e.id = d.ended_by and e.status = 'applied'"
)
_STANDS = f"declined_values {_RUNS}"
_ARTICLES = (
    f"select d.article, d.said, d.id from declined_products {_RUNS} "
    "where d.feed_id = {feed} and e.id is null"
)
_KEEP_ARTICLES = text(
    "insert into declined_products (store_id, feed_id, article, said, run_id) "
    "select :store, :feed, g.article, g.said, :run "
    "from unnest(cast(:articles as text[]), cast(:saids as text[])) as g(article, said)"
)
_END_ARTICLES = text("update declined_products set ended_by = :run where id = any(:ids)")
_FORGET_ARTICLE = text(
    "delete from declined_products where feed_id = :feed and article = :article returning id"
)
_OF_FEED = (
    f"select distinct on (d.product_id, d.field) p.key, d.field, d.value, d.id from {_STANDS} "
    "join products p on p.id = d.product_id "
    "where d.feed_id = {feed} and e.id is null order by d.product_id, d.field, d.id desc"
)
_OF_PRODUCT = text(
    "select d.id, d.field, d.value, d.feed_id, f.name, d.run_id, a.name, r.finished_at "
    f"from {_STANDS} join feeds f on f.id = d.feed_id left join actors a on a.id = r.actor_id "
    "where d.store_id = :store and d.product_id = :product and e.id is null order by d.field, d.id"
)
_KEEP = text(
    "insert into declined_values (store_id, feed_id, product_id, field, value, run_id) "
    "select :store, :feed, p.id, g.field, g.value, :run "
    "from unnest(cast(:keys as text[]), cast(:fields as text[]), cast(:values as text[])) "
    "as g(key, field, value) join products p on p.store_id = :store and p.key = g.key"
)
_END = text("update declined_values set ended_by = :run where id = any(:ids)")
_FORGET = text("delete from declined_values where id = :id and store_id = :store returning id")


@dataclass(frozen=True)
class DeclinedLine:
    """A value that a feed would have for a field of a product."""

    id: int
    field: str
    value: str | None
    feed_id: int
    feed: str
    run_id: int
    author: str
    at: datetime | None


def remembered_of(feed_id: int) -> pl.DataFrame:
    """What is declined of a feed, as ``REMEMBERED``, with the ``id`` of each."""
    return read_query(_OF_FEED.format(feed=int(feed_id)), REMEMBERED | {"id": pl.Int64})


def refused_of(feed_id: int) -> pl.DataFrame:
    """The articles of a feed whose products are not made, as ``ARTICLES``, with the ``id`` of
    each."""
    return read_query(_ARTICLES.format(feed=int(feed_id)), ARTICLES | {"id": pl.Int64})


class Declined:
    """The declined values of one store."""

    def __init__(self, session: Session, store_id: int) -> None:
        """Works within the transaction of ``session``."""
        self.session, self.store_id = session, store_id

    def keep(self, feed_id: int, run_id: int, values: pl.DataFrame) -> None:
        """Remember ``values``, as ``REMEMBERED``, of products that are there."""
        if values.height:
            lists = {f"{name}s": values[name].to_list() for name in REMEMBERED}
            about = {"store": self.store_id, "feed": feed_id, "run": run_id}
            self.session.connection().execute(_KEEP, about | lists)

    def end(self, run_id: int, ids: list[int]) -> None:
        """The supplier has said other values since, with this run."""
        self.session.connection().execute(_END, {"run": run_id, "ids": ids})

    def refuse(self, feed_id: int, run_id: int, articles: pl.DataFrame) -> None:
        """Have the products of ``articles``, as ``ARTICLES``, not made."""
        if articles.height:
            lists = {f"{name}s": articles[name].to_list() for name in ARTICLES}
            about = {"store": self.store_id, "feed": feed_id, "run": run_id}
            self.session.connection().execute(_KEEP_ARTICLES, about | lists)

    def end_refusals(self, run_id: int, ids: list[int]) -> None:
        """The rows of these say another thing since, with this run."""
        self.session.connection().execute(_END_ARTICLES, {"run": run_id, "ids": ids})

    def take_again(self, feed_id: int, article: str) -> bool:
        """The product of an article is made from now on; gives whether it was not."""
        about = {"feed": feed_id, "article": article}
        return self.session.connection().execute(_FORGET_ARTICLE, about).first() is not None

    def of(self, product_id: int) -> list[DeclinedLine]:
        """What is declined of a product, by field."""
        about = {"store": self.store_id, "product": product_id}
        rows = self.session.connection().execute(_OF_PRODUCT, about)
        return [
            DeclinedLine(id_, field, value, feed_id, feed, run_id, author or "", at)
            for id_, field, value, feed_id, feed, run_id, author, at in rows
        ]

    def forget(self, declined_id: int) -> bool:
        """The next delivery may write this value; gives whether it was there."""
        about = {"id": declined_id, "store": self.store_id}
        return self.session.connection().execute(_FORGET, about).first() is not None
