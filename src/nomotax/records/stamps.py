"""Whether anything that a workbench is made of has changed, told by one statement."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import text
from sqlmodel import Session

# A row's xmin is the transaction that wrote it. Their sum and count change with every insert,
# update and delete; the largest alone would miss a transaction that ends after a younger one.
_STAMP = text(
    """
    select
      (select (count(*), sum(l.xmin::text::bigint))::text from lookups l where l.store_id = st.id),
      (select (count(*), sum(c.xmin::text::bigint))::text from categories c
        where c.store_id = st.id),
      f.xmin::text, w.xmin::text, s.xmin::text, st.xmin::text, d.id, d.xmin::text,
      (select oid from pg_database where datname = current_database()),
      (select (count(*), sum(x.xmin::text::bigint))::text from decisions x
        where x.crosswalk_id = w.id),
      (select (count(*), sum(r.xmin::text::bigint))::text from rankings r
        where r.delivery_id = d.id and r.proposals is not null)
    from feeds f
    join crosswalks w on w.feed_id = f.id
    join suppliers s on s.id = f.supplier_id
    join stores st on st.id = f.store_id
    left join lateral (
      select id, xmin from deliveries
      where feed_id = f.id and (id = :delivery or (:delivery = 0 and table_artifact is not null
                                                           and removed_at is null))
      order by id desc limit 1
    ) d on true
    where f.id = :feed
    """
)


@dataclass(frozen=True)
class Stamp:
    """Equal as long as nothing has changed: ``lookups`` of the store's look-ups, ``tree`` of its
    categories, ``rest`` of the feed, its crosswalk, the store, the delivery, decisions, finished
    rankings, the database itself."""

    lookups: str
    tree: str
    rest: tuple[object, ...]


def workbench_stamp(db: Session, feed_id: int, delivery_id: int | None) -> Stamp | None:
    """The stamp of a feed over a delivery (the newest readable one by default); None for a feed
    that is not there."""
    values = {"feed": feed_id, "delivery": delivery_id or 0}
    found = db.connection().execute(_STAMP, values).first()
    if found is None:
        return None
    lookups, tree, *rest = found
    return Stamp(str(lookups), str(tree), tuple(rest))
