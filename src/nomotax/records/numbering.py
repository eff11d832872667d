"""Numbers that keys of a store's products are made of."""

from __future__ import annotations

from sqlalchemy import text
from sqlmodel import Session

from nomotax.core.crosswalk.identity import KeyRule

#: Keys of products that were taken back count as well: they may come in again. What other feeds
#: have prepared is theirs until it is written or prepared anew.
_HIGHEST = """
with keys as (
  select key from products where store_id = :store and starts_with(key, :prefix)
  union all
  select document ->> 'key' from removed_products
  where store_id = :store and starts_with(document ->> 'key', :prefix)
), numbers as (
  select substr(key, :behind)::bigint as n from keys
  where substr(key, :behind) ~ '^[0-9]{1,15}$'
  union all
  select (used -> 'numbered' ->> 'last')::bigint from runs
  where store_id = :store and status in ('prepared', 'applying') and feed_id <> :feed
    and used -> 'numbered' -> 'rule' ->> 'prefix' = :prefix
)
select max(n) from numbers where n between :first and :last
"""
_NO_END = 10**15


def first_free(db: Session, store_id: int, feed_id: int, rule: KeyRule) -> int:
    """The number after the highest one of the range that is in use; of a range that is used up the
    one behind its end."""
    values = {
        "store": store_id, "feed": feed_id, "prefix": rule.prefix, "behind": len(rule.prefix) + 1,
        "first": rule.first, "last": _NO_END if rule.last is None else rule.last,
    }  # fmt: skip
    highest = db.connection().execute(text(_HIGHEST), values).scalar_one()
    return rule.first if highest is None else int(highest) + 1
