"""Runs taken back, and what was taken back put in again, out of the middle of a history.

Of each product and field the changes that stand form a row, in the order they were written. Taking
one out leaves what the others would have made: the next one goes back to what this one found, or,
where it was the last, so does the product. Putting it in again is the same the other way round.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import polars as pl
from pydantic import BaseModel
from sqlalchemy import text
from sqlmodel import Session

from nomotax.records.changes import headings
from nomotax.records.tables import Run, now

#: Each field of the changes at hand: the value ``was`` that takes the place, who wrote it, and the
#: next change that stands and wrote the same field; what stands ``there``, and who wrote that.
_EACH = """
select e.*,
  case when e.next is null then p.content -> e.name else l.before -> e.name end as there,
  case when e.next is null then p.writers -> e.name else l.writers -> e.name end as there_by,
  l.run_id as later_run, p.key, p.title, p.content ->> e.name as shown
from (
  select c.id, c.product_id, f.name, {value} -> f.name as was, {writer} as writer, (
    select min(l.id) from product_changes l
    where l.product_id = c.product_id and l.id > c.id and l.undone_by is null
      and l.after ? f.name
  ) as next
  from product_changes c, lateral jsonb_object_keys(c.after) f(name)
  where {which}
) e
join products p on p.id = e.product_id
left join product_changes l on l.id = e.next
"""
_OUT = _EACH.format(
    value="c.before",
    writer="c.writers -> f.name",
    which="c.run_id = :root and c.undone_by is null",
)
_IN = _EACH.format(
    value="jsonb_strip_nulls(c.after)", writer="to_jsonb(c.run_id)", which="c.undone_by = :target"
)
#: Values and writers by field, those there are.
_WAS = """
array_agg(name) as fields,
coalesce(jsonb_object_agg(name, was) filter (where was is not null), '{}') as was,
coalesce(jsonb_object_agg(name, writer) filter (where writer is not null and writer <> 'null'),
         '{}') as writers
"""
_MEND = f"""
update product_changes l set before = (l.before - b.fields) || b.was,
  writers = (l.writers - b.fields) || b.writers
from (select next, {_WAS} from back where next is not null group by next) b where l.id = b.next
"""
_RESTORE = f"""
update products p set content = (p.content - b.fields) || b.was,
  {headings("b.fields", "b.was")}
  writers = (p.writers - b.fields) || b.writers, changed_at = :now
from (select product_id, {_WAS} from back where next is null group by product_id) b
where p.id = b.product_id
"""
_MARK_OUT = """
update product_changes c set undone_by = :run where c.id in (select id from back)
"""
_MARK_IN = """
update product_changes c set undone_by = null,
  before = (c.before - b.fields) || b.there, writers = (c.writers - b.fields) || b.there_by
from (
  select id, array_agg(name) as fields,
    coalesce(jsonb_object_agg(name, there) filter (where there is not null), '{}') as there,
    coalesce(jsonb_object_agg(name, there_by)
             filter (where there_by is not null and there_by <> 'null'), '{}') as there_by
  from back group by id
) b where b.id = c.id
"""
_CHANGED_SINCE = """
exists (select 1 from product_changes l where l.product_id = p.id and l.undone_by is null)
"""
_MADE = f"""
select p.key, p.title, {_CHANGED_SINCE} as stays from products p
where p.created_run = :root order by p.key
"""
_REMOVE = f"""
with gone as (
  delete from products p where p.created_run = :root and not {_CHANGED_SINCE} returning p.*
) insert into removed_products (run_id, product_id, document)
select :run, gone.id, to_jsonb(gone) from gone
"""
#: Its key is another product's by now, or its category is gone from the tree.
_NO_PLACE = """
(exists (select 1 from products p where p.store_id = :store and p.key = r.document ->> 'key')
 or r.document ->> 'category' <> ''
 and exists (select 1 from categories c where c.store_id = :store)
 and not exists (select 1 from categories c
                 where c.store_id = :store and c.path = r.document ->> 'category'))
"""
_REMOVED = f"""
select r.document ->> 'key' as key, r.document ->> 'title' as title, {_NO_PLACE} as stays
from removed_products r where r.run_id = :target order by key
"""
_BRING_BACK = f"""
with back as (
  delete from removed_products r where r.run_id = :target and not {_NO_PLACE} returning r.document
) insert into products select (jsonb_populate_record(null::products, back.document)).* from back
"""


class Touch(BaseModel):
    """What taking a run back touches: products that get other values, products that go out of the
    catalog or come back into it, and fields and products that stay as they are because of what
    came later."""

    changed: int
    out: int
    back: int
    later: int
    stay: int


class TakingBack:
    """A run that takes ``target`` back: what a delivery did goes out; what an undo took out comes
    in again, and so on."""

    def __init__(self, db: Session, run: Run, chain: list[Run]) -> None:
        """``chain`` begins with the run to be taken back, then what that took back, down to the
        delivery."""
        self.db = db
        #: An undo of an undo puts in again.
        self.puts_in = len(chain) % 2 == 0
        self.values: dict[str, Any] = {
            "store": run.store_id, "run": run.id, "target": chain[0].id, "root": chain[-1].id,
            "now": now(),
        }  # fmt: skip

    def fields(self) -> pl.DataFrame:
        """Every field it touches: key, title, field, shown (the value now), was (the one that
        takes its place, if nothing came later), later_run (null for none)."""
        each = _IN if self.puts_in else _OUT
        rows = self._run(
            f"select key, title, name, shown, was #>> '{{}}', later_run from ({each}) e "
            "order by key, name"
        ).all()
        shape = {"key": pl.String, "title": pl.String, "field": pl.String, "shown": pl.String,
                 "was": pl.String, "later_run": pl.Int64}  # fmt: skip
        return pl.DataFrame([tuple(row) for row in rows], schema=shape, orient="row")

    def products(self) -> pl.DataFrame:
        """Products that would go out, or come back: key, title, stays (not, because of what came
        later)."""
        rows = self._run(_REMOVED if self.puts_in else _MADE).all()
        shape = {"key": pl.String, "title": pl.String, "stays": pl.Boolean}
        return pl.DataFrame([tuple(row) for row in rows], schema=shape, orient="row")

    def write(self, heading: Mapping[str, str]) -> None:
        """Do it."""
        if self.puts_in:
            self._run(_BRING_BACK)
        else:
            self._run(_REMOVE)
        each = _IN if self.puts_in else _OUT
        self._run(f"create temp table back on commit drop as {each}")
        self._run("analyze back")
        self._run(_MEND)
        # Before the products change: what stands there is noted in the table.
        self._run(_MARK_IN if self.puts_in else _MARK_OUT)
        self._run(_RESTORE, **heading)

    def _run(self, statement: str, **more: Any) -> Any:
        return self.db.connection().execute(text(statement), self.values | more)
