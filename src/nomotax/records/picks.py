"""Which articles of feeds' ranges were picked for the store, one by one."""

from __future__ import annotations

import polars as pl
from sqlalchemy import text, update
from sqlmodel import col

from nomotax.records.actors import at_work
from nomotax.records.bulk import copy_frame, copy_out, read_query
from nomotax.records.columns import now
from nomotax.records.products import PickedArticle
from nomotax.records.repository import Repository
from nomotax.records.tables import Feed

_ARTICLE = {"article": pl.String}
_ASKED = "create temp table asked_articles (article text not null) on commit drop"
_PICK = """
with picked as (
  insert into picks (store_id, feed_id, article, actor_id, at)
  select :store, :feed, article, :actor, :at from asked_articles
  on conflict (store_id, feed_id, article) do nothing returning article
) insert into changed_picks select article from picked
"""
_DROP = """
with dropped as (
  delete from picks p using asked_articles a
  where p.store_id = :store and p.feed_id = :feed and p.article = a.article returning p.article
) insert into changed_picks select article from dropped
"""


class Picks(Repository):
    of, what = PickedArticle, "pick"

    def of_feed(self, feed_id: int) -> pl.Series:
        """The articles that are picked."""
        query = f"select article from picks where store_id = {self.store_id} and feed_id = "
        return read_query(query + str(int(feed_id)), _ARTICLE)["article"]

    def pick(self, feed_id: int, articles: pl.Series) -> pl.Series:
        """Pick articles; gives those that were not before."""
        by = at_work(self.session)
        return self._change(_PICK, feed_id, articles, {"actor": by.id if by else None, "at": now()})

    def drop(self, feed_id: int, articles: pl.Series) -> pl.Series:
        """Pick articles no more; gives those that were picked."""
        return self._change(_DROP, feed_id, articles, {})

    def _change(
        self, statement: str, feed_id: int, articles: pl.Series, more: dict[str, object]
    ) -> pl.Series:
        connection = self.session.connection()
        connection.execute(text("drop table if exists asked_articles, changed_picks"))
        connection.execute(text(_ASKED))
        connection.execute(text(_ASKED.replace("asked_articles", "changed_picks")))
        copy_frame(self.session, "asked_articles", articles.unique().alias("article").to_frame())
        about = {"store": self.store_id, "feed": feed_id}
        connection.execute(text(statement), about | more)
        connection.execute(
            update(Feed)
            .where(col(Feed.id) == feed_id, col(Feed.store_id) == self.store_id)
            .values(picked=col(Feed.picked) + 1)
        )
        query = "select article from changed_picks order by article"
        return copy_out(self.session, query, {}, _ARTICLE)["article"]
