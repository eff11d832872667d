"""Edits of a store's category tree, carried through its products, their history and what waits for
its day."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import text
from sqlmodel import Session, col, select

from nomotax.core.lookups.tree import TreeChange
from nomotax.records.repository import known_id
from nomotax.records.tables import Category, TreeEditRecord

_MOVES = """
create temp table moves (old text primary key, new text) on commit drop
"""
_FILL_MOVES = """
insert into moves select * from unnest(cast(:old as text[]), cast(:new as text[]))
"""
# A value is one path or several; where two become one, it stands once, in the first place.
_MOVED = """
create or replace function pg_temp.moved(content jsonb, fields text[]) returns jsonb
language sql as $$
  select jsonb_object_agg(f, (
    select string_agg(path, ' | ' order by place) from (
      select coalesce(m.new, e) as path, min(i) as place
      from unnest(string_to_array(content->>f, ' | ')) with ordinality as u(e, i)
      left join moves m on m.old = e
      group by 1
    ) led where path <> ''
  )) from unnest(fields) f where content ? f
$$
"""
_TOUCHED = """
exists (select 1 from unnest(cast(:fields as text[])) f,
        unnest(string_to_array({side}->>f, ' | ')) e where e in (select old from moves))
"""
_OWN = """
(select jsonb_object_agg(f, {side}->>f) from unnest(cast(:fields as text[])) f where {side} ? f)
"""
_ROWS = """
create temp table led (
  side text, row_id bigint, was jsonb, became jsonb, primary key (side, row_id)
) on commit drop
"""
_FIND = """
insert into led select '{side}', id, {own}, pg_temp.moved({side}, cast(:fields as text[]))
from {table} where store_id = :store and {side} is not null and {touched}
"""
_WRITE = """
update {table} t set {side} = {written} {heading}
from {rows} l where l.side = '{side}' and l.row_id = t.id {still}
"""
#: The heading that products are listed by, where the schema has a category field.
_HEADING = ", category = coalesce(l.{value}->>:category, '')"


def _written(side: str, value: str) -> str:
    """A side with its categories led on. That a field was emptied stands in its history as null."""
    led = f"t.{side} || l.{value}"
    return led if side == "after" else f"jsonb_strip_nulls({led})"


#: Values that wait for their day are led on as well; one whose path goes away stays, and is
#: refused on its day.
_FIND_DATED = """
insert into led
select 'dated', id, jsonb_build_object(field, value),
  jsonb_strip_nulls(pg_temp.moved(jsonb_build_object(field, value), array[field]))
  || case when pg_temp.moved(jsonb_build_object(field, value), array[field]) ->> field is null
     then jsonb_build_object(field, value) else '{}' end
from dated_values
where store_id = :store and field = any(cast(:fields as text[])) and value is not null
  and status in ('waiting', 'refused')
  and exists (select 1 from unnest(string_to_array(value, ' | ')) e
              where e in (select old from moves))
"""
_WRITE_DATED = """
update dated_values t set value = l.{value} ->> t.field
from {rows} l where l.side = 'dated' and l.row_id = t.id {still}
"""
_STILL_DATED = "and l.edit_id = :edit and t.value is not distinct from l.became ->> t.field"
#: Only what is still as the edit left it is put back.
_STILL = """
and l.edit_id = :edit and not exists (
  select 1 from jsonb_object_keys(l.became) f where (t.{side}->>f) is distinct from (l.became->>f)
)
"""

#: Where categories stand: the tables and the documents in them.
_SIDES = (("products", "content"), ("product_changes", "before"), ("product_changes", "after"))


class Trees:
    """The tree of one store; ``fields`` are those that hold category paths, ``category`` the one
    that products are listed by ("" for none)."""

    def __init__(self, db: Session, store_id: int, fields: Sequence[str], category: str) -> None:
        self.db, self.store_id = db, store_id
        self.values = {"store": store_id, "fields": list(fields), "category": category}

    def touched(self, moves: Mapping[str, str]) -> int:
        """Products that hold one of the paths."""
        self._hold(moves)
        return int(self._run(
            "select count(*) from products where store_id = :store and "
            + _TOUCHED.format(side="content")
        ).scalar_one())  # fmt: skip

    def change(self, record: TreeEditRecord, change: TreeChange) -> int:
        """Carry a change through tree, products and history; gives how many products it
        touched. Of a change that cannot be turned round, the rows are kept with the record."""
        self._hold(change.moves)
        self.tree(change)
        self._run(_MOVED)
        self._run(_ROWS)
        for table, side in _SIDES:
            own, touched = _OWN.format(side=side), _TOUCHED.format(side=side)
            self._run(_FIND.format(table=table, side=side, own=own, touched=touched))
        self._run(_FIND_DATED)
        self._write("led", "became")
        if change.lossy:
            self._run(
                "insert into tree_edit_rows (edit_id, store_id, side, row_id, was, became) "
                "select :edit, :store, side, row_id, was, became from led",
                edit=known_id(record),
            )
        return int(self._run("select count(*) from led where side = 'content'").scalar_one())

    def put_back(self, record: TreeEditRecord) -> None:
        """The rows of an edit as they were, but for those that have changed since."""
        self._write("tree_edit_rows", "was", _STILL, edit=known_id(record))

    def _write(self, rows: str, value: str, still: str = "", **values: Any) -> None:
        headed = _HEADING.format(value=value) if self.values["category"] else ""
        for table, side in _SIDES:
            heading = headed if side == "content" else ""
            statement = _WRITE.format(
                table=table, side=side, rows=rows, heading=heading,
                written=_written(side, value),
                still=still.format(side=side),
            )  # fmt: skip
            self._run(statement, **values)
        waiting = _STILL_DATED if still else ""
        self._run(_WRITE_DATED.format(value=value, rows=rows, still=waiting), **values)

    def tree(self, change: TreeChange, names: Mapping[str, dict[str, str]] | None = None) -> None:
        """Make the tree that of the change. Names in other languages go along with a path, or are
        those given."""
        found = {c.path: c for c in self.db.exec(
            select(Category).where(col(Category.store_id) == self.store_id)
        )}  # fmt: skip
        led = {change.moves.get(p, p): c.names for p, c in found.items() if c.names}
        names = led | dict(names or {})
        for path in found.keys() - change.paths:
            self.db.delete(found[path])
        self.db.flush()
        for path in sorted(change.paths - found.keys()):
            self.db.add(Category(store_id=self.store_id, path=path, names=names.get(path, {})))
        self.db.flush()

    def _hold(self, moves: Mapping[str, str]) -> None:
        """The moves as a table of this transaction."""
        self._run("drop table if exists moves")
        self._run("drop table if exists led")
        self._run(_MOVES)
        self._run(_FILL_MOVES, old=list(moves), new=list(moves.values()))

    def _run(self, statement: str, **values: Any) -> Any:
        return self.db.connection().execute(text(statement), self.values | values)
