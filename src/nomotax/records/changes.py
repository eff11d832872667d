"""What a run changes of products that are there, written field by field."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import polars as pl
from psycopg.errors import UniqueViolation
from pydantic import BaseModel
from sqlalchemy import text
from sqlmodel import Session

from nomotax.core.changes.states import LIVE, STATE
from nomotax.core.errors import StaleChangeset
from nomotax.records.bulk import Shape, copy_frame
from nomotax.records.columns import now

_STAGED = """
create temp table staged
  (key text primary key, before jsonb, after jsonb, fields text[], wrote jsonb) on commit drop
"""
_LEAVE_KEPT = """
with kept as (
  select p.key, array_agg(k.field) as fields, count(*) as n from kept_values k
  join products p on p.id = k.product_id
  join staged s on s.key = p.key and s.after ? k.field
  where k.store_id = :store group by p.key
), left_alone as (
  update staged s set before = s.before - k.fields, after = s.after - k.fields,
    fields = array(select unnest(s.fields) except select unnest(k.fields)),
    wrote = s.wrote - k.fields
  from kept k where k.key = s.key returning k.n
) select coalesce(sum(n), 0) from left_alone
"""
#: Each change beside its product, if that is there: those of the fields whose value is another than
#: the changeset found, who had written them, and where in its table the product lies.
_FOUND = """
create temp table found on commit drop as
select s.*, p.id, p.ctid as place,
  array(
    select f from unnest(s.fields) f where (p.content ->> f) is distinct from (s.before ->> f)
  ) as moved,
  case when p.writers ?| s.fields then (
    select jsonb_object_agg(f, p.writers -> f) from unnest(s.fields) f where p.writers ? f
  ) else '{}' end as writers
from staged s left join products p on p.store_id = :store and p.key = s.key
"""
_STALE = """
select s.key, coalesce(f.name, '') as field
from found s left join lateral unnest(s.moved) f(name) on true
where s.id is null or f.name is not null
order by s.key, field limit 20
"""
_HISTORY = """
insert into product_changes (run_id, store_id, product_id, before, after, writers)
select :run, :store, id, before, after, writers from found where fields <> '{}'
"""


def headings(fields: str, after: str) -> str:
    """The columns that products are listed by, where their field is among those written."""
    listed = " ".join(
        f"{name} = case when cast(:{name} as text) = any({fields}) "
        f"then coalesce({after} ->> cast(:{name} as text), '') else p.{name} end,"
        for name in ("title", "category", "variant_group")
    )
    return (
        f"{listed} state = case when '{STATE}' = any({fields}) "
        f"then coalesce({after} ->> '{STATE}', '{LIVE}') else p.state end,"
    )


_UPDATE = (
    "update products p set content = (p.content - s.fields) || jsonb_strip_nulls(s.after),"
    + headings("s.fields", "s.after")
    + " writers = p.writers || s.wrote, changed_at = :now from found s "
    "where p.ctid = s.place and s.fields <> '{}'"
)
#: Products are written where they lie: a join would read all of them once more.
_JOINS = ("enable_hashjoin", "enable_mergejoin")
#: A tenth of a million changes is joined in memory.
_ENOUGH = "set local work_mem = '64MB'"


#: From so many products on.
_MUCH = 1_000


class Touched(BaseModel):
    """A field of a product; "" for the product as a whole."""

    key: str
    field: str


def stale(where: str) -> StaleChangeset:
    """What is raised where the catalog is not as a changeset found it."""
    return StaleChangeset(
        "The catalog has changed where this changeset would.",
        where=where,
        remedy="Nothing was written; it is prepared again, to be looked at.",
    )


class Changes:
    """The changes of one run of a store."""

    def __init__(self, db: Session, store_id: int, run_id: int) -> None:
        self.db = db
        self.values: dict[str, Any] = {"store": store_id, "run": run_id, "now": now()}
        self._found = False

    def stage(self, deltas: pl.DataFrame, tell: Callable[[int], None]) -> None:
        """Lay changes by; ``deltas`` as ``DELTAS``."""
        self._found = False
        self._run(_ENOUGH)
        self._run(_STAGED)
        each = pl.format('"{}":{}', pl.element(), pl.lit(self.values["run"]))
        sides = deltas.with_columns(
            pl.format("{{{}}}", pl.col("fields").list.join(",")).alias("fields"),
            pl.format("{{{}}}", pl.col("fields").list.eval(each).list.join(",")).alias("wrote"),
        )
        copy_frame(self.db, "staged", sides, tell)
        self._run("analyze staged")

    def leave_kept(self) -> int:
        """Drop from them what is kept by hand by now; gives how many values."""
        return int(self._run(_LEAVE_KEPT).scalar_one())

    def stale(self) -> list[Touched]:
        """Fields that have another value than the changes found, up to 20."""
        self._find()
        return [Touched(key=key, field=field) for key, field in self._run(_STALE)]

    def write(self, heading: Mapping[str, str]) -> int:
        """Write them, and their history; gives how many products are changed. Raises
        ``StaleChangeset`` where one is not where it was found."""
        self._find()
        written = int(self._run(_HISTORY).rowcount)
        for join in _JOINS:
            self._run(f"set local {join} = off")
        changed = int(self._run(_UPDATE, **heading).rowcount)
        for join in _JOINS:
            self._run(f"set local {join} = on")
        if changed != written:
            raise stale(f"{written - changed} products")
        return written

    def make_known(self, made: int, changed: int) -> None:
        """Let the database look at what it holds after much was written: by what it knew before,
        it would plan the next run, or the undo of this one, to take minutes. To be called last, as
        it keeps others from doing so until the transaction ends."""
        if made > _MUCH:
            self._run("analyze products (id, store_id, key, category, created_run)")
        if changed > _MUCH:
            self._run("analyze product_changes (id, run_id, product_id)")

    def _find(self) -> None:
        """Lay them out beside their products, as they are when this is first asked for."""
        if not self._found:
            self._run("drop table if exists found")
            self._run(_FOUND)
            self._run("analyze found (id)")
            self._found = True

    def make(
        self,
        products: pl.DataFrame,
        tell: Callable[[int], None],
        shape: Shape = lambda part: part,
    ) -> None:
        """Copy new products straight into their table: columns by name, headings and content as
        JSON, once a part of them is in ``shape``. Their history is the run. Raises
        ``StaleChangeset`` for a key that is there."""

        def whole(part: pl.DataFrame) -> pl.DataFrame:
            return shape(part).with_columns(
                store_id=pl.lit(self.values["store"]),
                created_run=pl.lit(self.values["run"]),
                changed_at=pl.lit(self.values["now"].isoformat()),
                writers=pl.lit("{}"),
            )

        try:
            copy_frame(self.db, "products", products, tell, whole)
        except UniqueViolation as error:
            raise stale(str(error.diag.message_detail or "")) from error

    def _run(self, statement: str, **more: Any) -> Any:
        return self.db.connection().execute(text(statement), self.values | more)
