"""Runs taken back, and what was taken back put in again, out of the middle of a history.

Of each product and field the changes that stand form a row, in the order they were written. Taking
one out leaves what the others would have made: the next one goes back to what this one found, or,
where it was the last, so does the product. Putting it in again is the same the other way round.
A change stands while its run is not taken back; only those that another run could not reach, as
their product was out, say so themselves (``stands``). A product is out of the catalog while the run
that made it is taken back and no change of it stands.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import Any, Literal

import polars as pl
from pydantic import BaseModel
from sqlalchemy import text
from sqlmodel import Session

from nomotax.core.changes.staging import deltas_of
from nomotax.records.bulk import copy_out
from nomotax.records.changes import Changes, headings
from nomotax.records.columns import now
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

#: Whether another change of the product stands: ``gone`` are the runs whose changes do not.
_STANDS = "(l.run_id <> all(:outs) and coalesce(l.stands, l.run_id <> all(:gone)))"
#: The whole changes of products that nothing came to later; they are the most by far.
_WHOLE = f"""
select c.id, c.product_id, array(select jsonb_object_keys(c.after)) as fields,
  {{value}} as was, {{writers}} as writers
from product_changes c
where c.run_id = :part and {{which}} and not exists (
  select 1 from product_changes l where l.product_id = c.product_id and l.id > c.id and {_STANDS}
) and c.product_id in (
  select product_id from product_changes where run_id = :part
  group by product_id having count(*) = 1
)
"""
_WHOLE_TOLD = """
select p.key, p.title, f.name as field, p.content ->> f.name as shown, c.was ->> f.name as was,
  null::bigint as later_run, exists (
  select 1 from kept_values k
  where k.store_id = :store and k.product_id = c.product_id and k.field = f.name
) as kept
from whole c join products p on p.id = c.product_id, lateral unnest(c.fields) f(name)
"""
#: Each field of the other changes: the value ``was`` that takes the place, who wrote it, and the
#: next change that stands and wrote the same field; what stands ``there``, and who wrote that.
_EACH = f"""
select e.*,
  case when e.next is null then p.content -> e.name else l.before -> e.name end as there,
  case when e.next is null then p.writers -> e.name else l.writers -> e.name end as there_by,
  l.run_id as later_run, p.key, p.title, p.content ->> e.name as shown
from (
  select c.id, c.product_id, f.name, {{value}} -> f.name as was, {{writer}} as writer, (
    select min(l.id) from product_changes l
    where l.product_id = c.product_id and l.id > c.id and {_STANDS} and l.after ? f.name
  ) as next
  from product_changes c, lateral jsonb_object_keys(c.after) f(name)
  where c.run_id = :part and {{which}}
    and not exists (select 1 from whole w where w.id = c.id)
) e
join products p on p.id = e.product_id
left join product_changes l on l.id = e.next
"""
_TOLD = """
select key, title, name as field, shown, was #>> '{}' as was, later_run, exists (
  select 1 from kept_values k
  where k.store_id = :store and k.product_id = e.product_id and k.field = e.name
) as kept from back e
"""
Way = Literal["out", "in"]
_OUT = {
    "value": "c.before",
    "writer": "c.writers -> f.name",
    "writers": "c.writers",
    "which": "coalesce(c.stands, true)",
}
_IN = {
    "value": "jsonb_strip_nulls(c.after)",
    "writer": "to_jsonb(c.run_id)",
    "writers": "(select jsonb_object_agg(k, c.run_id) from jsonb_object_keys(c.after) k)",
    "which": "c.stands is null",
}
_WAYS: Mapping[Way, str] = {"out": _EACH.format(**_OUT), "in": _EACH.format(**_IN)}
_WHOLES: Mapping[Way, str] = {"out": _WHOLE.format(**_OUT), "in": _WHOLE.format(**_IN)}
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
#: What is put in again comes upon what stands there now.
_FINDS = """
update product_changes c set before = (c.before - b.fields) || b.there,
  writers = (c.writers - b.fields) || b.there_by
from (
  select id, array_agg(name) as fields,
    coalesce(jsonb_object_agg(name, there) filter (where there is not null), '{}') as there,
    coalesce(jsonb_object_agg(name, there_by)
             filter (where there_by is not null and there_by <> 'null'), '{}') as there_by
  from back group by id
) b where b.id = c.id
"""
#: The same of whole changes.
_FINDS_WHOLE = """
update product_changes c set before = coalesce(t.there, '{}'),
  writers = coalesce(t.there_by, '{}')
from (
  select b.id,
    (select jsonb_object_agg(f, p.content -> f) from unnest(b.fields) f where p.content ? f)
      as there,
    (select jsonb_object_agg(f, p.writers -> f) from unnest(b.fields) f where p.writers ? f)
      as there_by
  from whole b join products p on p.id = b.product_id
) t where t.id = c.id
"""
#: Changes of products that are out: their run is taken back, or put in again, without them.
_UNREACHED = """
update product_changes c set stands = {stands}
where c.run_id = :part and {which} and c.product_id in (
  select product_id from removed_products where store_id = :store
)
"""
_LEFT: Mapping[Way, str] = {
    "out": _UNREACHED.format(stands="true", which=_OUT["which"]),
    "in": _UNREACHED.format(stands="false", which=_IN["which"]),
}
#: What stood though its run did not is taken back with it from now on.
_REACHED = """
update product_changes c set stands = null
where c.run_id = :part and c.stands and c.product_id in (select id from products)
"""
_RESTORE_WHOLE = f"""
update products p set content = (p.content - b.fields) || b.was,
  {headings("b.fields", "b.was")}
  writers = (p.writers - b.fields) || b.writers, changed_at = :now
from whole b where p.id = b.product_id
"""
#: Products that may have to leave: those that the run made, and those whose last change it was.
_TOUCHED = """
(
  select id from products where created_run = :root and :root_goes
  union
  select c.product_id from product_changes c join products p on p.id = c.product_id
  where c.run_id = any(:outs) and coalesce(c.stands, true) and p.created_run = any(:undone)
)
"""
_CHANGED_SINCE = """
exists (
  select 1 from product_changes l where l.product_id = p.id
  and l.run_id <> all(:outs) and coalesce(l.stands, l.run_id <> all(:still_gone))
)
"""
_MAKER_OUT = """
(p.created_run = :root and :root_goes or p.created_run = any(:undone) and p.created_run <> :root)
"""
_LEAVING = f"""
select p.key, p.title, {_CHANGED_SINCE} as stays
from products p join {_TOUCHED} t on t.id = p.id
where {_MAKER_OUT} and (p.created_run = :root or not {_CHANGED_SINCE}) order by p.key
"""
_REMOVE = f"""
with gone as (
  delete from products p using {_TOUCHED} t
  where t.id = p.id and {_MAKER_OUT} and not {_CHANGED_SINCE} returning p.*
) insert into removed_products (store_id, run_id, product_id, created_run, document)
select gone.store_id, :run, gone.id, gone.created_run, to_jsonb(gone) from gone
"""
#: Those that come back: made by the run that counts again, or changed by one that does.
_RETURNING = """
removed_products r where r.store_id = :store and (
  r.created_run = :root and not :root_goes
  or r.product_id in (
    select product_id from product_changes where run_id = any(:ins) and stands is null)
)
"""
#: Its key is another product's by now, or its category is gone from the tree.
_NO_PLACE = """
(exists (select 1 from products p where p.store_id = :store and p.key = r.document ->> 'key')
 or r.document ->> 'category' <> ''
 and exists (select 1 from categories c where c.store_id = :store)
 and not exists (select 1 from categories c
                 where c.store_id = :store and c.path = r.document ->> 'category'))
"""
_COMING = f"""
select r.document ->> 'key' as key, r.document ->> 'title' as title, {_NO_PLACE} as stays
from {_RETURNING} order by key
"""
_BRING_BACK = f"""
with back as (
  delete from {_RETURNING} and not {_NO_PLACE} returning r.document
) insert into products select (jsonb_populate_record(null::products, back.document)).* from back
"""
_FIELDS = {"key": pl.String, "title": pl.String, "field": pl.String, "shown": pl.String,
           "was": pl.String, "later_run": pl.Int64, "kept": pl.Boolean}  # fmt: skip


class OfProduct(BaseModel):
    """A field of a product, by its key."""

    key: str
    field: str


class Instead(BaseModel):
    """Fields that go back although a later run wrote them, or they are kept by hand: those named
    by product and field, or, with ``all``, all but those."""

    all: bool = False
    fields: list[OfProduct] = []

    def chosen(self) -> pl.Expr:
        """Whether a row of ``key`` and ``field`` is one."""
        pairs = [f"{one.key}\n{one.field}" for one in self.fields]
        named = (pl.col("key") + "\n" + pl.col("field")).is_in(pairs)
        return ~named if self.all else named


class TakingBack:
    """A run that takes another back: what a delivery did goes out; what an undo took out comes in
    again, and what it wrote itself goes out, and so on down to the first."""

    def __init__(self, db: Session, run: Run, chain: list[Run]) -> None:
        """``chain`` begins with the run to be taken back, then what that took back, down to the
        delivery, edit or restore that was there first."""
        self.db = db
        ids = [known_id(one) for one in chain]
        outs, ins = ids[::2], ids[1::2]
        #: One after the other: the newest first out, the oldest first in.
        self.parts: list[tuple[Way, int]] = [("out", one) for one in outs]
        self.parts += [("in", one) for one in reversed(ins)]
        #: An undo of an undo puts in again.
        self.puts_in = ids[-1] in ins
        #: What a person wrote, a person may take back, kept by hand or not.
        self.heeds_kept = chain[-1].kind not in ("edit", "dated")
        undone = Runs(db, run.store_id).undone()
        #: ``gone`` are the runs whose changes do not stand, ``still_gone`` when all is done.
        self.values: dict[str, Any] = {
            "store": run.store_id, "run": run.id, "root": ids[-1], "outs": outs, "ins": ins,
            "root_goes": not self.puts_in, "now": now(), "undone": undone,
            "gone": undone, "still_gone": [*({*undone} - {*ins})],
        }  # fmt: skip

    def fields(self, instead: Instead) -> pl.DataFrame:
        """Every field it touches of products that stay in the catalog: key, title, field, shown
        (the value now), was (the one that
        takes its place, if nothing keeps it), later_run (null for none) and kept (by hand), which
        keep it unless it is chosen."""
        found = []
        for way, part in self.parts:
            self._lay(way, part)
            found.append(self._read(_WHOLE_TOLD, _FIELDS))
            found.append(self._read(_TOLD, _FIELDS))
        # Where several parts write one field, what the last of them writes is what it will hold.
        rows = pl.concat(found).sort("later_run", nulls_last=True, maintain_order=True)
        whole = rows.unique(["key", "field"], keep="last", maintain_order=True).join(
            self._leaving.filter(~pl.col("stays")), on="key", how="anti"
        )
        kept = pl.col("kept") & pl.col("later_run").is_null() & self.heeds_kept
        kept &= pl.col("was").ne_missing(pl.col("shown"))
        return whole.with_columns(kept=kept, chosen=instead.chosen()).sort("key", "field")

    def products(self) -> pl.DataFrame:
        """Products that would go out, or come back: key, title, back, stays (not, because of what
        came later)."""
        coming = self._whole(_COMING).with_columns(back=pl.lit(True))
        return pl.concat([self._leaving.with_columns(back=pl.lit(False)), coming])

    def write(self, heading: Mapping[str, str], fields: pl.DataFrame | None) -> None:
        """Do it, with ``fields`` as they are found; ``None`` where it writes nothing by itself."""
        self._run(_BRING_BACK)
        for way, part in self.parts:
            self._lay(way, part)
            self._run(_MEND)
            self._run(_LEFT[way], part=part)
            if way == "in":
                # Before the products change: what stands there is noted in the table.
                self._run(_FINDS_WHOLE)
                self._run(_FINDS)
                self.values["gone"] = [one for one in self.values["gone"] if one != part]
            else:
                self._run(_REACHED, part=part)
            self._run(_RESTORE_WHOLE, **heading)
            self._run(_RESTORE, **heading)
        own = _own(fields) if fields is not None else None
        if own is not None and own.height:
            changes = Changes(self.db, self.values["store"], self.values["run"])
            changes.stage(own, lambda done: None)
            changes.write(heading)
        self._run(_REMOVE)

    def _lay(self, way: Way, part: int) -> None:
        """Lay the changes of one run out, in tables of this transaction."""
        for table, query in (("whole", _WHOLES[way]), ("back", _WAYS[way])):
            self._run(f"drop table if exists {table}")
            self._run(f"create temp table {table} on commit drop as {query}", part=part)
            # Of the documents nobody asks what they are like.
            self._run(f"analyze {table} (id, product_id)")

    @cached_property
    def _leaving(self) -> pl.DataFrame:
        return self._whole(_LEAVING)

    def _whole(self, query: str) -> pl.DataFrame:
        return self._read(query, {"key": pl.String, "title": pl.String, "stays": pl.Boolean})

    def _read(self, query: str, shape: Mapping[str, Any], **more: Any) -> pl.DataFrame:
        return copy_out(self.db, query, self.values | more, shape)

    def _run(self, statement: str, **more: Any) -> Any:
        return self.db.connection().execute(text(statement), self.values | more)


def writes_itself(fields: pl.DataFrame) -> bool:
    """Whether taking back writes any of these by itself."""
    over = pl.col("later_run").is_not_null() & pl.col("chosen")
    keeps = pl.col("kept") & ~pl.col("chosen")
    return bool(fields.select((over | keeps).any()).item())


def _own(fields: pl.DataFrame) -> pl.DataFrame:
    """What taking back writes by itself, as ``DELTAS``: the earlier value over a later one where
    that was chosen, and what is kept by hand over the earlier one."""
    over = fields.filter(pl.col("later_run").is_not_null() & pl.col("chosen"))
    keeps = fields.filter(pl.col("kept") & ~pl.col("chosen"))
    rows = pl.concat(
        [
            over.select("key", "field", before="shown", after="was"),
            keeps.select("key", "field", before="was", after="shown"),
        ]
    )
    found: dict[str, tuple[dict[str, str], dict[str, str | None]]] = {}
    for key, field, before, after in rows.iter_rows():
        old, new = found.setdefault(key, ({}, {}))
        new[field] = after
        if before is not None:
            old[field] = before
    return deltas_of(found)
